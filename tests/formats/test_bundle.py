"""Zips as they arrive: damaged ones, and files whose numbers no board has."""

import io
import random
import warnings
import zipfile
from collections.abc import Callable

import pytest

from tests.store.written_databases import ordinary
from yellowfen.errors import YellowfenError
from yellowfen.formats.board_files import read_board
from yellowfen.formats.bundle import unpack


def _refusal(deed: Callable[[], object]) -> str:
    """The sentence with which something is refused, "" when it is done; any other error is one."""
    try:
        deed()
    except YellowfenError as told:
        return str(told)
    return ""


PACKINGS = (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED, zipfile.ZIP_BZIP2, zipfile.ZIP_LZMA)


@pytest.mark.parametrize("packing", PACKINGS)
def test_a_mutated_zip_is_read_or_refused(packing: int) -> None:
    """125 of each packing: bytes flipped, cut, doubled. Most must be found out."""
    rng, stream = random.Random(packing), io.BytesIO()
    with zipfile.ZipFile(stream, "w", packing) as archive:
        for name, data in ordinary().items():
            archive.writestr(name, data)
    refused = 0
    for _ in range(125):
        data = bytearray(stream.getvalue())
        for _ in range(rng.choice((1, 1, 2, 8))):
            data[rng.randrange(len(data))] ^= 1 << rng.randrange(8)
        if rng.random() < 0.2:
            del data[rng.randrange(len(data)) :]
        refused += _refusal(lambda data=data: unpack([("board.zip", bytes(data))])) != ""
    assert refused > 40


NUMBERS = ("1e300", "1e308", "-1e300", "1e10", "99999", "1e-300", "9" * 300, "nan")
PLACES = {
    "placement": lambda f, v: f | {"place.csv": f["place.csv"] + b"R9,1,0603,%b,%b,%b,top\n" % (v, v, v)},
    "aperture": lambda f, v: f | {"paste.gbr": f["paste.gbr"].replace(b"R,0.9X", b"R,%bX" % v)},
    "coordinate": lambda f, v: f | {"edge.gbr": f["edge.gbr"].replace(b"X20000000", b"X" + v[:40])},
    "steps": lambda f, v: f
    | {"copper.gbr": f["copper.gbr"].replace(b"%MOMM*%", b"%%MOMM*%%\n%%SRX3Y3I%bJ%b*%%" % (v, v))},
    "drill": lambda f, v: f
    | {"d.drl": b"M48\nMETRIC,TZ\nT1C%b\n%%\nT1\nX%bY1.0\nM30\n" % (v, v)},
    "small drill": lambda f, v: f
    | {"d.drl": b"M48\nMETRIC,TZ\nT1C0.3\n%%\nT1\nX1.0Y1.0G85X%bY%b\nM30\n" % (v, v)},
}  # fmt: skip


@pytest.mark.parametrize("place", PLACES)
@pytest.mark.parametrize("number", NUMBERS)
def test_a_number_that_no_board_has_is_refused_where_it_is_read(place: str, number: str) -> None:
    """Nothing overflows further in: a warning would be an error here."""
    files = PLACES[place](ordinary(), number.encode())
    with warnings.catch_warnings():
        warnings.simplefilter("error")
        if not _refusal(lambda: read_board(files, "x")):
            board = read_board(files, "x")
            assert max(abs(pad.x_mm) for pad in board.pads) < 3000
            assert all(abs(part.x_mm) <= 10_000 for part in board.parts)
