"""A board as the application knows it: outline, pads, holes, copper maps, parts and what could not be made out.

Millimetres; origin at the lower left corner of the box around the board, x right, y up, seen from the top.
Plain data: no file names are paths, nothing here opens anything.
"""

from dataclasses import dataclass, field
from enum import StrEnum

from yellowfen.core.part.package import Package

Point = tuple[float, float]


class Role(StrEnum):
    """What a file of a board set is."""

    COPPER_TOP = "copper top"
    COPPER_BOTTOM = "copper bottom"
    COPPER_INNER = "copper inner"
    MASK_TOP = "mask top"
    MASK_BOTTOM = "mask bottom"
    PASTE_TOP = "paste top"
    PASTE_BOTTOM = "paste bottom"
    LEGEND_TOP = "legend top"
    LEGEND_BOTTOM = "legend bottom"
    OUTLINE = "outline"
    DRILL = "drill, plated"
    DRILL_UNPLATED = "drill, unplated"
    PLACEMENT = "placement"
    BILL = "bill of materials"
    IGNORED = "not used"


@dataclass(frozen=True)
class LayerGuess:
    """A file, the role it was taken for, and why."""

    file: str
    role: Role
    why: str
    facts: str = ""


@dataclass(frozen=True)
class Pad:
    """Exposed metal a part may be soldered to. `ring` is its outline; `paste_mm2` the stencil openings over it."""

    side: str
    x_mm: float
    y_mm: float
    size_x_mm: float
    size_y_mm: float
    angle_deg: float
    area_mm2: float
    paste_mm2: float
    ring: tuple[Point, ...]
    ref: str | None = None
    pin: str | None = None
    net: str | None = None


@dataclass(frozen=True)
class Hole:
    """A drilled hole or slot (x2, y2 its other end)."""

    x_mm: float
    y_mm: float
    drill_mm: float
    plated: bool
    x2_mm: float | None = None
    y2_mm: float | None = None


@dataclass(frozen=True)
class CopperMap:
    """Copper coverage of one layer on square cells of `cell_mm`, rows from the lower edge up."""

    layer: str
    depth: float
    thickness_um: float
    cell_mm: float
    coverage: tuple[tuple[float, ...], ...]
    area_mm2: float


@dataclass(frozen=True)
class BoardPart:
    """A part on the board. `package` carries the lands it really has here, in its own frame."""

    ref: str
    value: str
    footprint: str
    x_mm: float
    y_mm: float
    rotation_deg: float
    side: str
    package: Package
    joined: bool
    note: str = ""


@dataclass(frozen=True)
class Finding:
    """Something that could not be made out, or was assumed; one sentence each."""

    about: str
    sentence: str


@dataclass(frozen=True)
class Board:
    """One board, whole. `drawings` holds SVG path data in board millimetres (y up) by layer name."""

    name: str
    width_mm: float
    height_mm: float
    thickness_mm: float
    outline: tuple[tuple[Point, ...], ...]
    pads: tuple[Pad, ...]
    holes: tuple[Hole, ...]
    copper: tuple[CopperMap, ...]
    parts: tuple[BoardPart, ...]
    layers: tuple[LayerGuess, ...]
    findings: tuple[Finding, ...]
    paste_openings: dict[str, int] = field(default_factory=dict)
    paste_area_mm2: dict[str, float] = field(default_factory=dict)
    drawings: dict[str, str] = field(default_factory=dict)
    origin: Point = (0.0, 0.0)

    def part(self, ref: str) -> BoardPart:
        return next(part for part in self.parts if part.ref == ref)
