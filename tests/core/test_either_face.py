"""Heat from either face: a board turned over is the mirrored board, and no face is heated silently."""

from dataclasses import replace

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from tests.conftest import DATA, files_in
from yellowfen.core.board.board import Board, BoardPart, CopperMap, Ink
from yellowfen.core.board.copper_links import unpacked
from yellowfen.core.heat.heat_plan import USUAL_AIR, HeatPlan, SourceKind
from yellowfen.core.heat.rehearsal import COARSE, Rehearsal, rehearse
from yellowfen.core.heat.scene import Deed, Move, Underside
from yellowfen.core.work.board_scene import scene_of
from yellowfen.errors import InvalidValue
from yellowfen.formats.board_files import read_board

OTHER = {"top": "bottom", "bottom": "top"}


def mirrored(board: Board) -> Board:
    """Another board: everything exchanged between the faces and mirrored in x, as if it had been
    drawn so.
    """
    width = board.width_mm

    def part(one: BoardPart) -> BoardPart:
        return replace(one, x_mm=width - one.x_mm, side=OTHER[one.side])

    def copper(one: CopperMap) -> CopperMap:
        rows = tuple(tuple(reversed(row)) for row in one.coverage)
        links = one.links and unpacked(one.links, len(rows), len(rows[0])).mirrored().packed()
        return replace(one, depth=1.0 - one.depth, coverage=rows, links=links)

    def drawn(inks: tuple[Ink, ...]) -> tuple[Ink, ...]:
        return tuple(
            replace(ink, path="".join(ring(text) for text in ink.path.split("M")[1:]))
            for ink in inks
        )

    def ring(text: str) -> str:
        """Its points mirrored and in reverse, so that a hole still turns the other way."""
        bare = text.removesuffix("Z").removesuffix("h0")
        numbers = [int(word) for word in bare.split()]
        places = [
            f"{round(100 * width) - x} {y}"
            for x, y in zip(numbers[::2], numbers[1::2], strict=True)
        ]
        return f"M{' '.join(reversed(places))}{text[len(bare) :]}"

    drawings = {
        f"copper {OTHER[side]}": drawn(board.drawings[f"copper {side}"])
        for side in OTHER
        if f"copper {side}" in board.drawings
    }
    return replace(
        board,
        parts=tuple(part(one) for one in board.parts),
        pads=tuple(replace(pad, side=OTHER[pad.side]) for pad in board.pads),
        copper=tuple(copper(one) for one in board.copper),
        holes=tuple(replace(hole, x_mm=width - hole.x_mm) for hole in board.holes),
        outline=tuple(tuple((width - x, y) for x, y in loop) for loop in board.outline),
        drawings={**board.drawings, **drawings},
    )


@pytest.fixture(scope="module")
def all_boards(demo_board: Board) -> list[tuple[Board, Board]]:
    """Each with its mirror."""
    boards = [
        demo_board,
        read_board(files_in(DATA / "boards/two-sided"), "two-sided"),
        read_board(files_in(DATA / "boards/regions"), "regions"),
    ]
    return [(board, mirrored(board)) for board in boards]


def heated(board: Board, ref: str, side: str, kind: int, tall: float) -> Rehearsal:
    moves = (
        Move(deed=Deed.WARM, seconds=10.0, over=(ref,), height_mm=40.0, circle_mm=5.0),
        Move(deed=Deed.CLOSE, seconds=35.0, over=(ref,), height_mm=tall, circle_mm=3.0),
    )
    plan = HeatPlan(targets=(ref,), side=side, moves=moves, air=replace(USUAL_AIR, outlet_c=380.0))
    if kind:
        plate = (Move(deed=Deed.PLATE, seconds=60.0),)
        plan = replace(plan, source=SourceKind.PLATE, moves=plate, underside=Underside.INSULATING)
    return rehearse(scene_of(board, plan), replace(COARSE, nozzle_step_mm=3.0))


@settings(max_examples=14, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    which=st.integers(0, 2),
    pick=st.integers(0, 10**6),
    kind=st.integers(0, 1),
    tall=st.floats(8.0, 25.0),
)
def test_a_part_underneath_heated_from_below_is_the_mirrored_board_heated_from_above(
    all_boards: list[tuple[Board, Board]], which: int, pick: int, kind: int, tall: float
) -> None:
    board, other = all_boards[which]
    usable = [part for part in board.parts if part.joined and part.package.lands]
    part = usable[pick % len(usable)]
    here = heated(board, part.ref, part.side, kind, tall)
    there = heated(other, part.ref, OTHER[part.side], kind, tall)
    assert {part.side, OTHER[part.side]} == {"top", "bottom"}
    for a, b in zip(here.joints, there.joints, strict=True):
        assert (a.ref, a.pin) == (b.ref, b.pin)
        assert a.peak_c == pytest.approx(b.peak_c, abs=0.5)
        if a.melt_end_s is not None and b.melt_end_s is not None:
            assert a.melt_end_s == pytest.approx(b.melt_end_s, rel=0.01, abs=0.05)
    for one, two in zip(here.parts, there.parts, strict=True):
        assert one.body_peak_c == pytest.approx(two.body_peak_c, abs=0.5)


def test_a_part_of_the_face_below_is_refused_and_said(demo_board: Board) -> None:
    below = next(part.ref for part in demo_board.parts if part.side == "bottom")
    with pytest.raises(InvalidValue, match=f"{below} is on the bottom"):
        scene_of(demo_board, HeatPlan(targets=(below,)))
    with pytest.raises(InvalidValue, match="U4 is on the top"):
        scene_of(demo_board, HeatPlan(targets=("U4",), side="bottom"))
    with pytest.raises(InvalidValue, match="its top or its bottom up"):
        HeatPlan(side="left")


def test_what_is_underneath_of_the_turned_board_may_fall_and_the_nozzle_is_where_it_is_seen(
    demo_board: Board,
) -> None:
    below = next(part for part in demo_board.parts if part.side == "bottom")
    scene = scene_of(demo_board, HeatPlan(targets=(below.ref,), side="bottom"))
    assert scene.part(below.ref).side == "top"
    assert scene.part("U4").side == "bottom"
    assert scene.part(below.ref).x_mm == pytest.approx(demo_board.width_mm - below.x_mm)
    depths = {foil.layer: foil.depth for foil in scene.board.copper}
    assert depths["bottom"] == 0.0
    assert depths["top"] == 1.0
    top = next(foil for foil in demo_board.copper if foil.layer == "top")
    turned = next(foil for foil in scene.board.copper if foil.layer == "top")
    assert np.array_equal(np.array(top.coverage)[:, ::-1], np.asarray(turned.coverage))


def test_a_face_that_is_still_bare_has_nothing_underneath(demo_board: Board) -> None:
    """The first side of a build on a plate: it lies flat and flows; with the second side beneath it
    stands off.
    """
    below = tuple(part.ref for part in demo_board.parts if part.side == "bottom")[:3]
    moves = (Move(deed=Deed.PLATE, seconds=150.0),)
    plan = HeatPlan(targets=below, side="bottom", source=SourceKind.PLATE, moves=moves)
    bare, full = (scene_of(demo_board, replace(plan, bare_below=bare)) for bare in (True, False))
    assert {part.side for part in bare.parts} == {"top"}
    assert len(bare.parts) < len(full.parts)
    hot, cool = (
        min(joint.peak_c for joint in rehearse(scene, COARSE).joints if joint.ref in below)
        for scene in (bare, full)
    )
    assert hot > cool + 20
