"""A stencil as files: the Gerber reads back to the same openings, cutters' drawings hold the same
areas in millimetres.
"""

import io
import math
import re
import xml.etree.ElementTree as ET
import zipfile

import ezdxf
import pytest

from tests.conftest import DATA
from yellowfen.core.board.board import Board, Role
from yellowfen.core.board.sketch import Sketch, SketchedPart, board_of
from yellowfen.core.deposit.better import better_openings
from yellowfen.core.deposit.changes import area_mm2, changed, frame_of
from yellowfen.core.deposit.fixture import fixture
from yellowfen.core.metal.paste import paste_named
from yellowfen.errors import InvalidValue
from yellowfen.formats.board_files import read_board
from yellowfen.formats.fixture_out import fixture_dxf, fixture_svg_file
from yellowfen.formats.stencil_out import stencil_drawing, stencil_dxf, stencil_gerber, stencil_svg
from yellowfen.workflows.demo import demo_files

LEADED = paste_named("sn63-t4")


@pytest.fixture(scope="module")
def better(demo_board: Board) -> Board:
    """The demo board with every proposal taken at 0.15 mm."""
    return changed(
        demo_board,
        {c.place: c for one in better_openings(demo_board, 0.15, LEADED) for c in one.changes},
    )


def unzipped(data: bytes) -> dict[str, bytes]:
    with zipfile.ZipFile(io.BytesIO(data)) as bundle:
        return {name: bundle.read(name) for name in bundle.namelist()}


def areas(board: Board, side: str) -> list[float]:
    return sorted(one.area_mm2 for one in board.openings if one.side == side)


@pytest.mark.parametrize("side", ["top", "bottom"])
def test_the_gerber_takes_the_old_layers_place_and_reads_back_to_the_same_openings(
    better: Board, side: str
) -> None:
    files = demo_files()
    old = next(name for name in files if "paste" in name and side in name)
    exported = unzipped(stencil_gerber(better, side, stencil_drawing(better, side, "demo")))
    again = read_board(
        {
            **{name: data for name, data in files.items() if name != old},
            f"paste-{side}.gbr": exported[f"paste-{side}.gbr"],
        },
        "again",
    )
    assert areas(again, side) == pytest.approx(areas(better, side), rel=1e-4, abs=1e-5)
    assert again.paste_area_mm2[side] == pytest.approx(better.paste_area_mm2[side], rel=1e-4)
    here, there = (
        sorted(
            (round(frame_of(one).x_mm, 2), round(frame_of(one).y_mm, 2))
            for one in board.openings
            if one.side == side
        )
        for board in (again, better)
    )
    assert [value for pair in here for value in pair] == pytest.approx(
        [value for pair in there for value in pair], abs=0.011
    )


def test_all_three_files_of_the_zip_are_read_with_their_parts(better: Board) -> None:
    """Frame and alignment holes beside the paste layer do not add to its area."""
    exported = unzipped(
        stencil_gerber(better, "top", stencil_drawing(better, "top", "demo top 0.15"))
    )
    assert set(exported) == {"paste-top.gbr", "frame-top.gbr", "alignment-top.drl"}
    again = read_board(
        {
            **{name: data for name, data in demo_files().items() if "paste" not in name},
            "paste-top.gbr": exported["paste-top.gbr"],
        },
        "again",
    )
    assert again.paste_area_mm2["top"] == pytest.approx(better.paste_area_mm2["top"], rel=1e-4)


def polylines(data: bytes) -> dict[str, list[list[tuple[float, float]]]]:
    """Closed lines by layer, as the second reader (ezdxf) has them; it must find nothing to
    complain of.
    """
    drawing = ezdxf.read(io.StringIO(data.decode("ascii"), newline=None))
    assert drawing.audit().errors == []
    found: dict[str, list[list[tuple[float, float]]]] = {}
    for line in drawing.modelspace().query("POLYLINE"):
        assert line.is_closed == (line.dxf.layer != "TEXT_MARK")
        found.setdefault(line.dxf.layer, []).append([(point.x, point.y) for point in line.points()])
    return found


def test_the_cutters_drawings_hold_the_same_areas_in_millimetres(better: Board) -> None:
    drawing = stencil_drawing(better, "top", "demo")
    dxf = polylines(stencil_dxf(drawing))
    assert sorted(area_mm2(tuple(ring)) for ring in dxf["OPENINGS"]) == pytest.approx(
        areas(better, "top"), rel=1e-3, abs=1e-4
    )
    assert area_mm2(tuple(dxf["FRAME"][0])) == pytest.approx(
        (better.width_mm + 50) * (better.height_mm + 50)
    )
    circles = (
        ezdxf.read(io.StringIO(stencil_dxf(drawing).decode("ascii"), newline=None))
        .modelspace()
        .query("CIRCLE")
    )
    found = sorted((one.dxf.center.x, one.dxf.center.y, 2 * one.dxf.radius) for one in circles)
    assert [value for hole in found for value in hole] == pytest.approx(
        [value for hole in sorted(drawing.holes) for value in hole]
    )
    svg = ET.fromstring(stencil_svg(drawing))
    assert svg.get("width") == f"{better.width_mm + 50:g}mm"
    cut = svg.find(".//*[@id='cut']/*")
    assert cut is not None
    rings = [
        tuple((float(x), float(y)) for x, y in re.findall(r"(-?[\d.]+),(-?[\d.]+)", piece))
        for piece in (cut.get("d") or "").split("Z")
        if piece
    ]
    assert sum(map(area_mm2, rings[:-1])) == pytest.approx(sum(areas(better, "top")), rel=1e-3)


def test_a_bottom_stencil_lies_turned_over_and_its_text_reads_unless_it_should_not() -> None:
    board = board_of(
        Sketch(
            name="x",
            width_mm=30,
            height_mm=20,
            parts=(
                SketchedPart(
                    ref="R1", package="0603", x_mm=5, y_mm=10, rotation_deg=0, side="bottom"
                ),
                SketchedPart(ref="R2", package="0603", x_mm=25, y_mm=10),
            ),
        )
    )
    below, above = stencil_drawing(board, "bottom", "L"), stencil_drawing(board, "top", "L")
    assert {round(sum(x for x, _ in ring) / len(ring) > 15) for ring in below.openings} == {1}
    assert {round(sum(x for x, _ in ring) / len(ring) > 15) for ring in above.openings} == {1}
    turned = stencil_drawing(board, "top", "L", mirrored=True)
    assert {round(sum(x for x, _ in ring) / len(ring) > 15) for ring in turned.openings} == {0}
    assert turned.text == above.text
    mirrored = stencil_drawing(board, "top", "L", text_readable=False)
    assert [30 - x for stroke in mirrored.text for x, _ in stroke] == pytest.approx(
        [x for stroke in above.text for x, _ in stroke]
    )
    with pytest.raises(InvalidValue, match="margin_mm"):
        stencil_drawing(board, "top", "L", margin_mm=float("nan"))
    with pytest.raises(InvalidValue, match="no apertures on the bottom"):
        stencil_drawing(
            board_of(
                Sketch(
                    name="y",
                    width_mm=30,
                    height_mm=20,
                    parts=(SketchedPart(ref="R2", package="0603", x_mm=25, y_mm=10),),
                )
            ),
            "bottom",
            "L",
        )


def test_the_fixtures_scraps_as_drawings(demo_board: Board) -> None:
    found = fixture(demo_board)
    rings = polylines(fixture_dxf(demo_board, found))
    assert sorted(area_mm2(tuple(ring)) for ring in rings["SCRAPS"]) == pytest.approx(
        sorted(w * h for _, (_, _, w, h) in found.scraps), rel=1e-6
    )
    assert ET.fromstring(fixture_svg_file(demo_board, found)).get("width", "").endswith("mm")


def test_a_foreign_boards_own_coordinates_are_kept() -> None:
    """A board whose files have another zero point: the exported layer takes the old one's place
    without any shift.
    """
    files = {
        path.name: path.read_bytes()
        for path in (DATA / "boards/two-sided").iterdir()
        if path.is_file()
    }
    board = read_board(files, "foreign")
    assert math.hypot(*board.origin) > 1
    old = next(layer.file for layer in board.layers if layer.role is Role.PASTE_TOP)
    layer = unzipped(stencil_gerber(board, "top", stencil_drawing(board, "top", "x")))[
        "paste-top.gbr"
    ]
    again = read_board(
        {**{name: data for name, data in files.items() if name != old}, "paste-top.gbr": layer},
        "again",
    )
    assert areas(again, "top") == pytest.approx(areas(board, "top"), rel=1e-3, abs=1e-4)
    assert again.paste_area_mm2 == pytest.approx(board.paste_area_mm2, rel=1e-4)
    assert (
        sum(one.pad is not None for one in again.openings)
        == sum(one.pad is not None for one in board.openings)
        > 60
    )
