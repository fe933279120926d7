"""Solder alloys: melting range, density, latent heat.

Melting ranges: as remembered from the IPC J-STD-006 alloy tables. Densities and latent heats: from
memory.
"""

from dataclasses import dataclass

from yellowfen.core.source.mark import Mark, constant
from yellowfen.errors import InvalidValue

SOLDER_CP_J_KGK = constant(
    "solder_specific_heat",
    200.0,
    "J/kg·K",
    Mark.FROM_MEMORY,
    "tin-rich and tin-lead solders lie between about 170 and 240",
    "heat taken by a joint before it melts (small)",
)

SURFACE_TENSION_N_M = constant(
    "solder_surface_tension",
    0.4,
    "N/m",
    Mark.FROM_MEMORY,
    "under flux 0.35 to 0.5",
    "does the air push a part; where a leadless part settles",
)


@dataclass(frozen=True)
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
        return f"{self.name} ({self.liquidus_c:g} °C)"


_TABLE = (
    Alloy("Sn63Pb37", 183, 183, 8.4, 45, "leaded, eutectic"),
    Alloy("Sn60Pb40", 183, 191, 8.5, 45, "leaded, pasty"),
    Alloy("Sn62Pb36Ag2", 179, 179, 8.4, 45, "leaded with silver"),
    Alloy("Sn96.5Ag3Cu0.5", 217, 220, 7.4, 60, "lead-free"),
    Alloy("Sn99.3Cu0.7", 227, 227, 7.3, 60, "lead-free"),
    Alloy("Sn96.5Ag3.5", 221, 221, 7.4, 60, "lead-free"),
    Alloy("Sn42Bi58", 138, 138, 8.6, 45, "low temperature, brittle in drop"),
    Alloy("Sn42Bi57.6Ag0.4", 138, 140, 8.6, 45, "low temperature"),
    Alloy("In52Sn48", 118, 118, 7.3, 28, "very low temperature"),
    Alloy("Bi32.5In51Sn16.5", 62, 62, 7.9, 25, "removal alloy"),
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
        Mark.FROM_MEMORY,
        "IPC J-STD-006 alloy tables, as remembered",
        "every melt moment of a joint in this alloy",
    )
    constant(
        f"latent_heat_{_alloy.name}",
        _alloy.latent_j_g,
        "J/g",
        Mark.FROM_MEMORY,
        "values between 25 and 60 are remembered for these alloys",
        "how long a joint stands at its melting point",
    )
