"""How much solder a joint wants: from the shape of lead and land, as prisms; lean below, fat above.

Lead dimensions by pitch are from memory of the families' drawings. Heights of fillets follow
acceptance practice (from memory of class 2): lean is the least heel or end fillet, fat is solder up
to the body or over the end's top.
"""

from dataclasses import dataclass

from yellowfen.core.deposit.through_hole import joint_mm3
from yellowfen.core.part.package import JointKind, Land, Package
from yellowfen.core.source.mark import Mark, constant

FILM_MM = constant(
    "solder_film",
    0.03,
    "mm",
    mark=Mark.FROM_MEMORY,
    source="solder that wets a bare pad stands about this high",
    affects="what a joint wants",
)
UNDER_FOOT_MM = constant(
    "solder_under_foot",
    0.04,
    "mm",
    mark=Mark.FROM_MEMORY,
    source="usual joint thickness under a lead or an end",
    affects="what a joint wants",
)
LEADLESS_MM = (0.03, 0.10)
USUAL_BOARD_MM = 1.6
THERMAL_MM = (0.04, 0.10)
# Gull-wing lead by pitch up to (mm): width, thickness, foot length, mm.
_LEADS = (
    (0.42, 0.16, 0.12, 0.55),
    (0.55, 0.22, 0.13, 0.6),
    (0.7, 0.25, 0.13, 0.6),
    (0.9, 0.32, 0.15, 0.6),
    (1.1, 0.4, 0.13, 0.45),
    (9.9, 0.42, 0.2, 0.75),
)


@dataclass(frozen=True)
class Lead:
    """A gull-wing or J lead: width, thickness and length of its foot, mm."""

    width_mm: float
    thick_mm: float
    foot_mm: float


def lead_of(package: Package) -> Lead:
    """The usual lead at a package's pitch [from memory of the families' drawings]."""
    pitch = package.pitch_mm
    return Lead(*next((lead[1:] for lead in _LEADS if pitch <= lead[0]), _LEADS[-1][1:]))


@dataclass(frozen=True)
class Wanted:
    """Solder a joint wants, mm³: below `lean` too little, above `fat` too much."""

    least_mm3: float
    most_mm3: float

    def verdict(self, solder_mm3: float) -> str:
        return (
            "starved"
            if solder_mm3 < self.least_mm3
            else "excess"
            if solder_mm3 > self.most_mm3
            else "good"
        )


def end_fillet_mm3(height_mm: float, base_mm: float, width_mm: float) -> float:
    """A fillet as a triangular prism."""
    return 0.5 * height_mm * base_mm * width_mm


def wanted(package: Package, land: Land) -> Wanted:
    """What the joint of one land wants, by its kind."""
    area = land.area_mm2
    long, short = max(land.size_x_mm, land.size_y_mm), min(land.size_x_mm, land.size_y_mm)
    if land.kind in (JointKind.GULL_WING, JointKind.J_LEAD):
        return _lead(package, long, short)
    if land.kind is JointKind.CHIP:
        return _chip(package, land)
    if land.kind in (JointKind.THERMAL_PAD, JointKind.TAB):
        return Wanted(THERMAL_MM[0] * area * 0.5, THERMAL_MM[1] * area)
    if land.kind is JointKind.THROUGH_HOLE:
        whole = joint_mm3(USUAL_BOARD_MM, ring_mm=max(min(long, short), 1.2))
        return Wanted(0.6 * whole, 1.2 * whole)
    if land.kind is JointKind.BALL:
        return Wanted(0.0, 0.5 * area * short)
    return Wanted(LEADLESS_MM[0] * area, LEADLESS_MM[1] * area)


def _lead(package: Package, long_mm: float, short_mm: float) -> Wanted:
    lead = lead_of(package)
    width, thick, foot = min(lead.width_mm, short_mm), lead.thick_mm, min(lead.foot_mm, long_mm)
    beyond, aside = (long_mm - foot) / 2, (short_mm - width) / 2
    seat = UNDER_FOOT_MM * foot * short_mm + FILM_MM * (long_mm - foot) * short_mm
    lean = 0.6 * seat + end_fillet_mm3(thick / 2, min(beyond, thick), width)
    heel = end_fillet_mm3(thick + UNDER_FOOT_MM, beyond, width)
    fat = seat + 2 * heel + 2 * end_fillet_mm3(thick, aside, foot)
    return Wanted(lean, fat)


def _chip(package: Package, land: Land) -> Wanted:
    """End fillets a quarter to the whole of the end's height, on the land that shows beyond the
    body.
    """
    sideways = package.beside(land)
    along, off = (land.size_x_mm, land.x_mm) if sideways else (land.size_y_mm, land.y_mm)
    width = land.area_mm2 / along
    half_body = (package.body_x_mm if sideways else package.body_y_mm) / 2
    shown = min(max(abs(off) + along / 2 - half_body, 0.05), along)
    covered = along - shown
    seat = UNDER_FOOT_MM * covered * width
    tall = package.height_mm
    return Wanted(
        0.6 * seat + end_fillet_mm3(0.25 * tall, min(shown, 0.25 * tall), width),
        seat + end_fillet_mm3(tall, shown, width) * 1.25,
    )
