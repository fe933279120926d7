"""A package as heat and geometry see it: body, lands, joints, limit.

Coordinates: millimetres in the part's own frame, origin at the body's centre, pin 1 towards the
upper left (x negative, y positive) where the family has one. Lands are rectangles along the axes of
that frame.
"""

import math
from dataclasses import dataclass, replace
from enum import StrEnum
from functools import cached_property

import numpy as np


class JointKind(StrEnum):
    """How a terminal meets its pad."""

    CHIP = "chip"
    GULL_WING = "gull-wing"
    J_LEAD = "J-lead"
    TAB = "tab"
    LEADLESS = "leadless"
    THERMAL_PAD = "thermal pad"
    UNDER_BODY = "under the body"
    BALL = "ball"
    THROUGH_HOLE = "through-hole"


REACHES_OUT_MM = 0.4
_LEADED = frozenset((JointKind.GULL_WING, JointKind.J_LEAD, JointKind.LEADLESS))
HIDDEN = frozenset((JointKind.THERMAL_PAD, JointKind.UNDER_BODY, JointKind.BALL))


@dataclass(frozen=True, kw_only=True)
class Land:
    """One terminal's land: centre, size (mm), and the joint kind."""

    pin: str
    x_mm: float
    y_mm: float
    size_x_mm: float
    size_y_mm: float
    kind: JointKind

    @property
    def area_mm2(self) -> float:
        return self.size_x_mm * self.size_y_mm


@dataclass(frozen=True, kw_only=True)
class Package:
    """One package. Sizes in mm; `volumetric_heat_mj_m3k` is the body's heat capacity per volume.

    `lead_w_k` is the conductance from the body to one joint (W/K); `tab_w_k` to a tab or thermal
    pad. `limit_c` is the body's own limit, with the reason it stands there. `iron_only` marks parts
    that air and plate ruin; `moisture` and `polarity` are set where the user's own catalogue says
    more than the family's rule.
    """

    name: str
    family: str
    body_x_mm: float
    body_y_mm: float
    height_mm: float
    gap_mm: float
    volumetric_heat_mj_m3k: float
    lead_w_k: float
    tab_w_k: float
    limit_c: float
    limit_why: str
    lands: tuple[Land, ...]
    body_conductivity_w_mk: float = 0.7
    shell_share: float = 0.5
    density_g_cm3: float = 2.0
    has_pin_1: bool = True
    heat_shy: bool = False
    guessed: bool = False
    iron_only: bool = False
    moisture: str = ""
    polarity: str = ""

    @property
    def body_heat_j_k(self) -> float:
        """Heat capacity of the body, J/K."""
        return (
            self.body_x_mm
            * self.body_y_mm
            * self.height_mm
            * 1e-9
            * self.volumetric_heat_mj_m3k
            * 1e6
        )

    @property
    def mass_mg(self) -> float:
        """Mass of the body, mg (mm³ times g/cm³)."""
        return self.body_x_mm * self.body_y_mm * self.height_mm * self.density_g_cm3

    @property
    def shell_w_k(self) -> float:
        """Conductance from the shell (upper half, walls) to the core (lead frame, lower half), W/K."""
        return (
            self.body_x_mm
            * self.body_y_mm
            / self.height_mm
            * 2.0
            * 1e-3
            * self.body_conductivity_w_mk
        )

    @property
    def hidden_joints(self) -> bool:
        """True when at least one joint cannot be seen from outside."""
        return any(land.kind in HIDDEN for land in self.lands)

    def beside(self, land: Land) -> bool:
        """True for a land off the body's left or right side, False for one above or below: the pins
        at the ends of a long row lie farther along it than off it, so shares of the body decide,
        and of a slender lead's land its length.
        """
        long, short = max(land.size_x_mm, land.size_y_mm), min(land.size_x_mm, land.size_y_mm)
        if land.kind in _LEADED and long > 1.3 * short:
            return land.size_x_mm > land.size_y_mm
        return abs(land.x_mm) * self.body_y_mm >= abs(land.y_mm) * self.body_x_mm

    @cached_property
    def pitch_mm(self) -> float:
        """Usual distance from a land's middle to the nearest other; infinite for fewer than two.

        The median, since a track that the mask bares moves a pad's middle a little.
        """
        places = np.array(
            [
                (land.x_mm, land.y_mm)
                for land in self.lands
                if land.kind is not JointKind.THERMAL_PAD
            ]
        )
        if len(places) < 2:
            return math.inf
        apart = np.hypot(*(places[:, None, :] - places[None, :, :]).transpose(2, 0, 1))
        np.fill_diagonal(apart, math.inf)
        return float(np.median(apart.min(axis=1)))

    @property
    def forgives_mm(self) -> float:
        """How far a part may be set down beside its place and still pull itself straight: half of
        its narrowest land [from memory: a lead with half of itself on paste follows it].
        """
        across = [
            min(land.size_x_mm, land.size_y_mm)
            for land in self.lands
            if land.kind is not JointKind.THERMAL_PAD
        ]
        return 0.5 * min(across) if across else 0.0

    @property
    def has_thermal_pad(self) -> bool:
        return any(land.kind is JointKind.THERMAL_PAD for land in self.lands)


def with_lands(package: Package, lands: tuple[Land, ...]) -> Package:
    """The package on the lands a board really has; the body stays."""
    return replace(package, lands=lands)


def tip_reaches(package: Package, land: Land) -> bool:
    """True where an iron's tip gets at a joint: it is not hidden, or its land reaches out from the
    body by `REACHES_OUT_MM` (cans, inductors).
    """
    if land.kind is not JointKind.UNDER_BODY:
        return land.kind not in HIDDEN
    out = max(
        abs(land.x_mm) + land.size_x_mm / 2 - package.body_x_mm / 2,
        abs(land.y_mm) + land.size_y_mm / 2 - package.body_y_mm / 2,
    )
    return out >= REACHES_OUT_MM
