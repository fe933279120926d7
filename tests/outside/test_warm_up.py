"""Warm-up of paste and dew against published series values, reference libraries and the lumped
body.
"""

import math

import pytest
from CoolProp.HumidAirProp import HAPropsSI
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import special

from yellowfen.core.metal.paste import paste_named
from yellowfen.core.metal.paste_warming import (
    PASTE_W_MK,
    Container,
    bessel,
    cold_left,
    container_of,
    cylinder_middle,
    outside_w_m2k,
    plate_middle,
    seconds_until,
    time_constant_s,
    warm_up,
)
from yellowfen.core.quantity.dew import dew_point_c, saturation_hpa
from yellowfen.errors import InvalidValue

LEADED = paste_named("sn63-t4")


@pytest.mark.parametrize("x", [0.0, 0.3, 2.4048, 7.0, 20.0, 28.0])
def test_bessel_against_the_reference_library(x: float) -> None:
    """scipy.special.j0, j1."""
    assert bessel(0, x) == pytest.approx(special.j0(x), abs=1e-12)
    assert bessel(1, x) == pytest.approx(special.j1(x), abs=1e-12)


# Incropera & DeWitt, table of coefficients of the one-term solutions (from memory): Bi, plate ζ1,
# C1, long cylinder ζ1, C1.
ONE_TERM = (
    (0.01, 0.0998, 1.0017, 0.1412, 1.0025),
    (0.1, 0.3111, 1.0160, 0.4417, 1.0246),
    (1.0, 0.8603, 1.1191, 1.2558, 1.2071),
    (10.0, 1.4289, 1.2620, 2.1795, 1.5677),
)


@pytest.mark.parametrize(("biot", "plate_root", "plate_c", "round_root", "round_c"), ONE_TERM)
def test_late_times_are_the_published_one_term_solutions(
    biot: float, plate_root: float, plate_c: float, round_root: float, round_c: float
) -> None:
    for fourier in (0.5, 1.0):
        assert plate_middle(biot, fourier) == pytest.approx(
            plate_c * math.exp(-(plate_root**2) * fourier), rel=2e-3
        )
        assert cylinder_middle(biot, fourier) == pytest.approx(
            round_c * math.exp(-(round_root**2) * fourier), rel=2e-3
        )


def test_early_times_are_the_plates_numerical_solution() -> None:
    """Second way: the plate in 400 cells, Crank-Nicolson, Bi = 1, Fo = 0.1."""
    import numpy as np
    from scipy.linalg import solve_banded

    n, biot, fourier, steps = 400, 1.0, 0.1, 400
    dx, dt = 1 / n, 0.1 / steps
    main = np.full(n + 1, 2 / dx**2)
    upper, lower = np.full(n + 1, -1 / dx**2), np.full(n + 1, -1 / dx**2)
    upper[1], lower[n - 1] = (
        -2 / dx**2,
        -2 / dx**2,
    )  # even about the middle; the outer face passes Bi
    main[n] += 2 * biot / dx
    theta = np.ones(n + 1)
    for _ in range(steps):
        applied = main * theta
        applied[:-1] += upper[1:] * theta[1:]
        applied[1:] += lower[:-1] * theta[:-1]
        theta = solve_banded(
            (1, 1),
            np.array([0.5 * dt * upper, 1 + 0.5 * dt * main, 0.5 * dt * lower]),
            theta - 0.5 * dt * applied,
        )
    assert plate_middle(biot, fourier) == pytest.approx(theta[0], abs=2e-4)


@settings(max_examples=30)
@given(st.floats(16, 55), st.floats(16, 55))
def test_a_thin_walled_small_body_is_lumped(diameter: float, height: float) -> None:
    """At small Biot numbers the middle follows exp(-t/τ), as nearly as the number is small."""
    body = Container(
        diameter_mm=diameter * 0.2, height_mm=height * 0.2, paste_g=1.0, wall_mm=0.0, wall_g=0.0
    )
    tau = time_constant_s(body, LEADED)
    biot = outside_w_m2k(body) * max(diameter, height) * 0.1e-3 / PASTE_W_MK
    assert biot < 0.06
    for times in (0.5, 1.0, 2.0):
        assert cold_left(body, LEADED, times * tau) == pytest.approx(
            math.exp(-times), rel=1.2 * biot
        )


def test_a_jar_takes_hours_and_a_syringe_a_third_of_that() -> None:
    """Common practice: a 500 g jar comes within 1.5 K of the room in 1 to 3 h, at least three times
    as slowly as a 10 cm³ syringe.
    """
    dew = dew_point_c(22, 0.5)
    jar = warm_up(container_of("jar", 500, LEADED), LEADED, 5, 22, dew)
    syringe = warm_up(
        container_of("syringe", 10 * LEADED.density_g_cm3, LEADED), LEADED, 5, 22, dew
    )
    assert 1.0 <= jar.near_h <= 3.0
    assert jar.near_h >= 3 * syringe.near_h
    assert syringe.near_h < 1
    assert jar.rule_h == 4.0
    assert 0 < jar.dry_h < jar.near_h
    assert jar.open_h == jar.near_h


@settings(max_examples=30)
@given(st.floats(1.0, 30), st.floats(1.0, 30))
def test_warmer_never_sooner(a: float, b: float) -> None:
    body = container_of("jar", 250, LEADED)
    small, large = sorted((a / 100, b / 100))
    assert seconds_until(body, LEADED, small) >= seconds_until(body, LEADED, large)


@pytest.mark.parametrize(("room", "humidity"), [(20, 0.5), (25, 0.3), (30, 0.8), (15, 0.6)])
def test_dew_point_against_the_reference_library(room: float, humidity: float) -> None:
    """CoolProp's humid air (ASHRAE RP-1485); Magnus coefficients of Alduchov & Eskridge 1996 stand
    in the module.
    """
    reference = HAPropsSI("D", "T", room + 273.15, "P", 101325, "R", humidity) - 273.15
    assert dew_point_c(room, humidity) == pytest.approx(reference, abs=0.1)


def test_saturation_pressure_at_known_points() -> None:
    """23.37 hPa at 20 °C, 6.11 at 0 (published steam tables: 23.39 and 6.11)."""
    assert saturation_hpa(20) == pytest.approx(23.39, rel=0.004)
    assert saturation_hpa(0) == pytest.approx(6.112, rel=0.004)


@pytest.mark.parametrize(
    "wrong", [{"fridge_c": 22.0}, {"room_c": float("nan")}, {"fridge_c": -80.0}]
)
def test_what_cannot_be_is_refused(wrong: dict[str, float]) -> None:
    given_ = {"fridge_c": 5.0, "room_c": 22.0, "dew_c": 10.0} | wrong
    with pytest.raises(InvalidValue):
        warm_up(
            container_of("jar", 500, LEADED),
            LEADED,
            given_["fridge_c"],
            given_["room_c"],
            given_["dew_c"],
        )
