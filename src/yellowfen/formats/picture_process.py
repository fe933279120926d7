"""The process that reads one picture: from standard input to standard output, under limits it sets
itself before it looks at a byte. It prints width and height (4 bytes each) and a JPEG, or one word.
"""

import io
import resource
import sys
import warnings

KINDS = ("PNG", "JPEG", "WebP")
MOST_READ, MOST_KEPT, LEAST_SIDE = 80_000_000, 4_000_000, 64
MEMORY, SECONDS = 1_200_000_000, 15


def _written(data: bytes) -> bytes:
    from PIL import Image, ImageOps

    warnings.simplefilter("ignore")
    Image.MAX_IMAGE_PIXELS = MOST_READ
    with Image.open(io.BytesIO(data), formats=("PNG", "JPEG", "WEBP")) as picture:
        width, height = picture.size
        if width * height > MOST_READ:
            return b"large"
        if min(width, height) < LEAST_SIDE:
            return b"small"
        share = (MOST_KEPT / (width * height)) ** 0.5
        wanted = (max(int(width * min(share, 1.0)), 1), max(int(height * min(share, 1.0)), 1))
        picture.draft("RGB", wanted)
        upright = ImageOps.exif_transpose(picture.convert("RGB")) if share >= 1 else None
        if upright is None:
            small = (
                picture.resize(wanted)
                if picture.mode == "RGB"
                else picture.convert("RGB").resize(wanted)
            )
            orientation = picture.getexif().get(0x0112, 1)
            small.getexif()[0x0112] = orientation
            upright = ImageOps.exif_transpose(small)
    plain = Image.frombytes("RGB", upright.size, upright.tobytes())
    stream = io.BytesIO()
    plain.save(stream, "JPEG", quality=92)
    sizes = b"".join(side.to_bytes(4, "big") for side in plain.size)
    return sizes + stream.getvalue()


def main() -> int:
    """Read, write, and say by the exit code whether it went well."""
    resource.setrlimit(resource.RLIMIT_AS, (MEMORY, MEMORY))
    resource.setrlimit(resource.RLIMIT_CPU, (SECONDS, SECONDS))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    data = sys.stdin.buffer.read()
    try:
        found = _written(data)
    except MemoryError:
        found = b"memory"
    except Exception as problem:
        found = b"large" if type(problem).__name__ == "DecompressionBombError" else b"kind"
    sys.stdout.buffer.write(found)
    return 0 if len(found) > 8 else 1


if __name__ == "__main__":
    raise SystemExit(main())
