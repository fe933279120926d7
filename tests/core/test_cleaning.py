"""Washing and drying against published vapour pressures and the diffusion law solved by steps; what
must go and what may stay; where liquid must not go.
"""

import math
from dataclasses import replace

import pytest
from hypothesis import given
from hypothesis import strategies as st

from yellowfen.core.board.board import BoardPart
from yellowfen.core.look.cleaning import (
    ALCOHOL_D,
    GAS,
    Activity,
    CleaningPlan,
    Flux,
    Need,
    Wash,
    cleaning_steps,
    dry_minutes,
    hiding,
    minutes_said,
    residues,
    spared,
    under_body_s,
    vapour_pa,
)
from yellowfen.core.part.catalogue import package_named
from yellowfen.errors import InvalidValue


def part(ref: str, package: str, value: str = "") -> BoardPart:
    return BoardPart(
        ref=ref,
        value=value,
        footprint="",
        x_mm=0.0,
        y_mm=0.0,
        rotation_deg=0,
        side="top",
        package=package_named(package),
        joined=True,
    )


PARTS = (
    part("U1", "QFP-48"),
    part("J1", "CONN-6-1.25"),
    part("C1", "0603"),
    part("U9", "SOIC-8", "humidity sensor"),
)


@pytest.mark.parametrize(
    ("wash", "celsius", "pascal", "within"),
    [
        (Wash.WATER, 20.0, 2339.0, 0.005),  # steam tables
        (Wash.WATER, 50.0, 12352.0, 0.01),  # steam tables
        (Wash.ALCOHOL, 82.3, 101325.0, 0.01),  # its normal boiling point
        (Wash.ALCOHOL, 25.0, 6020.0, 0.03),  # handbook of chemistry, from memory
    ],
)
def test_vapour_pressures_as_printed(
    wash: Wash, celsius: float, pascal: float, within: float
) -> None:
    assert vapour_pa(wash, celsius) == pytest.approx(pascal, rel=within)


def test_the_drying_front_against_steps_in_time() -> None:
    """Mass lost by diffusion through x of still air, the front moved back by it, two thousand
    steps.
    """
    plan, way = CleaningPlan(dry_c=40.0), 2.0e-3
    kelvin = 313.15
    flow = (
        ALCOHOL_D
        * (kelvin / 298.15) ** 1.75
        * 0.0601
        * vapour_pa(Wash.ALCOHOL, 40.0)
        / (GAS * kelvin)
    )
    seconds, count = 0.0, 2000
    for n in range(count):
        seconds += 786.0 * (way / count) / (flow / ((n + 0.5) * way / count))
    assert under_body_s(2.0, plan, Wash.ALCOHOL) == pytest.approx(seconds, rel=1e-3)


@given(way=st.floats(0.1, 20), cold=st.floats(5, 79), more=st.floats(0.5, 30))
def test_twice_the_way_four_times_as_long_and_warmth_helps(
    way: float, cold: float, more: float
) -> None:
    plan = CleaningPlan(dry_c=cold)
    once = under_body_s(way, plan, Wash.ALCOHOL)
    assert math.isfinite(once)
    assert under_body_s(2 * way, plan, Wash.ALCOHOL) == pytest.approx(4 * once)
    warm = replace(plan, dry_c=min(cold + more, 80.0))
    for wash in Wash:
        assert under_body_s(way, warm, wash) < under_body_s(way, plan, wash)


def test_moving_air_shortens_the_film_only_and_water_takes_longer() -> None:
    still, moving = CleaningPlan(), CleaningPlan(moving_air=True)
    assert (
        1 < dry_minutes(PARTS, still, Wash.ALCOHOL) - dry_minutes(PARTS, moving, Wash.ALCOHOL) < 4
    )
    assert dry_minutes(PARTS, still, Wash.WATER) > 3 * dry_minutes(PARTS, still, Wash.ALCOHOL)
    assert dry_minutes((), still, Wash.ALCOHOL) < 5


def test_what_must_go_and_what_may_stay() -> None:
    def need(**given: object) -> Need:
        plan = replace(CleaningPlan(paste=None, wire=None, gel=None), **given)  # type: ignore[arg-type]
        return residues(plan)[0].need

    assert need(paste=Flux.NO_CLEAN) is Need.STAYS
    assert need(paste=Flux.NO_CLEAN, coated=True) is Need.MUST
    assert need(gel=Flux.NO_CLEAN) is Need.MUST  # not heated through
    assert need(wire=Flux.ROSIN) is Need.MAY
    assert need(wire=Flux.ROSIN, activity=Activity.MEDIUM) is Need.MUST
    assert need(paste=Flux.NO_CLEAN, halide=True) is Need.MUST
    assert need(paste=Flux.UNKNOWN) is Need.MUST
    water = residues(CleaningPlan(paste=Flux.WATER))
    assert (water[0].of, water[0].need, water[0].wash) == ("paste", Need.MUST, Wash.WATER)
    assert cleaning_steps(PARTS, CleaningPlan(wire=None, gel=None)) == ()


def test_the_steps_name_what_to_spare_and_what_to_flush() -> None:
    assert [one.ref for one in spared(PARTS)] == ["J1", "U9"]
    assert [one.ref for one in hiding(PARTS, CleaningPlan(), Wash.ALCOHOL)] == ["U1"]
    steps = cleaning_steps(PARTS, CleaningPlan(paste=Flux.WATER), later=("J1",))
    titles = [one.title for one in steps]
    assert titles[0] == "Board cold, nothing hot nearby"
    assert titles[1] == "Plug or tape J1, U9"
    assert titles.index("Warm water, brush, rinse twice") < titles.index(
        "Alcohol and brush, pass 1 of 3"
    )
    assert "Flush under U1" in titles
    assert titles[-1] == "Now fit J1"
    assert [minutes_said(one) for one in (0, 22, 61, 120)] == [
        "5 min",
        "25 min",
        "1 h 5 min",
        "2 h",
    ]


@pytest.mark.parametrize("given", [{"dry_c": 90.0}, {"dry_c": float("nan")}, {"humidity": 100.0}])
def test_what_cannot_be_is_refused(given: dict[str, float]) -> None:
    with pytest.raises(InvalidValue):
        CleaningPlan(**given)  # type: ignore[arg-type]
