"""Removal alloy: how much of it, what the mixture is, when it melts as far as that can be said.

Laws: composition is exact; a melting range read off it is not, and carries its doubt.
"""

from dataclasses import dataclass

from yellowfen.core.deposit.by_hand import wire_mm
from yellowfen.core.metal.alloy import Alloy, alloy_named
from yellowfen.core.metal.mixing import mixture
from yellowfen.core.quantity.number import in_range
from yellowfen.core.source.mark import Mark, constant

REMOVAL = "Bi32.5In51Sn16.5"
REMOVAL_PARTS = constant(
    "removal_alloy_parts",
    1.5,
    "volumes per volume of old solder",
    mark=Mark.COMMON_PRACTICE,
    source="one to two volumes, worked in until every pin is covered and mixed; yours to change",
    affects="removal alloy used, when the mixture melts",
)

COVER_MM2 = constant(
    "removal_alloy_cover",
    0.5,
    "mm²",
    mark=Mark.FROM_MEMORY,
    source="the least section along a row that covers every pin",
    affects="removal alloy used",
)


@dataclass(frozen=True, kw_only=True)
class RemovalMix:
    """Removal alloy worked into old solder. Amounts of the removal alloy; `shares` by mass of each
    element of the mixture; `alloy` the mixture as the model takes it, its liquidus in the middle of
    `liquidus_low_c` to `liquidus_high_c`.
    """

    removal_mm3: float
    removal_g: float
    wire_mm: float
    shares: dict[str, float]
    alloy: Alloy
    liquidus_low_c: float
    liquidus_high_c: float


def removal_mix(
    old: str, old_mm3: float, parts: float = REMOVAL_PARTS, wire_diameter_mm: float = 1.0
) -> RemovalMix:
    """What to add to so much old solder. `parts`: volumes of removal alloy per volume of it, 0.2 to
    100.

    Melting: from the removal alloy's own point to a straight line between both alloys by mass, the
    doubt half of that span to either side [method from memory: no phase diagram stands behind it].

    Raises InvalidValue for an unknown alloy, no solder, or a ratio out of range.
    """
    in_range("parts", parts, 0.2, 100)
    in_range("old_mm3", old_mm3, 0.001, 5000, "mm³")
    was, added = alloy_named(old, "old"), alloy_named(REMOVAL)
    volume = parts * old_mm3
    shares = mixture(((old, old_mm3), (REMOVAL, volume)))
    masses = old_mm3 * was.density_g_cm3, volume * added.density_g_cm3
    share = masses[1] / sum(masses)
    middle = share * added.liquidus_c + (1.0 - share) * was.liquidus_c
    doubt = 0.5 * (middle - added.liquidus_c)
    mixed = Alloy(
        name="removal mixture",
        solidus_c=added.solidus_c,
        liquidus_c=middle,
        density_g_cm3=sum(masses) / (old_mm3 + volume),
        latent_j_g=share * added.latent_j_g + (1.0 - share) * was.latent_j_g,
    )
    return RemovalMix(
        removal_mm3=volume,
        removal_g=masses[1] * 1e-3,
        wire_mm=wire_mm(volume, wire_diameter_mm, added, flux_mass_share=0.0),
        shares=shares,
        alloy=mixed,
        liquidus_low_c=middle - doubt,
        liquidus_high_c=middle + doubt,
    )
