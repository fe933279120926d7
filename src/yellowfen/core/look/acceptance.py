"""What counts as a good joint, in millimetres of this joint: classes 1, 2 and 3.

From memory of acceptance practice (IPC-A-610 as remembered); every figure carries that mark and is
drawn to scale. Class 1: it works; 2: it lasts; 3: it must not fail.
"""

from dataclasses import dataclass, replace

from yellowfen.core.deposit.fillet import UNDER_FOOT_MM, lead_of
from yellowfen.core.part.package import JointKind, Land, Package
from yellowfen.core.quantity.number import in_range
from yellowfen.core.quantity.units import MM, with_unit
from yellowfen.core.source.mark import Mark, constant
from yellowfen.errors import InvalidValue

_M = Mark.FROM_MEMORY
SIDE_CLASS_3 = constant(
    "accept_side_3",
    25.0,
    "%",
    mark=_M,
    source="IPC-A-610 as remembered: side overhang 50, 50, 25 % of the narrower of part and land",
    affects="what counts as good",
)
END_CLASS_3 = constant(
    "accept_end_3",
    75.0,
    "%",
    mark=_M,
    source="IPC-A-610 as remembered: end joint 50, 50, 75 % of that width",
    affects="what counts as good",
)
OVER_MOST_MM = constant(
    "accept_over_most",
    0.5,
    "mm",
    mark=_M,
    source="IPC-A-610 as remembered: a lead's overhang never more than half a millimetre",
    affects="what counts as good",
)
_SIDE = {1: 50.0, 2: 50.0, 3: SIDE_CLASS_3}
_END = {1: 50.0, 2: 50.0, 3: END_CLASS_3}
_LEADLESS_SIDE = {1: 50.0, 2: 25.0, 3: 25.0}
_LEADLESS_END = {1: 50.0, 2: 75.0, 3: 75.0}


@dataclass(frozen=True, kw_only=True)
class Limits:
    """The shares of one class: side overhang and end joint width of chips and leads, of leadless
    parts, in %; how far a lead may ever hang over, mm. `own`: set by the user, not as remembered.
    Raises InvalidValue outside 0 to 100 % and 0 to 2 mm.
    """

    side: float
    end: float
    leadless_side: float
    leadless_end: float
    over_most_mm: float = OVER_MOST_MM
    own: bool = False

    def __post_init__(self) -> None:
        for name in ("side", "end", "leadless_side", "leadless_end"):
            in_range(name, getattr(self, name), 0.0, 100.0, "%")
        in_range("over_most_mm", self.over_most_mm, 0.0, 2.0, "mm")

    @property
    def mark(self) -> Mark:
        """Where the figures come from."""
        return Mark.JUDGED if self.own else _M


def remembered(grade: int) -> Limits:
    """The limits of a class of 1 to 3 as remembered."""
    in_range("class", grade, 1, 3)
    return Limits(
        side=_SIDE[grade],
        end=_END[grade],
        leadless_side=_LEADLESS_SIDE[grade],
        leadless_end=_LEADLESS_END[grade],
    )


@dataclass(frozen=True, kw_only=True)
class Criterion:
    """One criterion: what is measured, the limit in mm, whether less or more of it is good, and of
    what it is a share.
    """

    name: str
    limit_mm: float
    at_most: bool
    basis: str
    mark: Mark = _M

    def meets(self, measured_mm: float) -> bool:
        """Whether a measured value is good."""
        return measured_mm <= self.limit_mm if self.at_most else measured_mm >= self.limit_mm

    @property
    def says(self) -> str:
        word = "at most" if self.at_most else "at least"
        return f"{self.name}: {word} {with_unit(self.limit_mm, MM, 2)} ({self.basis})"


@dataclass(frozen=True, kw_only=True)
class Shape:
    """A joint from above and its lead, mm: the land's width and length, the lead's or end's width,
    thickness and foot.
    """

    land_wide: float
    land_long: float
    lead_wide: float
    lead_thick: float
    foot: float


def shape_of(package: Package, land: Land) -> Shape:
    """A joint's own dimensions; of leads as usual at the pitch, of chips from the body."""
    long, short = max(land.size_x_mm, land.size_y_mm), min(land.size_x_mm, land.size_y_mm)
    if land.kind in (JointKind.GULL_WING, JointKind.J_LEAD):
        lead = lead_of(package)
        return Shape(
            land_wide=short,
            land_long=long,
            lead_wide=min(lead.width_mm, short),
            lead_thick=lead.thick_mm,
            foot=min(lead.foot_mm, long),
        )
    sideways = package.beside(land)
    along, across = (
        (land.size_x_mm, land.size_y_mm) if sideways else (land.size_y_mm, land.size_x_mm)
    )
    body, half = (
        (package.body_y_mm, package.body_x_mm / 2)
        if sideways
        else (package.body_x_mm, package.body_y_mm / 2)
    )
    wide = min(body, across) if len(package.lands) > 2 else body
    inner = abs(land.x_mm if sideways else land.y_mm) - along / 2
    covered = min(max(half - inner, 0.1 * along), along)
    return Shape(
        land_wide=across,
        land_long=along,
        lead_wide=wide,
        lead_thick=package.height_mm,
        foot=covered,
    )


def criteria(
    package: Package, pin: str, grade: int = 2, limits: Limits | None = None
) -> tuple[Criterion, ...]:
    """The criteria of one joint for a class of 1 to 3, by the user's own limits or as remembered;
    none for joints that no eye sees.

    Raises InvalidValue for an unknown pin or class.
    """
    in_range("class", grade, 1, 3)
    land = next((one for one in package.lands if one.pin == pin), None)
    if land is None:
        raise InvalidValue("pin", f"{package.name} has no pin {pin!r}")
    shape, by = shape_of(package, land), limits or remembered(grade)
    found: tuple[Criterion, ...] = ()
    if land.kind in (JointKind.GULL_WING, JointKind.J_LEAD):
        found = _lead(shape, grade, by)
    elif land.kind is JointKind.CHIP:
        found = _chip(shape, by)
    elif land.kind is JointKind.LEADLESS:
        found = _leadless(shape, by)
    return tuple(replace(one, mark=by.mark) for one in found)


def _chip(shape: Shape, by: Limits) -> tuple[Criterion, ...]:
    narrow = min(shape.lead_wide, shape.land_wide)
    return (
        Criterion(
            name="side overhang",
            limit_mm=by.side / 100 * narrow,
            at_most=True,
            basis=f"{by.side:.0f} % of the narrower of part and land",
        ),
        Criterion(name="end overhang", limit_mm=0.0, at_most=True, basis="none"),
        Criterion(
            name="end joint width",
            limit_mm=by.end / 100 * narrow,
            at_most=False,
            basis=f"{by.end:.0f} % of the narrower of part and land",
        ),
    )


def _lead(shape: Shape, grade: int, by: Limits) -> tuple[Criterion, ...]:
    wide = shape.lead_wide
    over = min(by.side / 100 * wide, by.over_most_mm)
    if grade == 1:
        side, why = min(wide, OVER_MOST_MM), "the lead's width, or 0.5 mm"
    elif shape.foot < 3 * wide:
        side, why = (
            shape.foot,
            "the whole length of the lead on the pad, since it is shorter than three widths",
        )
    else:
        side, why = (
            max(3 * wide, 0.75 * shape.foot),
            "the longer of three widths and three quarters of the lead's length on the pad",
        )
    found = [
        Criterion(
            name="side overhang",
            limit_mm=over,
            at_most=True,
            basis=f"{by.side:.0f} % of the lead's width, {with_unit(by.over_most_mm, MM)} at most",
        ),
        Criterion(
            name="end joint width",
            limit_mm=by.end / 100 * wide,
            at_most=False,
            basis=f"{by.end:.0f} % of the lead's width",
        ),
        Criterion(name="side joint length", limit_mm=side, at_most=False, basis=why),
    ]
    if grade > 1:
        share = 0.5 if grade == 2 else 1.0
        found.append(
            Criterion(
                name="heel fillet height",
                limit_mm=UNDER_FOOT_MM + share * shape.lead_thick,
                at_most=False,
                basis="solder under the lead and "
                + ("half" if grade == 2 else "all")
                + " of the lead's thickness",
            )
        )
    return tuple(found)


def _leadless(shape: Shape, by: Limits) -> tuple[Criterion, ...]:
    wide = shape.lead_wide
    return (
        Criterion(
            name="side overhang",
            limit_mm=by.leadless_side / 100 * wide,
            at_most=True,
            basis=f"{by.leadless_side:.0f} % of the terminal's width",
        ),
        Criterion(
            name="end joint width",
            limit_mm=by.leadless_end / 100 * wide,
            at_most=False,
            basis=f"{by.leadless_end:.0f} % of the terminal's width",
        ),
    )
