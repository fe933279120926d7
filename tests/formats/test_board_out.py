"""A board written as files and read again is the same board."""

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from yellowfen.core.board.board import Board
from yellowfen.core.board.sketch import Plane, Sketch, SketchedPart, board_of
from yellowfen.formats.board_files import read_board
from yellowfen.formats.board_out import board_files

CELL_MM = 28.0
PACKAGES = [
    "0402",
    "0603",
    "1206",
    "SOIC-8",
    "TSSOP-20",
    "QFN-20_4x4",
    "QFP-48",
    "SOT-23",
    "TO-252",
    "CAN-6.3",
    "PLCC-44",
    "LED_0805",
]


@st.composite
def sketches(draw: st.DrawFn) -> Sketch:
    """Parts one to a cell, so that no two touch, turned and shifted anyhow, on both sides."""
    cells = draw(
        st.lists(
            st.tuples(st.integers(0, 4), st.integers(0, 3)), min_size=1, max_size=8, unique=True
        )
    )
    parts = tuple(
        SketchedPart(
            ref=f"U{number}",
            package=draw(st.sampled_from(PACKAGES)),
            x_mm=CELL_MM * (column + 0.5) + draw(st.floats(-0.4, 0.4)),
            y_mm=CELL_MM * (row + 0.5) + draw(st.floats(-0.4, 0.4)),
            rotation_deg=draw(st.sampled_from([0, 90, 180, 270, 45, 30])),
            side=draw(st.sampled_from(["top", "bottom"])),
            value=draw(st.sampled_from(["", "10k", 'a, "b"'])),
        )
        for number, (column, row) in enumerate(cells, 1)
    )
    return Sketch(
        name="own",
        width_mm=CELL_MM * 5,
        height_mm=CELL_MM * 4,
        thickness_mm=1.6,
        plane=draw(st.sampled_from(list(Plane))),
        parts=parts,
    )


def same(board: Board, again: Board) -> None:
    assert (again.width_mm, again.height_mm) == pytest.approx(
        (board.width_mm, board.height_mm), abs=2e-3
    )
    assert again.paste_openings == board.paste_openings
    assert again.paste_area_mm2 == pytest.approx(board.paste_area_mm2, rel=2e-3)
    by_pad = [
        {pins[one.pad] if one.pad is not None else None: one.area_mm2 for one in whole.openings}
        for whole in (board, again)
        if (pins := [(pad.ref, pad.pin) for pad in whole.pads])
    ]
    assert by_pad[1] == pytest.approx(by_pad[0], rel=2e-3)
    assert len(again.holes) == len(board.holes)
    mine = {part.ref: part for part in again.parts}
    assert set(mine) == {part.ref for part in board.parts}
    for part in board.parts:
        other = mine[part.ref]
        assert (other.value, other.side, other.package.name, other.joined) == (
            part.value,
            part.side,
            part.package.name,
            True,
        )
        assert (other.x_mm, other.y_mm, other.rotation_deg) == pytest.approx(
            (part.x_mm, part.y_mm, part.rotation_deg), abs=1e-3
        )
        lands = {land.pin: land for land in other.package.lands}
        for land in part.package.lands:
            there = lands[land.pin]
            assert (there.x_mm, there.y_mm) == pytest.approx((land.x_mm, land.y_mm), abs=0.02)
            assert sorted((there.size_x_mm, there.size_y_mm)) == pytest.approx(
                sorted((land.size_x_mm, land.size_y_mm)), abs=0.02
            )
            assert there.kind == land.kind


@settings(max_examples=15)
@given(sketches())
def test_a_sketched_board_comes_back_the_same(sketch: Sketch) -> None:
    board = board_of(sketch)
    same(board, read_board(board_files(board), "own"))


def test_the_demo_boards_parts_and_pads_come_back_the_same(demo_board: Board) -> None:
    again = read_board(board_files(demo_board), "again")
    same(demo_board, again)
    assert {(pad.ref, pad.pin): pad.net for pad in again.pads if pad.net} == {
        (pad.ref, pad.pin): pad.net for pad in demo_board.pads if pad.net
    }
