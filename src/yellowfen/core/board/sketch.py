"""A patch of a board sketched by hand: its size, a guess of its copper, and parts by package.

It becomes a Board like any other.

Laws: pads are the packages' own lands; the copper is a stated guess and said so in the board's
findings.
"""

import itertools
import math
from collections.abc import Sequence
from dataclasses import dataclass, field
from enum import StrEnum

from yellowfen.core.board.board import Board, BoardPart, CopperMap, Finding, Opening, Pad, Point
from yellowfen.core.board.sketch_nets import LONGEST_LINE, MOST_LINES, WrittenNets, written_nets
from yellowfen.core.part.library import BUILT_IN, Library
from yellowfen.core.part.package import JointKind, Land, Package
from yellowfen.core.quantity.number import in_range
from yellowfen.core.quantity.wording import counted
from yellowfen.core.source.mark import Mark, constant
from yellowfen.errors import InvalidValue

TRACES_SHARE = constant(
    "sketch_traces",
    0.25,
    "1",
    mark=Mark.FROM_MEMORY,
    source="tracks cover a fifth to a third of a two-sided board",
    affects="copper of a sketched patch",
)
PLANE_SHARE = constant(
    "sketch_plane",
    0.9,
    "1",
    mark=Mark.FROM_MEMORY,
    source="a plane less its clearances",
    affects="copper of a sketched patch with a plane",
)
DOUBT_SHARE = constant(
    "sketch_plane_unknown",
    0.55,
    "1",
    mark=Mark.FROM_MEMORY,
    source="between tracks and a plane",
    affects="copper of a sketched patch, plane not known",
)
FOIL_UM, CELL_MM = 35.0, 0.5
MOST_PARTS = 200


class Plane(StrEnum):
    """Whether a solid plane lies below the part."""

    YES = "yes"
    NO = "no"
    UNKNOWN = "don't know"


@dataclass(frozen=True, kw_only=True)
class SketchedPart:
    """A part by its package's name; place of its middle in mm from the lower left, turned
    anticlockwise.
    """

    ref: str
    package: str
    x_mm: float
    y_mm: float
    rotation_deg: float = 0.0
    side: str = "top"
    value: str = ""

    def __post_init__(self) -> None:
        if not 1 <= len(self.ref.strip()) <= 20:
            raise InvalidValue("parts.ref", "a part needs a name of 1 to 20 characters")
        in_range(f"parts.{self.ref}.x_mm", self.x_mm, -20, 420, "mm")
        in_range(f"parts.{self.ref}.y_mm", self.y_mm, -20, 420, "mm")
        in_range(f"parts.{self.ref}.rotation_deg", self.rotation_deg, -360, 360, "°")
        if self.side not in ("top", "bottom"):
            raise InvalidValue(
                f"parts.{self.ref}.side", f"{self.side!r} is not a side; say top or bottom"
            )


@dataclass(frozen=True, kw_only=True)
class Underlay:
    """How the picture lies under the sketch: its left lower corner (mm), mm per pixel, turned
    anticlockwise about that corner.
    """

    x_mm: float = 0.0
    y_mm: float = 0.0
    mm_per_px: float = 0.1
    turn_deg: float = 0.0
    width_px: int = 1
    height_px: int = 1

    def __post_init__(self) -> None:
        in_range("picture.mm_per_px", self.mm_per_px, 1e-4, 10, "mm per pixel")
        in_range("picture.turn_deg", self.turn_deg, -360, 360, "°")
        in_range("picture.x_mm", self.x_mm, -2000, 2000, "mm")
        in_range("picture.y_mm", self.y_mm, -2000, 2000, "mm")
        in_range("picture.width_px", self.width_px, 1, 20000, "pixels")
        in_range("picture.height_px", self.height_px, 1, 20000, "pixels")


@dataclass(frozen=True, kw_only=True)
class Sketch:
    """What was sketched. Raises InvalidValue for sizes no board has, and for two parts of one name."""

    name: str
    width_mm: float = 40.0
    height_mm: float = 30.0
    thickness_mm: float = 1.6
    plane: Plane = Plane.UNKNOWN
    parts: tuple[SketchedPart, ...] = field(default=())
    picture: Underlay | None = None
    nets: tuple[str, ...] = ()

    def __post_init__(self) -> None:
        if not 1 <= len(self.name.strip()) <= 120:
            raise InvalidValue("name", "a patch needs a name of 1 to 120 characters")
        in_range("width_mm", self.width_mm, 2, 400, "mm")
        in_range("height_mm", self.height_mm, 2, 400, "mm")
        in_range("thickness_mm", self.thickness_mm, 0.2, 5, "mm")
        if len(self.parts) > MOST_PARTS:
            raise InvalidValue("parts", f"a sketched patch has at most {MOST_PARTS} parts")
        if len(self.nets) > MOST_LINES or any(len(line) > LONGEST_LINE for line in self.nets):
            raise InvalidValue(
                "nets", f"write at most {MOST_LINES} nets, each within {LONGEST_LINE} characters"
            )
        refs = [part.ref for part in self.parts]
        doubled = next((ref for ref in refs if refs.count(ref) > 1), None)
        if doubled:
            raise InvalidValue("parts", f"{doubled} appears twice; give each part its own name")


def board_of(sketch: Sketch, library: Library = BUILT_IN) -> Board:
    """The board a sketch stands for. Raises InvalidValue for a package that is not known."""
    parts = [_part(sketched, library) for sketched in sketch.parts]
    pads = [
        _pad(sketched, part.package, land, sketch.plane)
        for sketched, part in zip(sketch.parts, parts, strict=True)
        for land in part.package.lands
    ]
    pins = {part.ref: [land.pin for land in part.package.lands] for part in parts if part.package}
    nets = written_nets(sketch.nets, pins)
    pads = [pad.with_copper(nets.of.get((pad.ref or "", pad.pin or "")), pad.tie) for pad in pads]
    outline: tuple[Point, ...] = (
        (0.0, 0.0),
        (sketch.width_mm, 0.0),
        (sketch.width_mm, sketch.height_mm),
        (0.0, sketch.height_mm),
    )
    return Board(
        name=sketch.name,
        width_mm=sketch.width_mm,
        height_mm=sketch.height_mm,
        thickness_mm=sketch.thickness_mm,
        outline=(outline,),
        pads=tuple(pads),
        holes=(),
        copper=_copper(sketch),
        parts=tuple(parts),
        layers=(),
        findings=_findings(sketch, nets, parts),
        openings=tuple(_opening(pad, number) for number, pad in enumerate(pads)),
        paste_openings={side: sum(pad.side == side for pad in pads) for side in ("top", "bottom")},
        paste_area_mm2={
            side: round(sum(pad.paste_mm2 for pad in pads if pad.side == side), 4)
            for side in ("top", "bottom")
        },
    )


def _part(sketched: SketchedPart, library: Library) -> BoardPart:
    """Raises InvalidValue for a package that is not known."""
    package = library.find(sketched.package)
    if package is None or not package.lands:
        raise InvalidValue(
            f"parts.{sketched.ref}.package",
            f"no package with lands is known as {sketched.package!r}; pick one from the palette",
        )
    return BoardPart(
        ref=sketched.ref,
        value=sketched.value,
        footprint=sketched.package,
        x_mm=sketched.x_mm,
        y_mm=sketched.y_mm,
        rotation_deg=sketched.rotation_deg % 360,
        side=sketched.side,
        package=package,
        joined=True,
        note="",
    )


def _opening(pad: Pad, number: int) -> Opening:
    """Paste as large as the pad: nobody knows better."""
    return Opening(
        side=pad.side,
        ring=pad.ring,
        area_mm2=pad.area_mm2,
        perimeter_mm=2 * (pad.size_x_mm + pad.size_y_mm),
        size_x_mm=pad.size_x_mm,
        size_y_mm=pad.size_y_mm,
        angle_deg=pad.angle_deg,
        pad=number,
    )


OVERLAP_SHARE = 0.02  # of the smaller body: less is a touch


def _overlapping(parts: Sequence[BoardPart]) -> list[tuple[str, str]]:
    """Pairs of parts of one face whose bodies lie over each other."""
    from shapely import affinity, box  # a tenth of a second, which no other start waits for

    bodies = []
    for part in parts:
        x, y = part.package.body_x_mm, part.package.body_y_mm
        body = affinity.rotate(box(-x / 2, -y / 2, x / 2, y / 2), part.rotation_deg, origin=(0, 0))
        bodies.append((part, affinity.translate(body, part.x_mm, part.y_mm)))
    return [
        (one.ref, other.ref)
        for (one, a), (other, b) in itertools.combinations(bodies, 2)
        if one.side == other.side and a.intersection(b).area > OVERLAP_SHARE * min(a.area, b.area)
    ]


def _findings(sketch: Sketch, nets: WrittenNets, parts: Sequence[BoardPart]) -> tuple[Finding, ...]:
    said = {
        Plane.YES: "a plane below the part, tracks on top",
        Plane.NO: "tracks on both sides, no plane",
        Plane.UNKNOWN: "more than tracks, less than a plane, since you do not know; hold the board's edge against the light",
    }
    known = (
        f"{counted(len(nets.names), 'net')} as you entered them, the rest not known"
        if nets.names
        else "nets are not known"
    )
    findings = [Finding("copper", f"sketched without files: {said[sketch.plane]}; {known}")]
    findings += [Finding("nets", problem) for problem in nets.problems]
    for one, other in _overlapping(parts):
        over = f"{one} and {other} overlap on the same side; move one of them"
        findings.append(Finding(one, over))
    outside = [
        part.ref
        for part in sketch.parts
        if not (0 <= part.x_mm <= sketch.width_mm and 0 <= part.y_mm <= sketch.height_mm)
    ]
    if outside:
        findings.append(
            Finding(
                outside[0],
                f"{', '.join(outside)} lie outside the patch and are left out of the rehearsal",
            )
        )
    return tuple(findings)


def _copper(sketch: Sketch) -> tuple[CopperMap, ...]:
    below = {Plane.YES: PLANE_SHARE, Plane.NO: TRACES_SHARE, Plane.UNKNOWN: DOUBT_SHARE}[
        sketch.plane
    ]
    nx, ny = (
        max(1, math.ceil(sketch.width_mm / CELL_MM)),
        max(1, math.ceil(sketch.height_mm / CELL_MM)),
    )
    area = nx * ny * CELL_MM**2
    return tuple(
        CopperMap(
            layer=layer,
            depth=depth,
            thickness_um=FOIL_UM,
            cell_mm=CELL_MM,
            coverage=((share,) * nx,) * ny,
            area_mm2=round(share * area, 3),
        )
        for layer, depth, share in (("top", 0.0, TRACES_SHARE), ("bottom", 1.0, below))
    )


def _pad(part: SketchedPart, package: Package, land: Land, plane: Plane) -> Pad:
    angle = math.radians(part.rotation_deg)
    cos, sin = math.cos(angle), math.sin(angle)
    flip = 1.0 if part.side == "top" else -1.0

    def place(x: float, y: float) -> Point:
        return round(part.x_mm + flip * (x * cos - y * sin), 4), round(
            part.y_mm + x * sin + y * cos, 4
        )

    half_x, half_y = land.size_x_mm / 2, land.size_y_mm / 2
    ring = tuple(
        place(land.x_mm + sx * half_x, land.y_mm + sy * half_y)
        for sx, sy in ((-1, -1), (1, -1), (1, 1), (-1, 1))
    )
    x, y = place(land.x_mm, land.y_mm)
    tie = (
        "via" if plane is Plane.YES and land.kind in (JointKind.THERMAL_PAD, JointKind.TAB) else ""
    )
    return Pad(
        side=part.side,
        x_mm=x,
        y_mm=y,
        size_x_mm=land.size_x_mm,
        size_y_mm=land.size_y_mm,
        angle_deg=(flip * part.rotation_deg) % 180,
        area_mm2=land.area_mm2,
        paste_mm2=land.area_mm2,
        ring=ring,
        ref=part.ref,
        pin=land.pin,
        net=None,
        tie=tie,
    )
