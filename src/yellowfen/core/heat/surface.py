"""Heat leaving a flat board to still air and by radiation.

Free convection: upper face Nu = 0.54 Ra^(1/4) (1e4..1e7), 0.15 Ra^(1/3) above; lower face 0.27
Ra^(1/4); length = area / perimeter (Incropera & DeWitt, after McAdams and Lloyd & Moran). Small
boards fall below Ra = 1e4: extrapolated.
"""

import numpy as np
from numpy.typing import NDArray

from yellowfen.core.heat.air import (
    FREE_AIR_DENSITY_KG_M3,
    KELVIN,
    conductivity_w_mk,
    specific_heat_j_kgk,
    viscosity_pa_s,
)
from yellowfen.core.source.mark import Mark, constant

STEFAN_BOLTZMANN = constant(
    "stefan_boltzmann",
    5.670374e-8,
    "W/m²·K⁴",
    mark=Mark.PUBLISHED,
    source="CODATA 2018",
    affects="radiation",
)
EMISSIVITY = constant(
    "board_emissivity",
    0.9,
    "1",
    mark=Mark.FROM_MEMORY,
    source="solder mask and moulded plastic",
    affects="radiation loss (little)",
)
BARE_METAL_EMISSIVITY = constant(
    "bare_metal_emissivity",
    0.1,
    "1",
    mark=Mark.FROM_MEMORY,
    source="bare aluminium or steel sheet, slightly oxidised, 0.05 to 0.2",
    affects="heat across the film of a bare plate; back of an aluminium board",
)
INSULATING_REST_W_M2K = constant(
    "underside_insulating",
    3.0,
    "W/m²·K",
    mark=Mark.FROM_MEMORY,
    source="board on a thick silicone or ceramic-fibre rest; the rest's own heat is neglected",
    affects="how fast the underside cools",
)
METAL_REST_W_M2K = constant(
    "underside_metal",
    100.0,
    "W/m²·K",
    mark=Mark.FROM_MEMORY,
    source="about 0.25 mm of air between board and a metal slab that stays at room temperature",
    affects="how much heat a metal rest steals",
)
_GRAVITY = 9.81


def film_w_m2k(
    gap_mm: float | NDArray[np.float64],
    hot_c: float,
    one: float = EMISSIVITY,
    other: float = EMISSIVITY,
) -> NDArray[np.float64]:
    """Conductance per area across a still air film between two parallel faces, W/m²·K: conduction
    and radiation at the film's mean.

    `gap_mm` > 0; `hot_c` the hot face's setting, the other taken as a board under way (100 °C);
    emissivities 0..1 of the faces, which give 1 / (1/ε₁ + 1/ε₂ − 1) of a black body's exchange
    (Incropera & DeWitt, large parallel plates).
    """
    film_c = 0.5 * (hot_c + 100.0)
    facing = 1.0 / (1.0 / one + 1.0 / other - 1.0)
    glow = 4.0 * facing * STEFAN_BOLTZMANN * (film_c + KELVIN) ** 3
    return np.asarray(conductivity_w_mk(film_c) / (np.asarray(gap_mm) * 1e-3) + glow)


def free_convection_w_m2k(
    length_m: float, surface_c: float, air_c: float, facing_up: bool
) -> float:
    """Mean free-convection coefficient of a hot flat plate, W/m²·K. `length_m` = area / perimeter."""
    rayleigh = _rayleigh(length_m, surface_c, air_c)
    if not facing_up:
        nusselt = 0.27 * rayleigh**0.25
    elif rayleigh <= 1e7:
        nusselt = 0.54 * rayleigh**0.25
    else:
        nusselt = 0.15 * rayleigh ** (1 / 3)
    return float(nusselt * conductivity_w_mk(0.5 * (surface_c + air_c)) / length_m)


def _rayleigh(length_m: float, surface_c: float, air_c: float) -> float:
    film_c = 0.5 * (surface_c + air_c)
    density = FREE_AIR_DENSITY_KG_M3 * 293.15 / (film_c + KELVIN)
    nu = viscosity_pa_s(film_c) / density
    alpha = conductivity_w_mk(film_c) / (density * specific_heat_j_kgk(film_c))
    return _GRAVITY / (film_c + KELVIN) * abs(surface_c - air_c) * length_m**3 / (nu * alpha)
