"""Does a part underneath stay up on its molten solder: the one rule of triage, sides and heat."""

import math

from yellowfen.core.part.package import Package
from yellowfen.core.source.mark import Mark, constant

HANGS_G_IN2 = constant(
    "hangs_up_to",
    30.0,
    "g/in²",
    mark=Mark.COMMON_PRACTICE,
    source="mass per pad area that surface tension holds underneath",
    affects="does a part underneath fall: triage, sides, heat",
)
_G_IN2 = 1e-3 * 645.16  # mg/mm² to g/in²


def load_g_in2(package: Package, pads_mm2: float | None = None) -> float:
    """Mass over the area of its pads (its lands where no pads are known), g/in²; infinite without."""
    area = pads_mm2 or sum(land.area_mm2 for land in package.lands)
    return package.mass_mg / area * _G_IN2 if area else math.inf


def falls(load: float) -> bool:
    """True for a load (g/in²) that molten solder does not hold."""
    return load > HANGS_G_IN2
