"""Changed openings and proposals: nothing else is touched, nothing gets worse, the shapes are what
they say.
"""

import math
from collections.abc import Callable
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from yellowfen.core.board.board import Board, Hole
from yellowfen.core.board.sketch import Sketch, SketchedPart, board_of
from yellowfen.core.deposit.better import (
    OpeningProposal,
    better_openings,
    home_plate,
    panes,
    state_of,
)
from yellowfen.core.deposit.changes import (
    ChangeKind,
    Frame,
    OpeningChange,
    area_mm2,
    changed,
    frame_of,
    opening_of,
    perimeter_mm,
    place_of,
    rectangle,
)
from yellowfen.core.deposit.judge import compare_foils, judge
from yellowfen.core.deposit.leadless import leadless_parts
from yellowfen.core.deposit.paste_plan import ChangeStep, standing
from yellowfen.core.metal.paste import paste_named
from yellowfen.errors import InvalidValue

LEADED = paste_named("sn63-t4")


def taken(found: tuple[OpeningProposal, ...]) -> dict[str, OpeningChange]:
    return {change.place: change for one in found for change in one.changes}


def sketched(*parts: SketchedPart, size: float = 40) -> Board:
    return board_of(Sketch(name="bench", width_mm=size, height_mm=size, parts=parts))


@given(st.floats(0.2, 3), st.floats(0.2, 3), st.floats(-180, 180), st.floats(-50, 50))
def test_a_ring_has_the_area_edge_and_frame_it_was_made_with(
    along: float, across: float, angle: float, x: float
) -> None:
    """Closed forms of a rectangle and of a home plate (a rectangle less two corners), turned and
    moved.
    """
    frame = Frame(x_mm=x, y_mm=-x / 2, along_mm=along, across_mm=across, angle_deg=angle)
    ring = frame.ring(rectangle(along, across))
    assert area_mm2(ring) == pytest.approx(along * across, rel=1e-9)
    assert perimeter_mm(ring) == pytest.approx(2 * (along + across), rel=1e-9)
    back = frame_of(opening_of("top", ring, angle, None))
    assert (back.x_mm, back.y_mm, back.along_mm, back.across_mm) == pytest.approx(
        (x, -x / 2, along, across), abs=1e-9
    )
    plate = frame.ring(home_plate(along, across))
    assert area_mm2(plate) == pytest.approx(along * across * (1 - 0.4 / 3), rel=1e-9)


@given(st.floats(1.5, 12), st.floats(1.5, 12), st.floats(0.3, 0.8))
def test_panes_cover_what_they_should_and_leave_webs(
    along: float, across: float, coverage: float
) -> None:
    rings = panes(Frame(x_mm=3, y_mm=4, along_mm=along, across_mm=across, angle_deg=30), coverage)
    assert math.fsum(area_mm2(ring) for ring in rings) == pytest.approx(
        coverage * along * across, rel=1e-9
    )
    level = Frame(x_mm=3, y_mm=4, along_mm=along, across_mm=across, angle_deg=30)
    spans = [[level.seen_from(*point) for point in ring] for ring in rings]
    assert all(abs(u) < along / 2 and abs(v) < across / 2 for ring in spans for u, v in ring)
    lefts = sorted({round(min(u for u, _ in ring), 6) for ring in spans})
    rights = sorted({round(max(u for u, _ in ring), 6) for ring in spans})
    assert all(b - a >= 0.219 for a, b in zip(rights[:-1], lefts[1:], strict=True))


def test_accepted_changes_alter_nothing_else(demo_board: Board) -> None:
    found = better_openings(demo_board, 0.15, LEADED)
    changes = taken(found[:2])
    after = changed(demo_board, changes)
    assert [one for one in after.openings if place_of(after, one) not in changes] == [
        one for one in demo_board.openings if place_of(demo_board, one) not in changes
    ]
    for kept in (
        "parts",
        "holes",
        "outline",
        "copper",
        "drawings",
        "layers",
        "thickness_mm",
        "origin",
    ):
        assert getattr(after, kept) == getattr(demo_board, kept)
    for before, now in zip(demo_board.pads, after.pads, strict=True):
        assert replace(before, paste_mm2=0) == replace(now, paste_mm2=0)
    assert sum(after.paste_area_mm2.values()) == pytest.approx(
        sum(one.area_mm2 for one in after.openings), abs=1e-3
    )
    assert changed(demo_board, {}) is demo_board
    assert (
        changed(
            demo_board,
            {"top 999.00 0.00": OpeningChange("top 999.00 0.00", ChangeKind.LEAVE_OUT, ())},
        )
        is demo_board
    )


@pytest.mark.parametrize("foil", [0.10, 0.12, 0.13, 0.15, 0.18])
def test_no_opening_is_worse_after_all_proposals(demo_board: Board, foil: float) -> None:
    before = judge(demo_board, foil, LEADED)
    after_board = changed(demo_board, taken(better_openings(demo_board, foil, LEADED)))
    after = judge(after_board, foil, LEADED)
    assert after.wrong <= before.wrong
    ranks = {place_of(demo_board, one.opening): one.rank for one in reversed(before.openings)}
    for one in after.openings:
        assert one.rank <= ranks[place_of(after_board, one.opening)] + 1e-9


def test_at_a_thick_foil_fine_pitch_is_narrowed_and_comes_right(demo_board: Board) -> None:
    """U3 (0.65 mm) is fat at 0.15 mm; narrowed by a quarter it is good.

    A second round has nothing more to say about leads.
    """
    found = {one.key: one for one in better_openings(demo_board, 0.15, LEADED)}
    one = found["U3: narrow"]
    assert len(one.pins) == 20
    assert state_of(one.before) == "excess"
    assert one.after is not None
    assert state_of(one.after) == "good"
    assert "0.39 × 1.30 mm becomes 0.29 × 1.30 mm" in one.said
    again = better_openings(changed(demo_board, taken(tuple(found.values()))), 0.15, LEADED)
    assert [other.key for other in again] == []


def test_narrowing_takes_off_across_the_row_whichever_way_the_part_lies() -> None:
    for turn, side in ((0, "top"), (90, "top"), (45, "top"), (90, "bottom"), (30, "bottom")):
        board = sketched(
            SketchedPart(
                ref="U1", package="TSSOP-20", x_mm=20, y_mm=20, rotation_deg=turn, side=side
            )
        )
        (one,) = better_openings(board, 0.15, LEADED)
        assert one.kind is ChangeKind.NARROW
        after = changed(board, taken((one,)))
        sizes = {
            tuple(sorted((round(o.size_x_mm, 2), round(o.size_y_mm, 2)))) for o in after.openings
        }
        assert {long for _, long in sizes} == {
            max(round(max(o.size_x_mm, o.size_y_mm), 2) for o in board.openings)
        }
        middles = [
            (frame_of(a), frame_of(b)) for a, b in zip(board.openings, after.openings, strict=True)
        ]
        assert all(math.hypot(a.x_mm - b.x_mm, a.y_mm - b.y_mm) < 1e-6 for a, b in middles)


def test_a_whole_thermal_pad_is_cut_into_panes_at_the_computed_or_asked_coverage() -> None:
    board = sketched(SketchedPart(ref="U1", package="QFN-20_4x4", x_mm=20, y_mm=20))
    board = whole_pad(board)
    found = {one.kind: one for one in better_openings(board, 0.12, LEADED)}
    rings = found[ChangeKind.PANES].changes[0].rings
    assert len(rings) == 4
    pad = next(pad for pad in board.pads if pad.pin == found[ChangeKind.PANES].pins[0])
    share = sum(area_mm2(ring) for ring in rings) / pad.area_mm2
    assert 0.5 <= share <= 0.8
    after = changed(board, taken((found[ChangeKind.PANES],)))
    (settled,) = leadless_parts(after, judge(after, 0.12, LEADED), LEADED)
    assert settled.well
    asked = {one.kind: one for one in better_openings(board, 0.12, LEADED, coverage=0.4)}[
        ChangeKind.PANES
    ]
    assert sum(area_mm2(ring) for ring in asked.changes[0].rings) / pad.area_mm2 == pytest.approx(
        0.4, abs=0.005
    )


def whole_pad(board: Board) -> Board:
    """The thermal pad printed in one piece."""
    pad = max(board.pads, key=lambda one: one.area_mm2)
    number = board.pads.index(pad)
    others = tuple(one for one in board.openings if one.pad != number)
    return replace(board, openings=(*others, opening_of(pad.side, pad.ring, pad.angle_deg, number)))


def shrunk(board: Board, factor: float) -> Board:
    """All openings smaller about their middles."""
    frames = [(one, frame_of(one)) for one in board.openings]
    return replace(
        board,
        openings=tuple(
            opening_of(
                one.side,
                frame.ring(rectangle(factor * frame.along_mm, factor * frame.across_mm)),
                one.angle_deg,
                one.pad,
            )
            for one, frame in frames
        ),
    )


def test_lean_openings_grow_beyond_the_toe_or_over_the_mask_but_not_into_their_neighbours() -> None:
    leads = shrunk(sketched(SketchedPart(ref="U1", package="SOIC-8", x_mm=20, y_mm=20)), 0.4)
    (longer,) = better_openings(leads, 0.10, LEADED)
    assert longer.kind is ChangeKind.LENGTHEN
    assert state_of(longer.before) == "starved"
    assert longer.after is not None
    assert state_of(longer.after) == "good"
    board = sketched(SketchedPart(ref="U1", package="TSSOP-20", x_mm=20, y_mm=20))
    (longer,) = better_openings(board, 0.04, LEADED)
    for opening, now in zip(board.openings, changed(board, taken((longer,))).openings, strict=True):
        before, after = frame_of(opening), frame_of(now)
        assert abs(after.x_mm - 20) == pytest.approx(
            abs(before.x_mm - 20) + (after.along_mm - before.along_mm) / 2, abs=1e-6
        )
        assert after.along_mm > before.along_mm
        assert after.across_mm == pytest.approx(before.across_mm)
    chips = shrunk(sketched(SketchedPart(ref="C1", package="1812", x_mm=20, y_mm=20)), 0.8)
    (larger,) = better_openings(chips, 0.12, LEADED)
    assert larger.kind is ChangeKind.OVERPRINT
    assert sum(o.area_mm2 for o in changed(chips, taken((larger,))).openings) > sum(
        o.area_mm2 for o in chips.openings
    )


def test_screws_bare_planes_and_iron_only_parts_are_left_out() -> None:
    board = sketched(
        SketchedPart(ref="J1", package="FLATCABLE-10-0.5", x_mm=20, y_mm=25),
        SketchedPart(ref="R1", package="0603", x_mm=10, y_mm=10),
    )
    screw = opening_of(
        "top",
        Frame(x_mm=5, y_mm=35, along_mm=4, across_mm=4, angle_deg=0).ring(rectangle(4, 4)),
        0.0,
        None,
    )
    plane = opening_of(
        "top",
        Frame(x_mm=33, y_mm=8, along_mm=4, across_mm=4, angle_deg=0).ring(rectangle(4, 4)),
        0.0,
        None,
    )
    small = opening_of(
        "top",
        Frame(x_mm=36, y_mm=36, along_mm=1, across_mm=1, angle_deg=0).ring(rectangle(1, 1)),
        0.0,
        None,
    )
    board = replace(
        board,
        openings=(*board.openings, screw, plane, small),
        holes=(Hole(x_mm=5, y_mm=35, drill_mm=3.2, plated=True),),
    )
    found = [
        one for one in better_openings(board, 0.12, LEADED) if one.kind is ChangeKind.LEAVE_OUT
    ]
    assert {one.ref for one in found} == {"J1", ""}
    assert any("screw" in one.said for one in found)
    assert any("iron" in one.said for one in found)
    left = changed(board, taken(tuple(found))).openings
    assert small in left
    assert screw not in left
    assert plane not in left


def turned(
    board: Board, place: Callable[[float, float], tuple[float, float]], angle: float
) -> Board:
    """All openings, pads and parts of a board moved rigidly."""
    return replace(
        board,
        openings=tuple(
            replace(one, ring=tuple(place(*p) for p in one.ring), angle_deg=one.angle_deg + angle)
            for one in board.openings
        ),
        pads=tuple(
            replace(
                pad,
                ring=tuple(place(*p) for p in pad.ring),
                x_mm=place(pad.x_mm, pad.y_mm)[0],
                y_mm=place(pad.x_mm, pad.y_mm)[1],
                angle_deg=pad.angle_deg + angle,
            )
            for pad in board.pads
        ),
        parts=tuple(
            replace(
                part,
                x_mm=place(part.x_mm, part.y_mm)[0],
                y_mm=place(part.x_mm, part.y_mm)[1],
                rotation_deg=part.rotation_deg + angle,
            )
            for part in board.parts
        ),
    )


def test_proposals_do_not_depend_on_how_the_board_lies() -> None:
    board = sketched(
        SketchedPart(ref="U1", package="TSSOP-20", x_mm=14, y_mm=14),
        SketchedPart(ref="U2", package="QFP-48", x_mm=28, y_mm=26, rotation_deg=90),
        SketchedPart(ref="C1", package="0805", x_mm=30, y_mm=10),
    )
    quarter = turned(board, lambda x, y: (40 - y, x), 90)
    for foil in (0.12, 0.15):
        here, there = better_openings(board, foil, LEADED), better_openings(quarter, foil, LEADED)
        assert {(one.key, one.said) for one in here} == {(one.key, one.said) for one in there}


def test_steps_fold_and_undo_by_leaving_the_last_out() -> None:
    a, b = (
        OpeningChange("top 1.00 1.00", ChangeKind.NARROW, ()),
        OpeningChange("top 1.00 1.00", ChangeKind.LEAVE_OUT, ()),
    )
    first, second, third = (
        ChangeStep("a", (a,)),
        ChangeStep("b", (b,)),
        ChangeStep("none", (), ("top 1.00 1.00",)),
    )
    assert standing((first, second)) == {a.place: b}
    assert standing((first, second, third)) == {}
    assert standing((first,)) == {a.place: a}


def test_absurd_changes_are_refused() -> None:
    with pytest.raises(InvalidValue, match="3 to 2000 corners"):
        OpeningChange("x", ChangeKind.NARROW, (((0, 0), (1, 1)),))
    with pytest.raises(InvalidValue, match="10 m away"):
        OpeningChange("x", ChangeKind.NARROW, (((0, 0), (1, 1), (math.nan, 0)),))


def test_the_best_foil_minds_the_pitch(demo_board: Board) -> None:
    """Common practice: 0.13 mm at most at 0.5 mm pitch, even when narrowed openings make nothing
    wrong at 0.15.
    """
    narrowed = changed(demo_board, taken(better_openings(demo_board, 0.15, LEADED)))
    compared, best = compare_foils(narrowed, LEADED)
    assert compared[-1].wrong == 0
    assert best == 0.13
