"""Solder alloys: melting range, density, latent heat.

Melting ranges: as remembered from the IPC J-STD-006 alloy tables. Densities and latent heats: from
memory.
"""

from dataclasses import dataclass

from yellowfen.core.quantity.units import CELSIUS, with_unit
from yellowfen.core.source.mark import Mark, constant
from yellowfen.errors import InvalidValue

SOLDER_CP_J_KGK = constant(
    "solder_specific_heat",
    200.0,
    "J/kg·K",
    mark=Mark.FROM_MEMORY,
    source="tin-rich and tin-lead solders lie between about 170 and 240",
    affects="heat taken by a joint before it melts (small)",
)

SURFACE_TENSION_N_M = constant(
    "solder_surface_tension",
    0.4,
    "N/m",
    mark=Mark.FROM_MEMORY,
    source="under flux 0.35 to 0.5",
    affects="does the air push a part; where a leadless part settles",
)


@dataclass(frozen=True, kw_only=True)
class Alloy:
    """A solder alloy. Temperatures in °C, density in g/cm³, latent heat in J/g."""

    name: str
    solidus_c: float
    liquidus_c: float
    density_g_cm3: float
    latent_j_g: float
    note: str = ""

    @property
    def plain_name(self) -> str:
        """What a builder calls it."""
        return f"{self.name} ({with_unit(self.liquidus_c, CELSIUS)})"


_TABLE = (
    Alloy(
        name="Sn63Pb37",
        solidus_c=183,
        liquidus_c=183,
        density_g_cm3=8.4,
        latent_j_g=45,
        note="leaded, eutectic",
    ),
    Alloy(
        name="Sn60Pb40",
        solidus_c=183,
        liquidus_c=191,
        density_g_cm3=8.5,
        latent_j_g=45,
        note="leaded, pasty",
    ),
    Alloy(
        name="Sn62Pb36Ag2",
        solidus_c=179,
        liquidus_c=179,
        density_g_cm3=8.4,
        latent_j_g=45,
        note="leaded with silver",
    ),
    Alloy(
        name="Sn96.5Ag3Cu0.5",
        solidus_c=217,
        liquidus_c=220,
        density_g_cm3=7.4,
        latent_j_g=60,
        note="lead-free",
    ),
    Alloy(
        name="Sn99.3Cu0.7",
        solidus_c=227,
        liquidus_c=227,
        density_g_cm3=7.3,
        latent_j_g=60,
        note="lead-free",
    ),
    Alloy(
        name="Sn96.5Ag3.5",
        solidus_c=221,
        liquidus_c=221,
        density_g_cm3=7.4,
        latent_j_g=60,
        note="lead-free",
    ),
    Alloy(
        name="Sn42Bi58",
        solidus_c=138,
        liquidus_c=138,
        density_g_cm3=8.6,
        latent_j_g=45,
        note="low temperature, brittle in drop",
    ),
    Alloy(
        name="Sn42Bi57.6Ag0.4",
        solidus_c=138,
        liquidus_c=140,
        density_g_cm3=8.6,
        latent_j_g=45,
        note="low temperature",
    ),
    Alloy(
        name="In52Sn48",
        solidus_c=118,
        liquidus_c=118,
        density_g_cm3=7.3,
        latent_j_g=28,
        note="very low temperature",
    ),
    Alloy(
        name="Bi32.5In51Sn16.5",
        solidus_c=62,
        liquidus_c=62,
        density_g_cm3=7.9,
        latent_j_g=25,
        note="removal alloy",
    ),
)
ALLOYS: dict[str, Alloy] = {alloy.name: alloy for alloy in _TABLE}


def alloy_named(name: str, field: str = "alloy") -> Alloy:
    """The alloy of that name; raises InvalidValue listing the known names."""
    try:
        return ALLOYS[name]
    except KeyError:
        raise InvalidValue(
            field, f"no alloy is called {name!r}; known are {', '.join(ALLOYS)}"
        ) from None


for _alloy in _TABLE:
    constant(
        f"liquidus_{_alloy.name}",
        _alloy.liquidus_c,
        "°C",
        mark=Mark.FROM_MEMORY,
        source="IPC J-STD-006 alloy tables, as remembered",
        affects="every melt moment of a joint in this alloy",
    )
    constant(
        f"latent_heat_{_alloy.name}",
        _alloy.latent_j_g,
        "J/g",
        mark=Mark.FROM_MEMORY,
        source="values between 25 and 60 are remembered for these alloys",
        affects="how long a joint stands at its melting point",
    )
