"""A sketched patch is a board: heat, triage and the rest work on it."""

import math
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from yellowfen.core.board.sketch import (
    DOUBT_SHARE,
    PLANE_SHARE,
    TRACES_SHARE,
    Plane,
    Sketch,
    SketchedPart,
    Underlay,
    board_of,
)
from yellowfen.core.heat.heat_plan import HeatPlan, usual_moves
from yellowfen.core.heat.rehearsal import QUICK, rehearse
from yellowfen.core.heat.story import all_molten_s
from yellowfen.core.work.board_scene import scene_of
from yellowfen.errors import InvalidValue


def patch(plane: Plane) -> Sketch:
    return Sketch(
        name="patch",
        width_mm=40,
        height_mm=30,
        thickness_mm=1.6,
        plane=plane,
        parts=(
            SketchedPart(ref="U1", package="SOIC-8", x_mm=20, y_mm=15),
            SketchedPart(ref="R1", package="0603", x_mm=27, y_mm=15, rotation_deg=90),
        ),
    )


def test_a_sketch_is_rehearsed_like_any_board_and_a_plane_slows_it() -> None:
    plan = HeatPlan(targets=("U1",), moves=usual_moves(("U1",)))
    molten = {}
    for plane in Plane:
        done = rehearse(scene_of(board_of(patch(plane)), plan), QUICK)
        molten[plane] = all_molten_s(done.joints_of("U1"))
    assert all(value is not None for value in molten.values())
    assert molten[Plane.NO] < molten[Plane.UNKNOWN] < molten[Plane.YES]  # type: ignore[operator]


@pytest.mark.parametrize(
    ("plane", "share"),
    [(Plane.YES, PLANE_SHARE), (Plane.NO, TRACES_SHARE), (Plane.UNKNOWN, DOUBT_SHARE)],
)
def test_the_copper_guess_is_stated(plane: Plane, share: float) -> None:
    board = board_of(patch(plane))
    below = board.copper[1]
    assert sum(map(sum, below.coverage)) * below.cell_mm**2 == pytest.approx(share * 40 * 30)
    assert board.findings[0].about == "copper"
    assert "sketched without files" in board.findings[0].sentence


@given(st.floats(0, 360), st.sampled_from(["top", "bottom"]))
def test_pads_turn_with_their_part(angle: float, side: str) -> None:
    board = board_of(
        Sketch(
            name="s",
            width_mm=40,
            height_mm=30,
            parts=(
                SketchedPart(
                    ref="U1", package="SOIC-8", x_mm=20, y_mm=15, rotation_deg=angle, side=side
                ),
            ),
        )
    )
    first = next(pad for pad in board.pads if pad.pin == "1")
    land = next(land for land in board.part("U1").package.lands if land.pin == "1")
    assert math.hypot(first.x_mm - 20, first.y_mm - 15) == pytest.approx(
        math.hypot(land.x_mm, land.y_mm), abs=1e-3
    )
    assert {pad.side for pad in board.pads} == {side}


def test_a_part_beyond_the_edge_is_told() -> None:
    board = board_of(
        Sketch(
            name="s",
            width_mm=40,
            height_mm=30,
            parts=(SketchedPart(ref="U1", package="SOIC-8", x_mm=55, y_mm=15),),
        )
    )
    assert any("U1 lie outside the patch" in finding.sentence for finding in board.findings)


@pytest.mark.parametrize(
    ("make", "said"),
    [
        (
            lambda: Sketch(name="s", width_mm=1000, height_mm=30),
            "width_mm: 1000 mm is outside 2 to 400",
        ),
        (lambda: Sketch(name=" ", width_mm=40, height_mm=30), "needs a name"),
        (lambda: Sketch(name="s", width_mm=40, height_mm=float("nan")), "height_mm"),
        (lambda: SketchedPart(ref="", package="0603", x_mm=1, y_mm=1), "needs a name"),
        (
            lambda: SketchedPart(ref="R1", package="0603", x_mm=1, y_mm=1, side="left"),
            "is not a side",
        ),
        (lambda: Underlay(mm_per_px=0), "mm_per_px"),
        (
            lambda: Sketch(
                name="s",
                width_mm=40,
                height_mm=30,
                parts=(
                    SketchedPart(ref="R1", package="0603", x_mm=1, y_mm=1),
                    SketchedPart(ref="R1", package="0402", x_mm=5, y_mm=5),
                ),
            ),
            "R1 appears twice",
        ),
        (
            lambda: board_of(
                Sketch(
                    name="s",
                    width_mm=40,
                    height_mm=30,
                    parts=(SketchedPart(ref="R1", package="WHATSIT", x_mm=1, y_mm=1),),
                )
            ),
            "no package with lands is known as 'WHATSIT'",
        ),
    ],
)
def test_absurd_sketches_are_refused(make, said: str) -> None:  # type: ignore[no-untyped-def]
    with pytest.raises(InvalidValue, match=said):
        make()


def test_nets_are_written_a_line_each_and_what_cannot_be_read_is_told() -> None:
    lines = ("U1.3 r1.2 GND", "vcc: U1.8, R1.1", "u1.1 U1.2", "", "U9.1 U1.40 sense")
    bad = ("U1.3 vcc", "GND", "one two U1.4")
    board = board_of(replace(patch(Plane.NO), nets=lines + bad))
    nets = {(pad.ref, pad.pin): pad.net for pad in board.pads if pad.net}
    assert nets == {
        ("U1", "3"): "GND",
        ("R1", "2"): "GND",
        ("U1", "8"): "vcc",
        ("R1", "1"): "vcc",
        ("U1", "1"): "u1.1",
        ("U1", "2"): "u1.1",
    }
    said = " / ".join(one.sentence for one in board.findings)
    for told in (
        "4 nets as you entered them",
        "line 5: there is no part U9 here",
        "line 5: U1 has no pin 40",
        "line 6: U1.3 is on GND already",
        "line 7: write pins and one name",
        "line 8: write pins and one name",
    ):
        assert told in said


@given(st.lists(st.text(max_size=40), max_size=6))
def test_any_text_for_nets_is_read_or_told(lines: list[str]) -> None:
    board = board_of(replace(patch(Plane.NO), nets=tuple(lines)))
    assert len(board.pads) == 10
    nets = {pad.net for pad in board.pads if pad.net}
    assert len(nets) <= len(lines)
