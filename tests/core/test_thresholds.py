"""Thresholds and second branches, each held by what it does on both of its sides (never by a copy of
its number).
"""

import math
from dataclasses import replace

import pytest

from tests.conftest import small_scene
from tests.core.test_ready import BUILD, board_of
from yellowfen.core.board.board import Board, BoardPart, Hole, Opening
from yellowfen.core.deposit.better import better_openings
from yellowfen.core.deposit.judge import judge
from yellowfen.core.heat import kernel_tables as k
from yellowfen.core.heat.outcome import harms, watch
from yellowfen.core.heat.rehearsal import (
    COARSE,
    advance,
    first_state,
    prepare,
    rehearse,
    state_fault,
)
from yellowfen.core.heat.scene import Deed, Move
from yellowfen.core.heat.story import (
    EventKind,
    all_molten_s,
    push_share,
    ramp_k_s,
    rises_fast,
    tell,
)
from yellowfen.core.heat.tour_walk import Walk
from yellowfen.core.look.acceptance import Criterion, Shape, _lead, criteria, remembered
from yellowfen.core.look.risk import Known, PartFacts, judged
from yellowfen.core.look.values import volts_of
from yellowfen.core.metal.lot import Lot
from yellowfen.core.metal.paste import paste_named
from yellowfen.core.part.catalogue import package_named
from yellowfen.core.rework.plate_salvage import Waiting, harvest
from yellowfen.core.work.kit import kit
from yellowfen.core.work.schedule import bake_h, tasks_of
from yellowfen.core.work.triage import Flag, FlagKind, Triaged, box_of, triage
from yellowfen.core.work.two_sides import two_sides


def limits(package: str, pin: str, grade: int) -> dict[str, Criterion]:
    return {each.name: each for each in criteria(package_named(package), pin, grade)}


def test_the_heel_of_the_strictest_class_is_filled_to_the_top_of_the_lead() -> None:
    """Class 2 half of the lead's thickness, class 3 all of it, above the solder under the foot;
    class 1 asks for wetting only [published: joint acceptance classes, as remembered].
    """
    two, three = limits("SOIC-8", "1", 2), limits("SOIC-8", "1", 3)
    assert "heel fillet height" not in limits("SOIC-8", "1", 1)
    rise = three["heel fillet height"].limit_mm - two["heel fillet height"].limit_mm
    assert 0.05 < rise < 0.2  # half of a lead of 0.1 to 0.4 mm
    under = two["heel fillet height"].limit_mm - rise
    assert 0 <= under < 0.1


@pytest.mark.parametrize(
    ("foot", "length"),
    [(0.5, 0.5), (0.59, 0.59), (0.61, 0.6), (0.79, 0.6), (0.81, 0.6075), (2.0, 1.5)],
)
def test_how_long_a_lead_is_wetted_along_its_side(foot: float, length: float) -> None:
    """A lead 0.2 mm wide: the whole of a foot under three widths, else three widths, of a long foot
    three quarters.
    """
    shape = Shape(land_wide=0.3, land_long=2.0, lead_wide=0.2, lead_thick=0.15, foot=foot)
    found = {each.name: each for each in _lead(shape, 2, remembered(2))}
    assert found["side joint length"].limit_mm == pytest.approx(length)


def test_more_parts_are_heated_twice_before_a_lens_is() -> None:
    """Nothing would fall: the side with the lens is heated once, though it has fewer parts."""
    lens = board_of("LED_0603", "0603")
    five = replace(
        lens,
        parts=(
            *lens.parts,
            *(
                BoardPart(
                    ref=f"B{n}",
                    value="",
                    footprint="0603",
                    x_mm=10.0 + 5 * n,
                    y_mm=20.0,
                    rotation_deg=0.0,
                    side="bottom",
                    package=package_named("0603"),
                    joined=True,
                )
                for n in range(5)
            ),
        ),
    )
    sides = two_sides(five)
    assert (sides.first, sides.second) == ("bottom", "top")
    assert any("heat-sensitive" in why for why in sides.why)


def test_a_part_that_stays_solid_ends_the_salvage_at_its_limit() -> None:
    """What never melts cannot be lifted the plate, and cooks there all the same."""
    waiting = [Waiting(ref=f"D{n}", liquid_s=20.0, limit_s=None) for n in range(6)]
    alone = harvest(waiting, part_s=5.0)
    assert len(alone.lifted) == 6
    beside = harvest([*waiting, Waiting(ref="J1", liquid_s=None, limit_s=36.0)], part_s=5.0)
    assert [each.ref for each in beside.lifted] == ["D0", "D1", "D2"]
    assert beside.ends_s == 36.0
    assert "J1" in beside.ends_by


def test_spares_by_size_and_number() -> None:
    """0402 fly off: two at least, a fifth of many; 0603 one at least, a tenth of many; a chip with
    many leads none.
    """
    tiny, small, many = (board_of(name, name) for name in ("0402", "0603", "SOIC-16"))
    assert [kit(tiny, boards)[0].spares for boards in (1, 5, 6, 50)] == [2, 2, 3, 20]
    assert [kit(small, boards)[0].spares for boards in (1, 5, 6, 50)] == [1, 1, 2, 10]
    assert kit(many, 50)[0].spares == 0


@pytest.mark.parametrize(("share", "bad"), [(0.001, False), (0.01, True), (0.1, True)])
def test_heat_that_goes_missing_is_told_from_half_a_percent(share: float, bad: bool) -> None:
    """A run that lost a share of what was put in: a tenth of a percent is rounding, one is not."""
    scene = small_scene(outlet_c=380.0)
    ready = prepare(scene, COARSE)
    state = first_state(ready, ready.drive(scene))
    advance(ready, state, ready.drive(scene))
    assert not state_fault(ready, state)
    state.energy[k.E_LOST] += math.copysign(share, 1.0) * float(state.energy[k.E_JET])
    assert bool(state_fault(ready, state)) == bad


def test_a_joint_is_riskier_liquid_too_short_or_too_long() -> None:
    """A fine reflow keeps a joint liquid some half to one and a half minutes [common practice]."""
    part = board_of("0603").parts[0]

    def told(liquid_s: float | None) -> tuple[float, str]:
        joint = judged(part, PartFacts(odds=0.05, liquid_s=liquid_s))[0]
        return joint.chance, ", ".join(joint.why)

    usual, _ = told(None)
    for good in (20.0, 60.0, 85.0):
        assert told(good) == (usual, "")
    for bad in (2.0, 100.0, 200.0):
        chance, why = told(bad)
        assert chance > 1.2 * usual
        assert f"{bad:.0f} s molten" in why


def test_a_joint_is_told_lean_or_fat_where_it_may_well_be() -> None:
    part = board_of("0603").parts[0]

    def why(solder_mm3: float) -> str:
        known = Known(solder_mm3=solder_mm3, least_mm3=0.1, most_mm3=0.4)
        facts = PartFacts(odds=0.05, joints={part.package.lands[0].pin: known})
        return ", ".join(judged(part, facts)[0].why)

    assert why(0.2) == ""
    assert why(0.1).startswith("solder 1.0 of the least")
    assert why(0.11).startswith("solder 1.1 of the least")
    assert why(0.4).startswith("solder 1.0 of the most")
    assert why(0.16) == why(0.25) == ""


def test_touch_ups_are_a_task_where_any_are_expected() -> None:
    """However few minutes they take; and none where none are."""

    def tasks(mend_min: float) -> list[str]:
        return [task.key for task in tasks_of(replace(BUILD, mend_min=mend_min))]

    assert "mend" not in tasks(0.0)
    assert "mend" in tasks(0.5)
    assert "mend" in tasks(20.0)


def test_a_body_over_seventeen_millimetres_bakes_four_days() -> None:
    """Class 3, 1 mm thick [published: J-STD-033, as remembered]: 96 h from 17 × 17 mm on."""
    small, large = bake_h("3", 1.0, 16.9), bake_h("3", 1.0, 17.1)
    assert small is not None
    assert small < 30
    assert large == 96


def test_small_things_add_up_to_a_part_to_mind() -> None:
    """One light flag is easy, three of them are not; a heavy one is hard alone."""

    def grade(*weights: float) -> str:
        flags = tuple(
            Flag(kind=FlagKind.ROOM, word="", sentence="", weight=weight) for weight in weights
        )
        part = board_of("0603").parts[0]
        return Triaged(
            part=part, flags=flags, mass_mg=1.0, pitch_mm=None, nearest="", nearest_mm=None
        ).grade

    assert grade() == grade(1.0) == grade(1.0, 1.0) == "easy"
    assert grade(1.0, 1.0, 1.0) == grade(2.0) == "mind"
    assert grade(2.0, 2.0, 2.5) == grade(3.0) == "hard"


@pytest.mark.parametrize(("gap", "tight"), [(0.6, True), (1.2, False)])
def test_tweezers_want_the_better_part_of_a_millimetre(gap: float, tight: bool) -> None:
    """A part hemmed in on all four sides."""
    one = board_of("0603")
    (part,) = one.parts
    here = box_of(part)
    wide, high = here.x1 - here.x0, here.y1 - here.y0
    around = [(wide + gap, 0.0), (-wide - gap, 0.0), (0.0, high + gap), (0.0, -high - gap)]
    crowd = tuple(
        replace(part, ref=f"N{n}", x_mm=part.x_mm + dx, y_mm=part.y_mm + dy)
        for n, (dx, dy) in enumerate(around)
    )
    judged_parts = triage(replace(one, parts=(part, *crowd)))
    mine = next(each for each in judged_parts if each.part.ref == part.ref)
    assert any(flag.kind is FlagKind.ROOM for flag in mine.flags) == tight


@pytest.mark.parametrize(("drill", "left_out"), [(0.4, False), (3.2, True)])
def test_paste_round_a_screw_is_left_out(drill: float, left_out: bool) -> None:
    """A via in a bare pad is no screw's hole."""
    board = board_of("0603")
    ring = ((30.0, 30.0), (34.0, 30.0), (34.0, 34.0), (30.0, 34.0))
    opening = Opening(
        side="top",
        ring=ring,
        area_mm2=16.0,
        perimeter_mm=16.0,
        size_x_mm=4.0,
        size_y_mm=4.0,
        angle_deg=0.0,
    )
    hole = Hole(x_mm=32.0, y_mm=32.0, drill_mm=drill, plated=True)
    board = replace(board, openings=(opening,), holes=(hole,))
    found = better_openings(board, 0.12, paste_named("sn63-t4"))
    assert any("screw" in proposal.said for proposal in found) == left_out


def test_flux_that_is_warm_for_minutes_leaves_a_crust() -> None:
    """Activators are spent after two to three minutes of warmth [common practice]."""
    base = small_scene(outlet_c=380.0)
    ref = base.targets[0]

    def crusted(warm_s: float) -> bool:
        warm = Move(deed=Deed.HOLD, seconds=warm_s, over=(ref,), height_mm=30.0)
        close = Move(deed=Deed.HOLD, seconds=60.0, over=(ref,), height_mm=8.0)
        scene = replace(
            base,
            source=replace(base.source, outlet_c=240.0),
            moves=(warm, close, Move(deed=Deed.WITHDRAW, seconds=10.0)),
        )
        seen = rehearse(scene, COARSE)
        return any(event.kind is EventKind.CRUST for event in tell(scene, seen))

    assert [crusted(warm_s) for warm_s in (20.0, 110.0, 230.0, 400.0)] == [False, False, True, True]


def test_an_opening_bridges_where_its_gap_holds_all_that_it_takes(demo_board: Board) -> None:
    """Half of that is to be minded, no more; more of it bridges."""
    found = judge(demo_board, 0.12, paste_named("sn63-t4"))

    def bridging(share: float) -> int:
        return replace(found, openings=(replace(found.openings[0], bridge=share),)).bridging

    assert [bridging(share) for share in (0.0, 0.55, 0.9, 1.05, 2.0)] == [0, 0, 0, 1, 1]


def test_air_that_pushes_as_much_as_the_solder_holds_is_told() -> None:
    """More air pushes more; told from where it is as strong as the pull of the molten joints."""
    base = small_scene(outlet_c=380.0)
    told = []
    for flow in (26.0, 48.0):
        scene = replace(base, source=replace(base.source, flow_lpm=flow, nozzle_mm=4.0))
        seen = rehearse(scene, COARSE)
        loose = all_molten_s(seen.joints_of("R1"))
        assert loose is not None
        share = push_share(scene, scene.part("R1"), loose)
        events = tell(scene, seen)
        told.append((share, any(event.kind is EventKind.PUSHED for event in events)))
    (weak, calm), (strong, pushed) = told
    assert 0.4 < weak < 0.9
    assert 1.5 < strong < 4.0
    assert (calm, pushed) == (False, True)


def test_solder_that_is_liquid_for_more_than_a_minute_and_a_half_is_harm() -> None:
    """Profiles ask for 30 to 90 s above the melting point [common practice]."""
    base = small_scene(outlet_c=360.0)
    ref = base.targets[0]

    def harmed(seconds: float) -> bool:
        hold = Move(deed=Deed.HOLD, seconds=seconds, over=(ref,), height_mm=25.0)
        scene = replace(
            base,
            source=replace(base.source, outlet_c=270.0),
            moves=(hold, Move(deed=Deed.WITHDRAW, seconds=60.0)),
        )
        ready = prepare(scene, COARSE)
        state = first_state(ready, ready.drive(scene))
        advance(ready, state, ready.drive(scene))
        liquid_s = state.joint_record[:, k.R_ABOVE].max()
        told = any(harm.too_long for harm in harms(watch(ready), state))
        assert 20 < liquid_s < 85 or 95 < liquid_s < 170
        return told

    assert [harmed(seconds) for seconds in (90.0, 170.0)] == [False, True]


def test_a_ceramic_that_heats_faster_than_hot_air_practice_is_told() -> None:
    """Ceramics crack where they rise by more than some 4 K/s in an oven; a hand with hot air is
    allowed somewhat more, and no multiple of it [common practice].
    """
    base = small_scene(outlet_c=300.0)
    part = replace(base.part("R1"), ref="C1", package=package_named("0805"))
    parts = tuple(part if each.ref == "R1" else each for each in base.parts)

    def told(outlet_c: float, height_mm: float) -> tuple[float, bool]:
        scene = replace(
            base,
            parts=parts,
            targets=("C1",),
            source=replace(base.source, outlet_c=outlet_c),
            moves=(
                Move(deed=Deed.HOLD, seconds=40.0, over=("C1",), height_mm=height_mm),
                Move(deed=Deed.WITHDRAW, seconds=10.0),
            ),
        )
        seen = rehearse(scene, COARSE)
        return ramp_k_s(seen, "C1"), bool(rises_fast(scene, seen))

    slow, fast = told(150.0, 60.0), told(200.0, 40.0)
    assert 1 < slow[0] < 6 < fast[0] < 20
    assert (slow[1], fast[1]) == (False, True)


def test_a_paste_is_named_two_weeks_before_its_date() -> None:
    day = 86400.0

    def said(days: float) -> str:
        lot = Lot(
            id=1,
            name="Syringe",
            paste=paste_named("sn63-t4"),
            container="syringe",
            grams=35.0,
            bought_s=0.0,
            expires_s=100 * day,
        )
        return " ".join(lot.findings((100 - days) * day))

    assert "date" not in said(20)
    assert "expires in 10 days" in said(10)
    assert "Expired 3 days" in said(-3)


def test_a_rail_of_more_than_any_board_of_ours_carries_is_no_rail() -> None:
    assert volts_of("+48V") == 48
    assert volts_of("60V") == 60
    assert volts_of("75V") is None


def test_a_tour_pays_for_every_kelvin_near_a_limit_and_every_second_liquid() -> None:
    """A body far from its limit and solder liquid for a short time cost nothing."""

    def cost(margin_k: float, liquid_s: float) -> float:
        return Walk(
            moves=(),
            flows_s={"R1": 10.0},
            cold=(),
            margins_k={"R1": margin_k},
            liquid_s={"R1": liquid_s},
            again=(),
            last={},
        ).cost_s()

    assert cost(40.0, 20.0) == cost(90.0, 40.0) == 0
    assert 0 < cost(25.0, 20.0) < cost(15.0, 20.0) < cost(5.0, 20.0) < cost(-5.0, 20.0)
    assert 0 < cost(40.0, 60.0) < cost(40.0, 85.0)
