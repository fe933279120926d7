"""Putting a part on again, on pads as they are: how thick the joint becomes, from how far off it
pulls itself in, and a small stencil for this one part.

Laws: the part rests where the columns of molten solder carry its weight (`deposit.floating`); the
force that centres it is the derivative of the free surface's energy by the offset; what resists is
the flux under it, and a joint that is not molten yet.
"""

import math
from collections.abc import Sequence
from dataclasses import dataclass, replace

from shapely import Polygon

from yellowfen.core.board.board import Board, Opening, Point
from yellowfen.core.deposit.floating import SolderColumn, balance_mm, crown_mm, settled_mm
from yellowfen.core.metal.alloy import SURFACE_TENSION_N_M
from yellowfen.core.part.package import JointKind, Land, Package
from yellowfen.core.quantity.number import in_range
from yellowfen.core.quantity.units import MM, SECONDS, with_unit
from yellowfen.core.source.mark import Mark, constant
from yellowfen.errors import InvalidValue

_M = Mark.FROM_MEMORY
_G = 9.81
FLUX_PULL_PA = constant(
    "flux_pull",
    60.0,
    "Pa",
    mark=_M,
    source="hot flux between body and board yields at tens of pascals; cold tacky flux at hundreds",
    affects="from how far a part centres itself",
)
LEAD_COVERS = constant(
    "lead_over_pad",
    0.45,
    "1",
    mark=_M,
    source="share of a pad that a lead covers",
    affects="joint thickness under leads",
)
LEAST_OVERLAP = constant(
    "centring_overlap",
    0.4,
    "1",
    mark=_M,
    source="with less of its terminal over the pad a part pulls to the neighbour, or not at all",
    affects="from how far a part centres itself",
)
LAG_S = constant(
    "centring_lag",
    2.0,
    "s",
    mark=_M,
    source="joints that melt further apart than this turn a part around the one that holds",
    affects="does a part centre itself",
)
PRESSED_MM = constant(
    "pressed_joint",
    0.01,
    "mm",
    mark=_M,
    source="what is left under a part that is held down",
    affects="what pressing takes away",
)


@dataclass(frozen=True, kw_only=True)
class Thickness:
    """A part floating on its joints: height of solder under it, what a bump stands before, what is
    pressed out if it is held down; mm, mm³ a joint.
    """

    height_mm: float
    crown_mm: float
    pressed_mm: float
    squeezed_mm3: float


@dataclass(frozen=True, kw_only=True)
class Centring:
    """From how far off a part pulls itself in: `largest_mm` (0: it does not), what limits it, the
    force at that offset and what resists, mN.
    """

    largest_mm: float
    why: str
    force_mn: float
    resists_mn: float


def columns_of(package: Package, solder_mm3: float) -> tuple[SolderColumn, ...]:
    """The part's joints as columns of solder between pad and terminal, all alike.

    Raises InvalidValue for a part with none that floats.
    """
    in_range("solder_mm3", solder_mm3, 1e-6, 100, "mm³")
    found = [_under(package, land) for land in package.lands if land.kind in _FLOATS]
    if not found:
        raise InvalidValue("package", f"{package.name} does not float on its joints")
    under, across, toe = (sum(values) / len(found) for values in zip(*found, strict=True))
    edge = 2 * under + across if toe > 0 else 2 * (under + across)
    return (
        SolderColumn(
            area_mm2=under * across,
            perimeter_mm=edge,
            volume_mm3=solder_mm3,
            count=len(found),
            toe_width_mm=across,
            toe_length_mm=toe,
        ),
    )


_FLOATS = (JointKind.CHIP, JointKind.GULL_WING, JointKind.LEADLESS)


def _under(package: Package, land: Land) -> tuple[float, float, float]:
    """What lies between a pad and its terminal, along and across, and the land that shows beyond
    it, mm.
    """
    if land.kind is JointKind.GULL_WING:
        long, short = max(land.size_x_mm, land.size_y_mm), min(land.size_x_mm, land.size_y_mm)
        return LEAD_COVERS * long, short, (1.0 - LEAD_COVERS) * long
    sideways = package.beside(land)
    along, across = (
        (land.size_x_mm, land.size_y_mm) if sideways else (land.size_y_mm, land.size_x_mm)
    )
    half = (package.body_x_mm if sideways else package.body_y_mm) / 2
    inner = abs(land.x_mm if sideways else land.y_mm) - along / 2
    covered = min(max(half - inner, 0.1 * along), along)
    body = package.body_y_mm if sideways else package.body_x_mm
    wide = min(across, body) if land.kind is JointKind.CHIP else across
    return covered, wide, max(along - covered, 0.0)


def thickness(package: Package, solder_mm3: float) -> Thickness | None:
    """How high a chip or a gull-wing part floats on so much solder a joint, and what pressing it
    flat takes away; None where weight and surface tension balance at no height of the model, which
    then says nothing.
    """
    columns = columns_of(package, solder_mm3)
    height = balance_mm(columns, package.mass_mg * 1e-3 * _G)
    if height is None:
        return None
    area = columns[0].area_mm2
    land = next(land for land in package.lands if land.kind in _FLOATS)
    short, long = sorted((land.size_x_mm, land.size_y_mm))
    return Thickness(
        height_mm=height,
        crown_mm=crown_mm(short, long, solder_mm3),
        pressed_mm=PRESSED_MM,
        squeezed_mm3=max(height - PRESSED_MM, 0.0) * area,
    )


def side_energy_nj(columns: Sequence[SolderColumn], height_mm: float, offset_mm: float) -> float:
    """Energy of the free sides of columns sheared by an offset, nJ: each side a flat strip between
    the edges below and above. Sides across the shift lean, sides along it keep their area.
    """
    lean = math.hypot(height_mm, offset_mm)
    return sum(
        1000.0 * SURFACE_TENSION_N_M * one.count * one.perimeter_mm * (0.5 * lean + 0.5 * height_mm)
        for one in columns
    )


def centring_mn(columns: Sequence[SolderColumn], height_mm: float, offset_mm: float) -> float:
    """Force that pulls a shifted part back, mN: the derivative of `side_energy_nj` by the offset."""
    lean = math.hypot(height_mm, offset_mm)
    return sum(
        SURFACE_TENSION_N_M * one.count * 0.5 * one.perimeter_mm * offset_mm / lean
        for one in columns
    )


def centring(package: Package, solder_mm3: float, lag_s: float = 0.0) -> Centring:
    """From how far off the part centres itself once all of its joints are molten; `lag_s` between
    its first and its last joint.
    """
    in_range("lag_s", lag_s, 0, 1000, "s")
    columns = columns_of(package, solder_mm3)
    height = settled_mm(columns, package.mass_mg * 1e-3 * _G)
    resists = FLUX_PULL_PA * package.body_x_mm * package.body_y_mm * 1e-3
    narrow = min(
        min(land.size_x_mm, land.size_y_mm) for land in package.lands if land.kind in _FLOATS
    )
    reach = (1.0 - LEAST_OVERLAP) * narrow
    gap = (
        package.pitch_mm / 2
        if len(package.lands) > 2 and math.isfinite(package.pitch_mm)
        else math.inf
    )
    largest = min(reach, 0.8 * gap)
    force = centring_mn(columns, height, largest)
    if lag_s > LAG_S:
        return Centring(
            largest_mm=0.0,
            why=f"its joints melt {with_unit(lag_s, SECONDS, 0)} apart: the first one holds while the part turns",
            force_mn=force,
            resists_mn=resists,
        )
    if force <= resists:
        return Centring(
            largest_mm=0.0,
            why="the flux under it holds more strongly than the solder pulls",
            force_mn=force,
            resists_mn=resists,
        )
    why = (
        "beyond that its terminals leave their pads"
        if reach <= 0.8 * gap
        else "beyond that it moves to the neighbouring pads"
    )
    return Centring(largest_mm=largest, why=why, force_mn=force, resists_mn=resists)


def part_stencil(
    board: Board, ref: str, keep_out: Sequence[str] = (), shrink_mm: float = 0.0
) -> Board:
    """The board with openings for this one part only: its own where it has some, its pads less
    `shrink_mm` all round where it has none; none over the pins in `keep_out` (screw and ground
    areas).

    Raises InvalidValue for a part without pads, or where nothing is left.
    """
    pads = [pad for pad in board.pads if pad.ref == ref]
    if not pads:
        raise InvalidValue("ref", f"{ref} has no pads on this board")
    side = board.part(ref).side
    mine = {
        number
        for number, pad in enumerate(board.pads)
        if pad.ref == ref and pad.pin not in keep_out
    }
    own = tuple(one for one in board.openings if one.pad in mine and one.side == side)
    if not own:
        own = tuple(
            _opening_of(side, number, board.pads[number].ring, shrink_mm) for number in sorted(mine)
        )
    if not own:
        raise InvalidValue("keep_out", f"no pad of {ref} is left to print")
    return replace(board, openings=own)


def _opening_of(side: str, pad: int, ring: tuple[Point, ...], shrink_mm: float) -> Opening:
    """A pad's outline drawn in by so much all round. Raises InvalidValue where nothing is left."""
    shape = Polygon(ring).buffer(-shrink_mm, join_style="mitre")
    if shape.is_empty or shape.geom_type != "Polygon":
        raise InvalidValue(
            "shrink", f"{with_unit(shrink_mm, MM)} on all sides leaves nothing of a pad"
        )
    drawn = tuple((float(x), float(y)) for x, y in shape.exterior.coords[:-1])
    box = shape.minimum_rotated_rectangle.exterior.coords
    sides = sorted((math.dist(box[0], box[1]), math.dist(box[1], box[2])))
    return Opening(
        side=side,
        ring=drawn,
        area_mm2=shape.area,
        perimeter_mm=shape.length,
        size_x_mm=sides[1],
        size_y_mm=sides[0],
        angle_deg=0.0,
        pad=pad,
    )
