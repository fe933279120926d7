"""The board's outline: arcs, cut-outs, several pieces, lines drawn where they do not belong, no
outline at all.
"""

import math

import pytest
from shapely.geometry import Polygon

from tests.formats.gerber_text import at, gerber
from yellowfen.core.board.board import Board
from yellowfen.formats.board_files import read_board

PENS = "%ADD10R,1X1*%\n%ADD11C,0.1*%\n%ADD12C,2*%\n"
PADS = gerber("D10*\n" + "".join(at(x, 10, "D03") for x in (8, 12, 16, 20)), PENS)


def frame(x0: float, y0: float, x1: float, y1: float) -> str:
    return (
        "D11*\n"
        + at(x0, y0, "D02")
        + at(x1, y0, "D01")
        + at(x1, y1, "D01")
        + at(x0, y1, "D01")
        + at(x0, y0, "D01")
    )


def read(outline: str, **more: bytes) -> Board:
    files = {
        "x-F_Cu.gbr": PADS,
        "x-F_Mask.gbr": PADS,
        "x-F_Paste.gbr": PADS,
        **{f"x-{name}.gbr": data for name, data in more.items()},
    }
    return read_board(
        files | ({"x-Edge_Cuts.gbr": gerber(outline, PENS)} if outline else {}), "shape"
    )


def area(board: Board) -> float:
    rings = [Polygon(ring) for ring in board.outline]
    return float(rings[0].area - sum(ring.area for ring in rings[1:]))


def test_a_plain_frame_is_measured_from_the_middle_of_its_line() -> None:
    board = read(frame(2, 3, 32, 23))
    assert (board.width_mm, board.height_mm, board.origin) == (30, 20, (2, 3))
    assert min(pad.x_mm for pad in board.pads) == pytest.approx(6)


def test_round_corners_and_a_cut_out() -> None:
    corners = (
        "D11*\nG75*\nG01*\n"
        + at(4, 0, "D02")
        + at(26, 0, "D01")
        + "G03*\nX30000000Y4000000I0J4000000D01*\nG01*\n"
        + at(30, 20, "D01")
        + at(0, 20, "D01")
        + at(0, 4, "D01")
        + "G03*\nX4000000Y0I4000000J0D01*\nG01*\n"
    )
    board = read(corners + frame(24, 12, 28, 16))
    assert area(board) == pytest.approx(30 * 20 - 2 * (16 - math.pi * 4) - 16, rel=1e-3)
    assert len(board.outline) == 2


def test_lines_that_do_not_quite_meet_are_closed_and_those_that_do_not_are_boxed() -> None:
    nearly = (
        "D11*\n"
        + at(0, 0, "D02")
        + at(30, 0, "D01")
        + at(30, 20, "D01")
        + at(0, 20, "D01")
        + at(0, 0.02, "D01")
    )
    assert area(read(nearly)) == pytest.approx(600, rel=2e-3)
    open_board = read("D11*\n" + at(0, 0, "D02") + at(30, 0, "D01") + at(30, 20, "D01"))
    assert (open_board.width_mm, open_board.height_mm) == (30, 20)
    assert any("do not close" in finding.sentence for finding in open_board.findings)


def test_a_board_without_outline_takes_a_frame_from_another_layer_or_the_copper() -> None:
    framed = read("", F_SilkS=gerber(frame(0, 0, 30, 20) + "D10*\n" + at(5, 5, "D03"), PENS))
    assert (framed.width_mm, framed.height_mm) == (30, 20)
    assert any(
        "the frame drawn on legend top is used" in finding.sentence for finding in framed.findings
    )
    bare = read("")
    assert (bare.width_mm, bare.height_mm) == pytest.approx((13 + 2, 1 + 2))
    assert any("the box around the copper" in finding.sentence for finding in bare.findings)


@pytest.mark.parametrize("layer", ["F_Cu", "F_Mask", "F_Paste"])
def test_the_outline_repeated_on_another_layer_is_left_out(layer: str) -> None:
    pads = gerber(
        "D10*\n" + "".join(at(x, 10, "D03") for x in (8, 12, 16, 20)) + frame(0, 0, 30, 20), PENS
    )
    board = read(frame(0, 0, 30, 20), **{layer: pads})
    assert len(board.pads) == 4
    assert board.paste_openings["top"] == 4
    assert any("outline" in finding.sentence for finding in board.findings)
    if layer == "F_Cu":
        assert board.copper[0].area_mm2 == pytest.approx(4.0, rel=0.01)


def test_paste_beyond_the_edge_is_not_counted() -> None:
    beyond = gerber("D10*\n" + "".join(at(x, 10, "D03") for x in (8, 12, 16, 20, 44)), PENS)
    board = read(frame(0, 0, 30, 20), F_Paste=beyond)
    assert board.paste_openings["top"] == 4
    assert any("beyond the board's edge" in finding.sentence for finding in board.findings)


def test_a_mask_drawn_as_itself_is_turned_round() -> None:
    sheet = (
        "%LPD*%\nG36*\n"
        + at(0, 0, "D02")
        + at(30, 0, "D01")
        + at(30, 20, "D01")
        + at(0, 20, "D01")
        + at(0, 0, "D01")
        + "G37*\n%LPC*%\n"
    )
    holes = "D10*\n" + "".join(at(x, 10, "D03") for x in (8, 12, 16, 20)) + at(8, 5, "D03")
    board = read(frame(0, 0, 30, 20), F_Mask=gerber(sheet + holes, PENS))
    assert len(board.pads) == 4
    assert any("inverted" in finding.sentence for finding in board.findings)


@pytest.mark.parametrize(("x1", "said"), [(1.0, "1.0 x 20.0 mm"), (900.0, "900.0 x 20.0 mm")])
def test_absurd_sizes_are_refused(x1: float, said: str) -> None:
    from yellowfen.errors import UnreadableFile

    with pytest.raises(UnreadableFile, match=f"would be {said}; check the units"):
        read(frame(0, 0, x1, 20))
