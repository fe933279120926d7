"""Mending: criteria in millimetres, causes by their figures, amounts in closed form, touches
against the heat model run whole.
"""

import math

import pytest

from yellowfen.core.heat.pad_copper import Tie
from yellowfen.core.heat.source import Iron
from yellowfen.core.look.acceptance import criteria
from yellowfen.core.look.mend import Fault, causes, mend, nearest_gap_mm, steps_for
from yellowfen.core.look.risk import Known
from yellowfen.core.look.touches import body_peak_k, touches_at
from yellowfen.core.metal.alloy import alloy_named
from yellowfen.core.part.catalogue import package_named
from yellowfen.core.rework.pads import longest_dwell_s
from yellowfen.core.work.job import Verdict
from yellowfen.errors import InvalidValue

from .test_rework_practice import alone

ALLOY = alloy_named("Sn63Pb37")
IRON = Iron(tip_mm=1.6, set_c=340.0)


def fault(verdict: Verdict, solder: float | None = None, **changes: object) -> Fault:
    known = Known(
        solder_mm3=solder, least_mm3=0.08, most_mm3=0.12, tie=str(changes.pop("tie", "signal"))
    )
    return Fault(ref="U1", pin="1", verdict=verdict, known=known, **changes)  # type: ignore[arg-type]


# From memory of IPC-A-610: share of the narrower width that may overhang sideways, share that the
# end joint must span, per class.
@pytest.mark.parametrize(
    ("name", "pin", "side", "end"),
    [
        ("0805", "1", (0.50, 0.50, 0.25), (0.50, 0.50, 0.75)),
        ("LQFP-48", "1", (0.50, 0.50, 0.25), (0.50, 0.50, 0.75)),
        ("QFN-20", "1", (0.50, 0.25, 0.25), (0.50, 0.75, 0.75)),
    ],
)
def test_criteria_are_the_remembered_shares_of_the_joint_itself(
    name: str, pin: str, side: tuple[float, ...], end: tuple[float, ...]
) -> None:
    package = package_named(name)
    limits = []
    for grade in (1, 2, 3):
        found = {one.name: one for one in criteria(package, pin, grade)}
        over, joint = found["side overhang"], found["end joint width"]
        width = over.limit_mm / side[grade - 1]
        assert 0.1 < width < 2.0
        assert joint.limit_mm == pytest.approx(end[grade - 1] * width)
        assert over.meets(over.limit_mm)
        assert not over.meets(1.01 * over.limit_mm)
        assert joint.meets(1.01 * joint.limit_mm)
        assert not joint.meets(0.99 * joint.limit_mm)
        limits.append((-over.limit_mm, joint.limit_mm))
    assert limits == sorted(limits)  # never laxer in a higher class


def test_what_no_eye_sees_has_no_criteria_and_a_wrong_pin_is_told() -> None:
    package = package_named("QFN-20")
    assert criteria(package, "21") == ()
    with pytest.raises(InvalidValue, match="no pin '99'"):
        criteria(package, "99")
    with pytest.raises(InvalidValue, match="class"):
        criteria(package, "1", 4)


def test_the_cause_with_the_worst_figure_stands_first() -> None:
    fat = causes(fault(Verdict.BRIDGE, 0.19, gap_mm=0.24, liquid_s=20.0))
    assert fat[0].says == "too much solder"
    assert fat[0].figure == "1.9 times what the joint needs"
    long = causes(fault(Verdict.BRIDGE, 0.10, gap_mm=0.60, liquid_s=110.0))
    assert long[0].figure == "molten for 110 s"
    narrow = causes(fault(Verdict.BRIDGE, 0.10, gap_mm=0.13, liquid_s=10.0))
    assert narrow[0].figure == "gap 0.13 mm"
    cold = causes(fault(Verdict.OPEN, 0.10, tie="plane", liquid_s=0.4))
    assert cold[0].figure == "its pin is connected to a plane, molten for 0.4 s only"
    starved = causes(fault(Verdict.OPEN, 0.02, liquid_s=10.0))
    assert starved[0].says == "too little solder"
    assert [one.likely for one in (fat[0], long[0], narrow[0], cold[0], starved[0])] == [True] * 5
    enough = causes(fault(Verdict.STARVED, 0.11))  # more than it wants is no reason to be lean
    assert not any(one.likely for one in enough)
    assert all("times what" not in one.figure for one in enough)
    assert causes(fault(Verdict.GOOD)) == ()
    for verdict in Verdict:
        if verdict is not Verdict.GOOD:
            found = causes(fault(verdict))
            assert found
            assert [one.weight for one in found] == sorted(
                (one.weight for one in found), reverse=True
            )
            assert steps_for(verdict)


def test_amounts_are_what_is_there_against_what_is_wanted() -> None:
    off = mend(fault(Verdict.BRIDGE, 0.25), ALLOY)
    assert off.off_mm3 == pytest.approx(0.15)  # 0.25 there, 0.10 is the middle of 0.08 to 0.12
    assert off.wick_mm == pytest.approx(0.15 / (0.22 * 2.0))
    assert off.wire_mm == 0.0
    on = mend(fault(Verdict.STARVED, 0.04), ALLOY)
    assert on.off_mm3 == pytest.approx(-0.06)
    # flux-cored wire of 0.5 mm holds less solder than its cylinder, never less than 0.8 of it
    bare = 0.06 / (math.pi * 0.25**2)
    assert bare < on.wire_mm < bare / 0.8
    assert mend(fault(Verdict.STARVED, 0.02), ALLOY).wire_mm > on.wire_mm
    assert mend(fault(Verdict.SKEWED, 0.04), ALLOY).amounts == ""
    assert "3 heats" in mend(fault(Verdict.OPEN, 0.04, heats=3), ALLOY).stop


def test_gaps_are_those_of_the_lands() -> None:
    package = package_named("LQFP-48")
    land = next(one for one in package.lands if one.pin == "2")
    width = min(land.size_x_mm, land.size_y_mm)
    assert nearest_gap_mm(package, "2") == pytest.approx(0.5 - width, abs=1e-6)
    assert nearest_gap_mm(package, "none") is None


@pytest.mark.parametrize(
    ("name", "pin", "tie"),
    [("SO-8", "2", Tie.SIGNAL), ("LQFP-48", "5", Tie.PLANE), ("0603", "1", Tie.PLANE)],
)
def test_touches_agree_with_the_fine_model_run_whole(name: str, pin: str, tie: Tie) -> None:
    scene = alone(name)
    found = touches_at(scene, IRON, "U1", pin, tie)
    assert found.touch_s is not None
    assert found.pause_s is not None
    assert found.touches == 3
    assert found.melts_s is not None
    assert found.melts_s < found.touch_s <= longest_dwell_s(IRON.set_c)
    whole = body_peak_k(scene, IRON, "U1", pin, tie, found.touch_s, 3, found.pause_s, fine=True)
    told = found.body_peak_c - scene.ambient_c
    assert told == pytest.approx(whole, rel=0.08, abs=2.0)
    assert found.body_peak_c < found.limit_c


def test_waiting_longer_keeps_the_body_cooler_and_more_touches_make_it_hotter() -> None:
    scene = alone("SO-8")
    peaks = [
        body_peak_k(scene, IRON, "U1", "2", Tie.SIGNAL, 2.0, 3, pause) for pause in (0.5, 2.0, 8.0)
    ]
    assert peaks == sorted(peaks, reverse=True)
    more = [body_peak_k(scene, IRON, "U1", "2", Tie.SIGNAL, 2.0, count, 1.0) for count in (1, 2, 4)]
    assert more == sorted(more)
    assert max(*peaks, *more) < IRON.set_c - scene.ambient_c


def test_what_one_touch_overheats_is_told() -> None:
    found = touches_at(alone("0603"), IRON, "U1", "1", Tie.SIGNAL)
    assert found.body_peak_c > found.limit_c
    assert found.pause_s is None
    assert "or by air" in found.says
