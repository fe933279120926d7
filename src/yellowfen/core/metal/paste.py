"""Solder paste: powder in a flux vehicle.

What share of a deposit is metal, and which balls it is made of.

Law: about half of what is printed vanishes; the metal's share of the volume follows exactly from
the densities.
"""

from dataclasses import dataclass

from yellowfen.core.metal.alloy import Alloy, alloy_named
from yellowfen.core.quantity.number import in_range
from yellowfen.core.source.mark import Mark, constant
from yellowfen.errors import InvalidValue

VEHICLE_G_CM3 = constant(
    "flux_vehicle_density",
    1.0,
    "g/cm³",
    mark=Mark.FROM_MEMORY,
    source="rosin, solvent and thixotropic agent",
    affects="metal share of a paste's volume",
)
PRINT_SHARE = constant(
    "metal_share_print",
    0.90,
    "1",
    mark=Mark.COMMON_PRACTICE,
    source="88 to 91 % by mass for printing",
    affects="solder in a printed deposit",
)
PRINT_SHARE_SAC = constant(
    "metal_share_print_sac",
    0.885,
    "1",
    mark=Mark.COMMON_PRACTICE,
    source="lighter tin-silver-copper powder: 88 to 89 % by mass",
    affects="solder in a printed deposit",
)
DISPENSE_SHARE = constant(
    "metal_share_dispense",
    0.86,
    "1",
    mark=Mark.COMMON_PRACTICE,
    source="84 to 87 % by mass for dispensing",
    affects="solder in a dispensed dot",
)
# Ball diameters that hold 80 to 90 % of the powder's mass, µm. Published: IPC J-STD-005 powder
# types.
POWDERS = {2: (45.0, 75.0), 3: (25.0, 45.0), 4: (20.0, 38.0), 5: (15.0, 25.0), 6: (5.0, 15.0)}


@dataclass(frozen=True)
class Paste:
    """A paste by alloy, powder type (2 to 6) and metal share by mass (0.7 to 0.95).

    Raises InvalidValue otherwise.
    """

    alloy: str
    powder: int = 4
    metal_share: float = PRINT_SHARE

    def __post_init__(self) -> None:
        alloy_named(self.alloy, "paste.alloy")
        if self.powder not in POWDERS:
            raise InvalidValue(
                "paste.powder", f"there is no powder type {self.powder}; choose 2 to 6"
            )
        in_range("paste.metal_share", self.metal_share, 0.7, 0.95)

    @property
    def metal(self) -> Alloy:
        return alloy_named(self.alloy)

    @property
    def largest_ball_mm(self) -> float:
        """Upper end of the powder's band."""
        return POWDERS[self.powder][1] / 1000

    @property
    def volume_share(self) -> float:
        """Metal's share of the paste's volume."""
        metal, vehicle = (
            self.metal_share / self.metal.density_g_cm3,
            (1 - self.metal_share) / VEHICLE_G_CM3,
        )
        return metal / (metal + vehicle)

    @property
    def density_g_cm3(self) -> float:
        """Mass of the paste per volume."""
        return 1.0 / (
            self.metal_share / self.metal.density_g_cm3 + (1 - self.metal_share) / VEHICLE_G_CM3
        )


# What the command line and the menus call them.
PASTES = {
    "sn63-t3": Paste("Sn63Pb37", 3),
    "sn63-t4": Paste("Sn63Pb37", 4),
    "sac-t3": Paste("Sn96.5Ag3Cu0.5", 3, PRINT_SHARE_SAC),
    "sac-t4": Paste("Sn96.5Ag3Cu0.5", 4, PRINT_SHARE_SAC),
    "sac-t5": Paste("Sn96.5Ag3Cu0.5", 5, PRINT_SHARE_SAC),
    "snbi-t4": Paste("Sn42Bi58", 4),
    "snbiag-t4": Paste("Sn42Bi57.6Ag0.4", 4),
}


def paste_named(name: str) -> Paste:
    """The paste of that short name; raises InvalidValue with the names that are known."""
    try:
        return PASTES[name.lower()]
    except KeyError:
        raise InvalidValue(
            "paste", f"no paste is called {name[:40]!r}; known are {', '.join(PASTES)}"
        ) from None
