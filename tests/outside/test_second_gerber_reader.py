"""Our reader against a second, independent one (gerbonara 1.5.0) where that is right: no
step-repeat, no load transforms, no turned rectangles.

Compared: the number of objects by kind and each object's own box, layer by layer, on boards that
nobody here made.
"""

import warnings
from pathlib import Path
from typing import Any

import pytest
import shapely

from tests.conftest import DATA
from yellowfen.formats.gerber.layer import Drawn
from yellowfen.formats.gerber.reader import read_gerber

LAYERS = sorted(
    path
    for path in (DATA / "boards").rglob("*")
    if path.suffix.lower() in (".gbr", ".gtl", ".gbl", ".gtp", ".gbp", ".gts", ".gbs")
)


def theirs(path: Path) -> Any:
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        from gerbonara.rs274x import GerberFile

        return list(
            GerberFile.from_string(path.read_bytes().decode("latin-1"), filename=path.name).objects
        )


def box_of(drawn: Drawn) -> tuple[float, ...]:
    return tuple(shapely.bounds(drawn.shape).tolist())


@pytest.mark.parametrize("path", LAYERS, ids=lambda path: f"{path.parent.name}/{path.name}")
def test_objects_and_boxes_agree(path: Path) -> None:
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        others = theirs(path)
        ours = read_gerber(path.read_bytes(), path.name).drawn
        flashes = [one for one in others if type(one).__name__ == "Flash"]
        lines = [one for one in others if type(one).__name__ in ("Line", "Arc")]
        mine = [one for one in ours if one.kind == "flash"]
        assert len(mine) == len(flashes)
        strokes = sum(len(one.path) - 1 for one in ours if one.kind == "stroke")
        arcs = sum(type(one).__name__ == "Arc" for one in lines)
        assert strokes == len(lines) if not arcs else strokes >= len(lines)
        for one, other in zip(mine, flashes, strict=True):
            (x0, y0), (x1, y1) = other.bounding_box("mm")
            if "ApertureMacro" in type(other.aperture).__name__ or getattr(
                other.aperture, "rotation", 0
            ):
                continue
            assert box_of(one) == pytest.approx(
                (x0, y0, x1, y1), abs=0.001 + 5e-4 * (x1 - x0 + y1 - y0)
            )  # our discs are polygons of equal area
