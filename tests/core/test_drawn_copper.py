"""Copper as drawn on fine cells: the same area as the maps', gaps between pads kept, and nothing
where the drawing is cut short.
"""

from dataclasses import replace

import numpy as np
import pytest

from yellowfen.core.board.board import Board, CopperMap, Ink
from yellowfen.core.board.drawn_copper import drawn_copper

SQUARE = "M100 100 300 100 300 300 100 300Z"  # 2 × 2 mm, anticlockwise
HOLE = "M150 150 150 250 250 250 250 150Z"  # 1 × 1 mm, clockwise


def board_with(*inks: Ink, area_mm2: float) -> Board:
    copper = CopperMap(
        layer="top",
        depth=0.0,
        thickness_um=35.0,
        cell_mm=0.5,
        coverage=((0.0,),),
        area_mm2=area_mm2,
    )
    return Board(
        name="bench",
        width_mm=4,
        height_mm=4,
        thickness_mm=1.6,
        outline=(),
        pads=(),
        holes=(),
        copper=(copper,),
        parts=(),
        layers=(),
        findings=(),
        drawings={"copper top": inks},
    )


@pytest.mark.parametrize("side", ["top", "bottom"])
def test_the_demo_boards_drawing_covers_what_its_maps_cover(demo_board: Board, side: str) -> None:
    fine = drawn_copper(demo_board, side)
    assert fine is not None
    area = next(one.area_mm2 for one in demo_board.copper if one.layer == side)
    assert fine.mean() * demo_board.width_mm * demo_board.height_mm == pytest.approx(
        area, rel=0.005
    )


def test_the_gap_between_fine_pitch_pads_is_empty_and_the_pads_are_whole(demo_board: Board) -> None:
    fine = drawn_copper(demo_board, "top")
    assert fine is not None
    cell = demo_board.width_mm / fine.shape[1]
    pads = {pad.pin: pad for pad in demo_board.pads if pad.ref == "U1"}
    one, next_one = pads["6"], pads["7"]
    assert fine[int(one.y_mm / cell), int(one.x_mm / cell)] == pytest.approx(1.0, abs=0.02)
    between = (one.y_mm + next_one.y_mm) / 2, (one.x_mm + next_one.x_mm) / 2
    assert fine[int(between[0] / cell), int(between[1] / cell)] == 0.0


def test_holes_strokes_and_clear_ink_by_hand() -> None:
    ring = Ink(SQUARE + HOLE)
    fine = drawn_copper(board_with(ring, area_mm2=3.0), "top")
    assert fine is not None
    assert np.sum(fine) * 0.05**2 == pytest.approx(3.0, rel=0.01)
    both = ring, Ink("M0 50 400 50", 0.2), Ink("M200 0 200 400", 0.5, clear=True)
    # the clear stroke takes 0.5 × (1.0 of the ring's two sides) and 0.5 × 0.2 of the stroke
    fine = drawn_copper(board_with(*both, area_mm2=3.0 - 0.5 + 0.8 - 0.1), "top")
    assert fine is not None
    assert np.sum(fine) * 0.05**2 == pytest.approx(3.2, rel=0.01)


def test_a_drawing_cut_short_is_not_used() -> None:
    whole = board_with(Ink(SQUARE), area_mm2=4.0)
    assert drawn_copper(whole, "top") is not None
    assert drawn_copper(board_with(Ink(SQUARE), area_mm2=5.0), "top") is None
    assert drawn_copper(replace(whole, drawings={}), "top") is None
