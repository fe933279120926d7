"""Pictures as they arrive: held any way, with broken notes, cut short, of odd shapes."""

import io
import random
import struct
import zlib

import numpy as np
import pytest
from PIL import Image, ImageOps

from yellowfen.errors import UnreadableFile
from yellowfen.formats.picture import made_safe
from yellowfen.formats.picture_process import _png_is_whole, _written


def a_picture(width: int = 200, height: int = 150) -> Image.Image:
    """Nothing in it is like anything else in it."""
    seeds = np.random.default_rng(4).integers(0, 255, (8, 10, 3), dtype=np.uint8)
    return Image.fromarray(seeds).resize((width, height), Image.Resampling.BICUBIC)


def encoded(picture: Image.Image, kind: str, **more: object) -> bytes:
    stream = io.BytesIO()
    picture.save(stream, kind, **more)
    return stream.getvalue()


def opened(answer: bytes) -> Image.Image:
    return Image.open(io.BytesIO(answer[8:]))


@pytest.mark.parametrize("orientation", range(1, 9))
def test_a_picture_is_turned_upright(orientation: int) -> None:
    exif = Image.Exif()
    exif[0x0112] = orientation
    data = encoded(a_picture(), "JPEG", exif=exif, quality=95)
    wanted = ImageOps.exif_transpose(Image.open(io.BytesIO(data)))
    found = opened(_written(data))
    assert found.size == wanted.size
    apart = np.abs(np.asarray(found, float) - np.asarray(wanted, float))
    assert apart.mean() < 3


def test_a_sound_picture_with_broken_notes_is_kept() -> None:
    """Of the notes' bytes any may be wrong; the picture is there all the same."""
    exif = Image.Exif()
    exif[0x0112], exif[0x010F] = 6, "camera"
    whole = encoded(a_picture(), "JPEG", exif=exif)
    begin = whole.index(b"Exif\x00\x00") + 6
    length = int.from_bytes(whole[begin - 8 : begin - 6], "big")
    rng = random.Random(7)
    for _ in range(60):
        data = bytearray(whole)
        for _ in range(rng.choice((1, 3, 20))):
            data[rng.randrange(begin, begin - 8 + length)] = rng.randrange(256)
        assert set(opened(_written(bytes(data))).size) == {150, 200}


def cut_png(rows: int, data: bytes) -> bytes:
    """A PNG in good order that says it has more rows than it holds."""
    with Image.open(io.BytesIO(data)) as picture:
        width, height = picture.size
        raw = np.asarray(picture.convert("RGB"))
    lines = b"".join(b"\x00" + raw[row].tobytes() for row in range(rows))

    def chunk(kind: bytes, content: bytes) -> bytes:
        sum_ = zlib.crc32(kind + content)
        return struct.pack(">I", len(content)) + kind + content + struct.pack(">I", sum_)

    head = struct.pack(">IIBBBBB", width, height, 8, 2, 0, 0, 0)
    parts = (chunk(b"IHDR", head), chunk(b"IDAT", zlib.compress(lines)), chunk(b"IEND", b""))
    return b"\x89PNG\r\n\x1a\n" + b"".join(parts)


def test_a_picture_with_rows_missing_is_refused() -> None:
    tall = encoded(a_picture(100, 2000), "PNG")
    assert made_safe(cut_png(2000, tall)).height == 2000
    for rows in (1, 100, 1999):
        with pytest.raises(UnreadableFile, match="rows are missing"):
            made_safe(cut_png(rows, tall), "shot.png")
    for kind in ("PNG", "JPEG", "WebP"):
        data = encoded(a_picture(), kind)
        with pytest.raises(UnreadableFile):
            made_safe(data[: len(data) * 2 // 3], "shot")


@pytest.mark.parametrize("mode", ["1", "L", "P", "RGB", "RGBA", "LA", "I;16"])
def test_whole_pictures_of_every_kind_of_pixel_are_whole(mode: str) -> None:
    image = a_picture(131, 77)
    picture = image.convert("L").convert("I;16") if mode == "I;16" else image.convert(mode)
    assert _png_is_whole(encoded(picture, "PNG"))


def test_laced_rows_are_counted() -> None:
    """9 by 5 pixels of one byte, laced: passes of 2, 1, 3, 3+3, 2x5+... counted by hand."""
    # pass: columns x rows: 2x1, 1x1, 3x1, 2x2, 5x1, 4x3, 9x2; each row one byte more
    wanted = (2 + 1) + (1 + 1) + (3 + 1) + 2 * (2 + 1) + (5 + 1) + 3 * (4 + 1) + 2 * (9 + 1)

    def png(count: int) -> bytes:
        data = zlib.compress(bytes(count))
        return (
            b"\x89PNG\r\n\x1a\n"
            + struct.pack(">I4sIIBBBBBI", 13, b"IHDR", 9, 5, 8, 0, 0, 0, 1, 0)
            + struct.pack(">I4s", len(data), b"IDAT")
            + data
            + bytes(4)
        )

    assert _png_is_whole(png(wanted))
    assert not _png_is_whole(png(wanted - 1))


def test_a_ribbon_of_a_picture_has_its_own_sentence() -> None:
    for size in ((64, 600_000), (600_000, 64), (17_000, 100)):
        with pytest.raises(UnreadableFile, match="too long and narrow"):
            made_safe(encoded(Image.new("L", size), "PNG"), "strip.png")
