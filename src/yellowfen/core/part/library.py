"""The user's own packages beside the built-in families: corrected once, known ever after.

Law: an own package answers to its name and to every footprint name it was bound to, before any
built-in rule does.
"""

import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

from yellowfen.core.part.catalogue import (
    BODY_G_CM3,
    BODY_W_MK,
    CERAMIC,
    CHIP_W_K,
    DIE_PAD_W_K,
    FINE_W_K,
    GULL_W_K,
    HOUSINGS,
    LEADLESS_W_K,
    LIMIT_CERAMIC,
    LIMIT_UNKNOWN_PLASTIC,
    MOULDED,
    PLASTIC,
    TAB_W_K,
    candidates,
    moulded_limit,
)
from yellowfen.core.part.package import JointKind, Land, Package
from yellowfen.core.quantity.number import in_range
from yellowfen.errors import InvalidValue

_STUFF = {
    "moulded": MOULDED,
    "ceramic": CERAMIC,
    "plastic": PLASTIC,
    "LCP": PLASTIC,
    "nylon": PLASTIC,
    "PBT": PLASTIC,
}
MOISTURE = ("", "1", "2", "2a", "3", "4", "5", "5a", "6")


@dataclass(frozen=True, kw_only=True)
class OwnPackage:
    """A package the user described. Lengths in mm, `limit_c` in °C (None: by its material).

    `lands` may be empty: then the board's own pads are taken. `aliases` are footprint names bound
    to it. Raises InvalidValue for sizes no part has.
    """

    name: str
    body_x_mm: float
    body_y_mm: float
    height_mm: float
    joint: JointKind = JointKind.GULL_WING
    material: str = "moulded"
    heat_shy: bool = False
    iron_only: bool = False
    limit_c: float | None = None
    moisture: str = ""
    polarity: str = ""
    aliases: tuple[str, ...] = ()
    lands: tuple[Land, ...] = field(default=())

    def __post_init__(self) -> None:
        if not 1 <= len(self.name.strip()) <= 80:
            raise InvalidValue("name", "a package needs a name of 1 to 80 characters")
        in_range("body_x_mm", self.body_x_mm, 0.1, 120, "mm")
        in_range("body_y_mm", self.body_y_mm, 0.1, 120, "mm")
        in_range("height_mm", self.height_mm, 0.05, 60, "mm")
        if self.limit_c is not None:
            in_range("limit_c", self.limit_c, 40, 450, "°C")
        if self.material not in _STUFF:
            raise InvalidValue("material", f"{self.material!r} is not one of {', '.join(_STUFF)}")
        if self.moisture not in MOISTURE:
            raise InvalidValue(
                "moisture",
                f"{self.moisture!r} is not a moisture class; leave it empty or write one of {', '.join(MOISTURE[1:])}",
            )
        if len(self.lands) > 2000:
            raise InvalidValue("lands", "a package has at most 2000 lands")
        for land in self.lands:
            in_range("lands", land.size_x_mm, 0.05, 80, "mm")
            in_range("lands", land.size_y_mm, 0.05, 80, "mm")
            in_range("lands", abs(land.x_mm) + abs(land.y_mm), 0, 200, "mm")

    def package(self) -> Package:
        """The package as heat and geometry see it."""
        stuff = _STUFF[self.material]
        limit, why = self._limit()
        lead = {
            JointKind.CHIP: CHIP_W_K,
            JointKind.LEADLESS: LEADLESS_W_K,
            JointKind.BALL: LEADLESS_W_K,
        }.get(self.joint, GULL_W_K if self.height_mm > 1.2 else FINE_W_K)
        tab = TAB_W_K if self.joint is JointKind.TAB else DIE_PAD_W_K
        gap = 0.05 if self.joint in (JointKind.LEADLESS, JointKind.CHIP) else 0.1
        return Package(
            name=self.name,
            family="own",
            body_x_mm=self.body_x_mm,
            body_y_mm=self.body_y_mm,
            height_mm=self.height_mm,
            gap_mm=gap,
            volumetric_heat_mj_m3k=stuff,
            lead_w_k=lead,
            tab_w_k=tab,
            limit_c=limit,
            limit_why=why,
            lands=self.lands,
            body_conductivity_w_mk=BODY_W_MK[stuff],
            density_g_cm3=BODY_G_CM3[stuff],
            has_pin_1=len(self.lands) > 2 or bool(self.polarity),
            heat_shy=self.heat_shy or self.iron_only,
            iron_only=self.iron_only,
            moisture=self.moisture,
            polarity=self.polarity,
        )

    def _limit(self) -> tuple[float, str]:
        if self.limit_c is not None:
            return self.limit_c, "you gave its limit"
        if self.material == "ceramic":
            return LIMIT_CERAMIC, "ceramic body"
        if self.material.upper() in HOUSINGS:
            return HOUSINGS[self.material.upper()]
        if self.material == "plastic" or self.heat_shy:
            return LIMIT_UNKNOWN_PLASTIC, "plastic of unknown kind (treated as PBT)"
        return moulded_limit(self.height_mm, self.body_x_mm * self.body_y_mm * self.height_mm)


def plain(name: str) -> str:
    """A footprint name without library prefix, case and punctuation, as names are compared."""
    return re.sub(r"[^a-z0-9.]+", "", name.rsplit(":", 1)[-1].lower())


class Library:
    """Own packages first, then what the user said a footprint name means, built-in families after."""

    def __init__(
        self, own: Sequence[OwnPackage] = (), meanings: Mapping[str, str] | None = None
    ) -> None:
        self.own = tuple(own)
        self._meanings = {
            plain(footprint): package for footprint, package in (meanings or {}).items()
        }
        self._by_name = {
            plain(name): one for one in own for name in (*one.aliases, one.name) if plain(name)
        }

    @property
    def meanings(self) -> Mapping[str, str]:
        """Package names by plain footprint name."""
        return self._meanings

    def own_for(self, footprint: str) -> OwnPackage | None:
        name = self._meanings.get(plain(footprint), footprint)
        return self._by_name.get(plain(footprint)) or self._by_name.get(plain(name))

    def candidates(self, footprint: str) -> tuple[Package, ...]:
        """What a footprint name may stand for, most likely first."""
        own = self.own_for(footprint)
        return (
            (own.package(),) if own else candidates(self._meanings.get(plain(footprint), footprint))
        )

    def find(self, footprint: str) -> Package | None:
        """The first of the candidates, or None."""
        found = self.candidates(footprint)
        return found[0] if found else None


BUILT_IN = Library()
