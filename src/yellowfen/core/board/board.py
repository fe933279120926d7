"""A board as the application knows it: outline, pads, holes, copper maps, parts and what could not
be made out.

Millimetres; origin at the lower left corner of the box around the board, x right, y up, seen from
the top. Plain data: no file names are paths, nothing here opens anything.
"""

from dataclasses import dataclass, field
from enum import StrEnum

from yellowfen.core.board.shift import ShiftProposal
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
    NETLIST = "netlist"
    COMPONENTS = "component layer"
    IGNORED = "not used"


@dataclass(frozen=True, kw_only=True)
class LayerGuess:
    """A file, the role it was taken for, and why.

    `facts` says what it holds in words; `extent_mm` is the box around it (x0, y0, x1, y1) in the
    file's own coordinates; `problem` says why a file was set aside.
    """

    file: str
    role: Role
    why: str
    facts: str = ""
    unit: str = ""
    extent_mm: tuple[float, float, float, float] | None = None
    problem: str = ""


@dataclass(frozen=True, kw_only=True)
class Pad:
    """Exposed metal a part may be soldered to.

    `ring` is its outline; `paste_mm2` the stencil openings over it.

    `tie` says how it hangs on a plane: "solid", "relief" (thermal spokes), "via" (through holes),
    or "" (it does not).
    """

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
    tie: str = ""

    # Written without `replace`, which takes half as long again: boards have tens of thousands.
    def with_copper(self, net: str | None, tie: str) -> "Pad":
        """The pad on its net."""
        return Pad(**{**vars(self), "net": net, "tie": tie})

    def of_part(self, ref: str, pin: str) -> "Pad":
        """The pad as a part's pin."""
        return Pad(**{**vars(self), "ref": ref, "pin": pin})

    def lying(
        self, x_mm: float, y_mm: float, *, size_x_mm: float, size_y_mm: float, angle_deg: float
    ) -> "Pad":
        """The pad with another place, size and angle."""
        laid = {
            "x_mm": x_mm,
            "y_mm": y_mm,
            "size_x_mm": size_x_mm,
            "size_y_mm": size_y_mm,
            "angle_deg": angle_deg,
        }
        return Pad(**{**vars(self), **laid})


@dataclass(frozen=True, kw_only=True)
class Opening:
    """An opening of the stencil: its outline and the rings within it that stay foil, its area
    without them and its whole edge; `pad` is the place of the pad it lies over in the board's pads.

    Sizes along and across are those of the smallest rectangle round it, `angle_deg` that
    rectangle's.
    """

    side: str
    ring: tuple[Point, ...]
    area_mm2: float
    perimeter_mm: float
    size_x_mm: float
    size_y_mm: float
    angle_deg: float
    pad: int | None = None
    inner: tuple[tuple[Point, ...], ...] = ()

    @property
    def narrowest_mm(self) -> float:
        """How wide it is where it is narrowest: its smaller side; of a ring its band's width."""
        across = min(self.size_x_mm, self.size_y_mm)
        return min(across, 2 * self.area_mm2 / self.perimeter_mm) if self.inner else across


@dataclass(frozen=True, kw_only=True)
class Hole:
    """A drilled hole or slot (x2, y2 its other end); `layers` the copper layers it joins, from 1,
    all when not said.
    """

    x_mm: float
    y_mm: float
    drill_mm: float
    plated: bool
    x2_mm: float | None = None
    y2_mm: float | None = None
    layers: tuple[int, int] | None = None


@dataclass(frozen=True)
class Ink:
    """A bit of drawing: SVG path data in hundredths of a millimetre (y up), filled at width 0, else
    a round-ended stroke.

    `clear` ink takes away what was drawn before it.
    """

    path: str
    width_mm: float = 0.0
    clear: bool = False


@dataclass(frozen=True, kw_only=True)
class CopperMap:
    """Copper coverage of one layer on square cells of `cell_mm`, rows from the lower edge up.

    `links`: how the drawn copper conducts between as many cells that divide the board evenly
    (copper_links, packed in x and in y); empty where nothing is drawn.
    """

    layer: str
    depth: float
    thickness_um: float
    cell_mm: float
    coverage: tuple[tuple[float, ...], ...]
    area_mm2: float
    links: tuple[str, str] | None = None


@dataclass(frozen=True, kw_only=True)
class BoardPart:
    """A part on the board. `package` carries the lands it really has here, in its own frame;
    `in_holes` more stand in holes beside joints on the face, and are not among its joints.
    """

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
    in_holes: int = 0


@dataclass(frozen=True)
class Finding:
    """Something that could not be made out, or was assumed; one sentence each."""

    about: str
    sentence: str


@dataclass(frozen=True, kw_only=True)
class Board:
    """One board, whole.

    `drawings` holds what is drawn on a layer by its name; `origin` is its corner in file
    coordinates.

    `printed_marks` says for parts on a side with a legend whether pin 1 is marked: "shown", "under
    the body" or "none".
    """

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
    drawings: dict[str, tuple[Ink, ...]] = field(default_factory=dict)
    origin: Point = (0.0, 0.0)
    proposals: tuple[ShiftProposal, ...] = ()
    printed_marks: dict[str, str] = field(default_factory=dict)
    openings: tuple[Opening, ...] = ()

    def part(self, ref: str) -> BoardPart:
        return next(part for part in self.parts if part.ref == ref)
