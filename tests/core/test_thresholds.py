"""Thresholds and second branches, each held by what it does on both of its sides (never by a copy of
its number).
"""

import math
from dataclasses import replace

import pytest

from tests.conftest import small_scene
from tests.core.test_ready import board_of
from yellowfen.core.board.board import BoardPart
from yellowfen.core.heat import kernel_tables as k
from yellowfen.core.heat.rehearsal import COARSE, advance, first_state, prepare, state_fault
from yellowfen.core.look.acceptance import Criterion, Shape, _lead, criteria, remembered
from yellowfen.core.look.risk import Known, PartFacts, judged
from yellowfen.core.part.catalogue import package_named
from yellowfen.core.rework.plate_salvage import Waiting, harvest
from yellowfen.core.work.kit import kit
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
    assert any("shy of heat" in why for why in sides.why)


def test_a_part_that_stays_solid_ends_the_salvage_at_its_limit() -> None:
    """What never melts cannot be lifted off the plate, and cooks there all the same."""
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
        assert f"{bad:.0f} s liquid" in why


def test_a_joint_is_told_lean_or_fat_where_it_may_well_be() -> None:
    part = board_of("0603").parts[0]

    def why(solder_mm3: float) -> str:
        known = Known(solder_mm3=solder_mm3, lean_mm3=0.1, fat_mm3=0.4)
        facts = PartFacts(odds=0.05, joints={part.package.lands[0].pin: known})
        return ", ".join(judged(part, facts)[0].why)

    assert why(0.2) == ""
    assert why(0.1).startswith("solder 1.0 of the least")
    assert why(0.11).startswith("solder 1.1 of the least")
    assert why(0.4).startswith("solder 1.0 of the most")
    assert why(0.16) == why(0.25) == ""
