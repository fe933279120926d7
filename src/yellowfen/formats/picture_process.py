"""The process that reads one picture: from standard input to standard output, under limits it sets
itself before it looks at a byte. It prints width and height (4 bytes each) and a JPEG, or one word.
"""

import io
import resource
import struct
import sys
import warnings
import zlib
from typing import Any

KINDS = ("PNG", "JPEG", "WebP")
MOST_READ, MOST_KEPT, LEAST_SIDE = 80_000_000, 4_000_000, 64
LONGEST_SIDE = 16_000
_BLOCK = 1 << 20
_ADAM7 = (  # first column, first row, step across, step down
    (0, 0, 8, 8), (4, 0, 8, 8), (0, 4, 4, 8), (2, 0, 4, 4), (0, 2, 2, 4), (1, 0, 2, 2), (0, 1, 1, 2),
)  # fmt: skip
# What turns a picture upright, by its orientation [P: Exif 2.3, tag 0x0112], as the imaging
# library numbers its turns: mirrored, upside down by mirror and half turn, and so on.
_TURNS = {2: 0, 3: 3, 4: 1, 5: 5, 6: 4, 7: 6, 8: 2}
MEMORY, SECONDS = 1_200_000_000, 15


def _written(data: bytes) -> bytes:
    from PIL import Image

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
        if min(wanted) < LEAST_SIDE or max(wanted) > LONGEST_SIDE:
            return b"narrow"
        if picture.format == "PNG" and not _png_is_whole(data):
            return b"cut"
        picture.draft("RGB", wanted)
        colours = picture.convert("RGB")
        small = colours if share >= 1 else colours.resize(wanted)
        turn = _TURNS.get(_orientation(picture))
        upright = small if turn is None else small.transpose(Image.Transpose(turn))
    plain = Image.frombytes("RGB", upright.size, upright.tobytes())
    stream = io.BytesIO()
    plain.save(stream, "JPEG", quality=92)
    sizes = b"".join(side.to_bytes(4, "big") for side in plain.size)
    return sizes + stream.getvalue()


def _orientation(picture: Any) -> int:
    """How the camera was held, 1 (upright) to 8; upright where its notes cannot be read: the
    picture itself is sound.
    """
    try:
        return int(picture.getexif().get(0x0112, 1))
    except Exception:
        return 1


def _png_is_whole(data: bytes) -> bool:
    """True for a PNG that holds every row it says it has. (The imaging library fills up what lacks
    with black where the stream ends in good order.) Counted without keeping: rows of each pass with
    their filter byte [P: PNG specification, clauses 7.2, 8.1].
    """
    width, height, depth, colour, _, _, laced = struct.unpack_from(">IIBBBBB", data, 16)
    bits = depth * {0: 1, 2: 3, 3: 1, 4: 2, 6: 4}[colour]
    passes = _ADAM7 if laced else ((0, 0, 1, 1),)
    wanted = sum(
        -(-(height - y) // dy) * (1 + (-(-(width - x) // dx) * bits + 7) // 8)
        for x, y, dx, dy in passes
        if width > x and height > y
    )
    found, at, stream = 0, 8, zlib.decompressobj()
    while at + 8 <= len(data) and found < wanted:
        length, kind = struct.unpack_from(">I4s", data, at)
        rest = data[at + 8 : at + 8 + length] if kind == b"IDAT" else b""
        while rest and found < wanted:
            found += len(stream.decompress(rest, _BLOCK))
            rest = stream.unconsumed_tail
        at += 12 + length
    return bool(found >= wanted)


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
