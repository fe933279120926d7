"""Dots, needles, wire, break-even and weighing against hand calculation and trade checks."""

import math
import random

import pytest

from yellowfen.core.deposit.by_hand import (
    DOT_HEIGHT,
    NEEDLES,
    dot_mm3,
    dots_for,
    judge_dot,
    line_across,
    needles_for,
    wire_metal_share,
    wire_mm,
)
from yellowfen.core.deposit.fillet import Wanted, end_fillet_mm3, wanted
from yellowfen.core.deposit.weighing import PRINT_SPREAD, Weighing, fit_factor, fit_factors
from yellowfen.core.metal.alloy import ALLOYS
from yellowfen.core.metal.paste import DISPENSE_SHARE, Paste
from yellowfen.core.part.catalogue import package_named
from yellowfen.errors import InvalidValue

DISPENSED = Paste("Sn63Pb37", 4, DISPENSE_SHARE)


def land_of(name: str) -> tuple[float, float, Wanted]:
    package = package_named(name)
    land = package.lands[0]
    return (
        max(land.size_x_mm, land.size_y_mm),
        min(land.size_x_mm, land.size_y_mm),
        wanted(package, land),
    )


def test_a_dot_is_a_spherical_cap() -> None:
    """Closed form: π·h·(3a² + h²)/6 with a half the width."""
    assert dot_mm3(1.0) == pytest.approx(math.pi * DOT_HEIGHT * (0.75 + DOT_HEIGHT**2) / 6)
    assert dot_mm3(2.0) == pytest.approx(8 * dot_mm3(1.0))


def test_needles_a_paste_goes_through() -> None:
    """Type 4 has balls up to 38 µm: at eight across, 0.30 mm of bore, so 23 gauge and wider (common
    practice: seven to ten).
    """
    assert max(needles_for(DISPENSED)) == 23
    assert max(needles_for(Paste("Sn63Pb37", 3, DISPENSE_SHARE))) == 22
    assert NEEDLES[max(needles_for(Paste("Sn63Pb37", 6, DISPENSE_SHARE)))] < 0.2


def test_a_dot_from_an_18_gauge_needle_is_too_fat_for_0402() -> None:
    """Common practice."""
    assert judge_dot(18, land_of("0402")[2], DISPENSED) == "excess"
    assert judge_dot(18, land_of("1206")[2], DISPENSED) != "starved"


@pytest.mark.parametrize("name", ["0402", "0603", "0805", "1206", "SOIC-8", "TO-252"])
def test_dots_make_a_good_joint_and_stay_on_the_pad(name: str) -> None:
    long, short, wants = land_of(name)
    dots = dots_for(long, short, wants, DISPENSED)
    assert wants.verdict(dots.paste_mm3 * DISPENSED.volume_share) == "good"
    assert dots.diameter_mm <= 1.2 * short
    assert dots.gauge is None or dots.gauge in needles_for(DISPENSED)


def test_below_any_needle_it_is_a_dab() -> None:
    long, short, wants = land_of("QFP-48")
    assert dots_for(long, short, wants, DISPENSED).gauge is None
    assert "knife" in dots_for(long, short, wants, DISPENSED).said


def test_a_line_across_the_row_warns_below_eight_tenths() -> None:
    """Common practice."""
    assert line_across(1.27) == line_across(0.8) == ""
    assert "bridges" in line_across(0.65)


@pytest.mark.parametrize(("flux", "by_volume"), [(0.02, 0.14), (0.03, 0.20)])
def test_flux_in_a_wire_by_volume(flux: float, by_volume: float) -> None:
    """Handbook: 2 % by mass is about 14 % by volume, 3 % about 19 % (Sn63Pb37 at 8.4 g/cm³, flux at
    1.0).
    """
    assert 1 - wire_metal_share(ALLOYS["Sn63Pb37"], flux) == pytest.approx(by_volume, abs=0.012)


def test_wire_by_hand_calculation() -> None:
    """1 mm³ of solder from 0.5 mm wire without flux: 1 / (π/4 · 0.25) = 5.093 mm."""
    assert wire_mm(1.0, 0.5, ALLOYS["Sn63Pb37"], 0.0) == pytest.approx(5.093, abs=0.001)
    assert wire_mm(1.0, 0.5, ALLOYS["Sn63Pb37"], 0.02) == pytest.approx(5.093 / 0.8536, rel=1e-3)


def test_a_fillet_is_a_prism() -> None:
    assert end_fillet_mm3(0.2, 0.3, 1.5) == pytest.approx(0.045)


def test_weighing_finds_the_factor_it_was_given_and_its_interval_holds() -> None:
    """A thousand seeded weighings of ten boards on a 1 mg scale, prints differing by 8 %: the 95 %
    interval holds the truth in 93 to 97.5 %.
    """
    chance = random.Random(7)
    held = 0
    for _ in range(1000):
        truth = chance.gauss(1.0, 0.2)
        before = chance.uniform(9000, 11000)
        after = before + sum(60 * truth * chance.gauss(1.0, PRINT_SPREAD) for _ in range(10))
        fitted = fit_factor(round(before), round(after), 60, 1.0, 10)
        held += fitted.low <= truth <= fitted.high
    assert 930 <= held <= 975


def test_a_coarse_scale_says_so() -> None:
    coarse = fit_factor(10_000, 10_100, 80, 100)
    assert coarse.too_coarse
    assert "weigh" in coarse.sentence
    assert coarse.factor == pytest.approx(1.0, abs=0.05)
    fine = fit_factor(10_000, 10_068, 80, 1)
    assert not fine.too_coarse
    assert fine.factor == pytest.approx(
        (1 / 0.04 + 0.85 / 0.0064) / (1 / 0.04 + 1 / 0.0064), abs=0.005
    )  # 8 % of a print's own spread
    assert fit_factors(
        [Weighing(before_mg=10_000, after_mg=10_068, expected_mg=80, resolution_mg=1)] * 5
    ).factor == pytest.approx(0.85, abs=0.01)


@pytest.mark.parametrize(
    "masses", [(100, 100), (100, 90), (10_000, 70_000), (float("nan"), 100), (-5, 100)]
)
def test_masses_that_cannot_be_are_refused(masses: tuple[float, float]) -> None:
    with pytest.raises(InvalidValue):
        fit_factor(*masses, 60, 1)


@pytest.mark.parametrize("name", ["0805", "SOIC-8", "1206", "SOT-223"])
def test_hands_that_shake_get_fewer_dots_and_no_lean_joint(name: str) -> None:
    """Never more touches than usual, and where the usual number is met the joint holds enough."""
    package = package_named(name)
    for land in package.lands:
        wants = wanted(package, land)
        sides = (
            max(land.size_x_mm, land.size_y_mm),
            min(land.size_x_mm, land.size_y_mm),
        )
        usual = dots_for(*sides, wants, DISPENSED)
        few = dots_for(*sides, wants, DISPENSED, fewest=True)
        assert few.count <= usual.count
        if usual.paste_mm3 * DISPENSED.volume_share >= wants.least_mm3:
            assert few.paste_mm3 * DISPENSED.volume_share >= wants.least_mm3
