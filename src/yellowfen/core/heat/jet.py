"""A round hot-air jet on a flat board: local heat transfer and local air temperature.

Area-mean heat transfer: H. Martin, Advances in Heat Transfer 13 (1977), single round nozzle, as
reproduced in Incropera & DeWitt. The local form is a fit to Martin's area means, from memory; it is
used mostly at r < 2.5 D, outside his range, and hand nozzles come out weaker, so a stated default
factor scales it. Laws: Re from mass flow and the air's own viscosity at film temperature; out of
range is computed and said.
"""

import math
from dataclasses import dataclass

from yellowfen.core.heat.air import (
    KELVIN,
    conductivity_w_mk,
    mass_flow_kg_s,
    prandtl,
    viscosity_pa_s,
)
from yellowfen.core.source.mark import Mark, constant

JET_FACTOR = constant(
    "jet_factor",
    0.55,
    "1",
    mark=Mark.FROM_MEMORY,
    source="a feasibility study put 0.40 to 0.45 on the correlation with the cold-flow Re; restated for the hot-flow Re (x 1.3)",
    affects="all hot-air times; the largest single doubt before a calibration",
)
JET_FACTOR_LOG_SIGMA = constant(
    "jet_factor_log_sigma",
    0.35,
    "1",
    mark=Mark.FROM_MEMORY,
    source="width of the default factor's log-normal doubt, from the same study",
    affects="width of every forecast band before calibration",
)
_SURFACE_C = constant(
    "jet_film_surface",
    120.0,
    "°C",
    mark=Mark.FROM_MEMORY,
    source="a mid-run board surface; film temperature is the mean of this and the outlet",
    affects="Reynolds number (weakly)",
)
_CORE_LENGTHS = constant(
    "jet_core_length",
    6.3,
    "nozzle diameters",
    mark=Mark.FROM_MEMORY,
    source="centre-line decay of a round jet, scaled by the root of the density ratio",
    affects="how fast hot air cools with distance",
)


@dataclass(frozen=True, kw_only=True)
class Jet:
    """Local strength of a jet on the board at one height.

    h(r) = centre_w_m2k / sqrt(1 + (r/spread_m)²); air there is room + warmth(r)·(outlet − room)
    with warmth(r) = centre_warmth / sqrt(1 + (r/warmth_radius_m)²).
    """

    centre_w_m2k: float
    spread_m: float
    centre_warmth: float
    warmth_radius_m: float
    reynolds: float
    warnings: tuple[str, ...] = ()


def martin_area_mean_nusselt(
    reynolds: float, prandtl_number: float, d_over_r: float, h_over_d: float
) -> float:
    """Area-mean Nusselt number (on D) over a disc of radius r; Martin 1977, single round nozzle.

    Valid 2000 <= Re <= 4e5, 2 <= H/D <= 12, 2.5 <= r/D <= 7.5.
    """
    flow = 2.0 * math.sqrt(reynolds) * math.sqrt(1.0 + 0.005 * reynolds**0.55)
    shape = d_over_r * (1.0 - 1.1 * d_over_r) / (1.0 + 0.1 * (h_over_d - 6.0) * d_over_r)
    return shape * flow * float(prandtl_number**0.42)


def local_nusselt(
    reynolds: float, prandtl_number: float, r_over_d: float, h_over_d: float
) -> float:
    """Local Nusselt number (on D) at radius r: the fit this program integrates (about 3 % in the
    mean).
    """
    centre, spread = _local_shape(reynolds, prandtl_number, h_over_d)
    return centre / math.sqrt(1.0 + (r_over_d / spread) ** 2)


def _local_shape(reynolds: float, prandtl_number: float, h_over_d: float) -> tuple[float, float]:
    flow = 2.0 * math.sqrt(reynolds) * math.sqrt(1.0 + 0.005 * reynolds**0.55)
    centre = prandtl_number**0.42 * flow / (1.66 + 0.235 * h_over_d)
    return centre, 0.88 + 0.127 * h_over_d


def jet_on_board(
    nozzle_mm: float,
    outlet_c: float,
    flow_lpm: float,
    height_mm: float,
    ambient_c: float,
    factor: float = JET_FACTOR,
) -> Jet:
    """Local jet strength for a round nozzle `height_mm` above the board.

    nozzle_mm 1..30, outlet_c to 600, flow_lpm 1..200, height_mm 1..300. Outside Martin's range the
    formula is extrapolated and the result carries a warning.
    """
    diameter = nozzle_mm * 1e-3
    film_c = 0.5 * (outlet_c + _SURFACE_C)
    reynolds = 4.0 * mass_flow_kg_s(flow_lpm) / (math.pi * diameter * viscosity_pa_s(film_c))
    ratio = height_mm / nozzle_mm
    centre, spread = _local_shape(reynolds, prandtl(film_c), ratio)
    core = _CORE_LENGTHS * math.sqrt((ambient_c + KELVIN) / (outlet_c + KELVIN))
    return Jet(
        centre_w_m2k=factor * centre * conductivity_w_mk(film_c) / diameter,
        spread_m=spread * diameter,
        centre_warmth=(1.0 + (ratio / core) ** 4) ** -0.25,
        warmth_radius_m=(2.5 * nozzle_mm + 0.1 * height_mm) * 1e-3,
        reynolds=reynolds,
        warnings=_range_warnings(reynolds, ratio),
    )


def _range_warnings(reynolds: float, height_ratio: float) -> tuple[str, ...]:
    said = []
    if not 2000.0 <= reynolds <= 4e5:
        said.append(
            f"air flow is outside the jet formula's range (Reynolds {reynolds:.0f}, range 2000 to 400000): extrapolated"
        )
    if not 2.0 <= height_ratio <= 12.0:
        said.append(
            f"distance is outside the jet formula's range ({height_ratio:.1f} nozzle diameters, range 2 to 12): extrapolated"
        )
    return tuple(said)
