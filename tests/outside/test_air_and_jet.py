"""Air and the round jet against CoolProp and published correlation values."""

import math

import pytest
from CoolProp.CoolProp import PropsSI

from yellowfen.core.heat.air import (
    FREE_AIR_DENSITY_KG_M3,
    KELVIN,
    conductivity_w_mk,
    mass_flow_kg_s,
    prandtl,
    specific_heat_j_kgk,
    viscosity_pa_s,
)
from yellowfen.core.heat.jet import jet_on_board, local_nusselt, martin_area_mean_nusselt
from yellowfen.core.heat.surface import free_convection_w_m2k


@pytest.mark.parametrize("air_c", [0, 20, 100, 200, 300, 400, 500, 600])
def test_air_properties_against_coolprop(air_c: float) -> None:
    kelvin = air_c + KELVIN
    assert viscosity_pa_s(air_c) == pytest.approx(
        PropsSI("V", "T", kelvin, "P", 101325, "Air"), rel=0.01
    )
    assert conductivity_w_mk(air_c) == pytest.approx(
        PropsSI("L", "T", kelvin, "P", 101325, "Air"), rel=0.02
    )
    assert specific_heat_j_kgk(air_c) == pytest.approx(
        PropsSI("C", "T", kelvin, "P", 101325, "Air"), rel=0.01
    )


def test_free_air_density_against_coolprop() -> None:
    assert (
        pytest.approx(PropsSI("D", "T", 293.15, "P", 101325, "Air"), rel=0.002)
        == FREE_AIR_DENSITY_KG_M3
    )
    assert mass_flow_kg_s(60.0) == pytest.approx(1.204e-3, rel=0.001)


def test_martin_against_a_worked_textbook_problem() -> None:
    """Incropera & DeWitt, cooling of a 10 mm transistor by a 2 mm round jet (problem and result
    from memory).

    Air at 15 °C, 20 m/s, 10 mm away, surface 85 °C: the book's power is 1.68 W, hence h about 306
    W/m²K.
    """
    film_c = 50.0
    density = PropsSI("D", "T", film_c + KELVIN, "P", 101325, "Air")
    reynolds = 20.0 * 0.002 * density / viscosity_pa_s(film_c)
    nusselt = martin_area_mean_nusselt(reynolds, prandtl(film_c), d_over_r=0.4, h_over_d=5.0)
    watts = nusselt * conductivity_w_mk(film_c) / 0.002 * math.pi / 4 * 0.01**2 * 70.0
    assert watts == pytest.approx(1.68, abs=0.04)


@pytest.mark.parametrize("height", [2.0, 4.0, 6.0, 9.0, 12.0])
@pytest.mark.parametrize("radius", [3.0, 5.0, 7.0])
def test_local_fit_integrates_to_martins_area_mean(height: float, radius: float) -> None:
    """The local form, averaged over a disc, agrees with Martin (1977) within his range."""
    rings = [(i + 0.5) / 400 * radius for i in range(400)]
    mean = sum(local_nusselt(10000, 0.7, r, height) * r for r in rings) / sum(rings)
    published = martin_area_mean_nusselt(10000, 0.7, 1 / radius, height)
    assert mean == pytest.approx(published, rel=0.08)


def test_out_of_range_is_computed_and_said() -> None:
    inside = jet_on_board(6, 350, 30, 40, 23)
    outside = jet_on_board(6, 350, 30, 120, 23)
    slow = jet_on_board(10, 350, 5, 40, 23)
    assert not inside.warnings
    assert any("distance" in said for said in outside.warnings)
    assert any("Reynolds" in said for said in slow.warnings)
    assert inside.centre_w_m2k > outside.centre_w_m2k > 0


def test_free_convection_above_and_below() -> None:
    """McAdams / Lloyd & Moran as printed in Incropera & DeWitt: the lower face has half the upper
    face's coefficient.
    """
    up = free_convection_w_m2k(0.02, 120, 20, facing_up=True)
    down = free_convection_w_m2k(0.02, 120, 20, facing_up=False)
    assert down == pytest.approx(up / 2, rel=1e-6)
    assert 8 < up < 16
