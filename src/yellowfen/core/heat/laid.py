"""Where parts lie on a grid's cells, and what of them is the same whatever heats them.

A joint is its solder and the copper it wets; a body shades the cells under it and is warmed by the
air on its top and sides.
"""

import math
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from yellowfen.core.board.remembered import remembered
from yellowfen.core.heat import kernel_tables as k
from yellowfen.core.heat.grid import Raster
from yellowfen.core.heat.scene import Array, PlacedPart, Side
from yellowfen.core.metal.alloy import SOLDER_CP_J_KGK, Alloy, alloy_named
from yellowfen.core.part.package import JointKind, Land
from yellowfen.core.source.mark import Mark, constant

_M = Mark.FROM_MEMORY
SOLDER_THICKNESS_MM = constant(
    "joint_solder_thickness",
    0.07,
    "mm",
    mark=_M,
    source="0.12 mm of paste, about half metal, near full transfer",
    affects="joint heat",
)
LEAD_AREA_MM2 = constant(
    "lead_air_area",
    0.8,
    "mm² per mm² of pad",
    mark=_M,
    source="lead and fillet surface in the air",
    affects="gull-wing joints in the jet",
)
SIDE_SHARE = constant(
    "body_side_share",
    0.5,
    "1",
    mark=_M,
    source="share of a body's side walls that counts as blown on",
    affects="body warming",
)


@dataclass(frozen=True)
class JointName:
    """Which joint a row of the joint table is."""

    ref: str
    pin: str
    kind: JointKind
    liquidus_c: float


@dataclass(frozen=True, kw_only=True)
class LaidParts:
    """Kernel tables of parts in a room of 0 °C, and the cells beneath them; CSR starts have one
    entry more than there are rows.

    `link_cell`, `link_m2`: cells under each land and how much of them; `gap_cell`, `gap_m2` under
    each body. `on_plane`, `relieved` (joints): tied to a plane, and through thin spokes.
    """

    names: tuple[JointName, ...]
    joints: Array
    joint_of_body: NDArray[np.int64]
    joint_links: NDArray[np.int64]
    link_cell: NDArray[np.int64]
    link_m2: Array
    bodies: Array
    gap_links: NDArray[np.int64]
    gap_cell: NDArray[np.int64]
    gap_m2: Array
    on_plane: NDArray[np.bool_]
    relieved: NDArray[np.bool_]

    @property
    def link_joint(self) -> NDArray[np.int64]:
        """The joint of every link."""
        return np.repeat(np.arange(len(self.names)), np.diff(self.joint_links))

    @property
    def gap_body(self) -> NDArray[np.int64]:
        """The body of every gap."""
        return np.repeat(np.arange(len(self.bodies)), np.diff(self.gap_links))


@remembered(most=8, same=1)
def laid_on(parts: tuple[PlacedPart, ...], raster: Raster) -> LaidParts:
    """Tables of parts and the cells beneath them; samples of one forecast ask for the same again."""
    names: list[JointName] = []
    joints: list[Array] = []
    bodies: list[Array] = []
    of_body, planes, reliefs = [0], [], []
    links: list[tuple[NDArray[np.int64], Array]] = []
    gaps: list[tuple[NDArray[np.int64], Array]] = []
    for part in parts:
        package, angle = part.package, seen_angle_deg(part)
        gaps.append(
            turned_cells(
                raster,
                part.x_mm,
                part.y_mm,
                size_x=package.body_x_mm,
                size_y=package.body_y_mm,
                angle_deg=angle,
            )
        )
        bodies.append(_body_row(part))
        alloy = alloy_named(part.alloy)
        for land in package.lands:
            x, y, size_x, size_y, angle = place_land(part, land)
            cells, area = turned_cells(raster, x, y, size_x=size_x, size_y=size_y, angle_deg=angle)
            links.append((cells, np.maximum(area, 1e-12)))
            names.append(JointName(part.ref, land.pin, land.kind, alloy.liquidus_c))
            joints.append(_joint_row(part, land, alloy, x_mm=x, y_mm=y))
            reliefs.append(land.pin in part.relief_pins)
            planes.append(reliefs[-1] or land.pin in part.plane_pins)
        of_body.append(len(joints))
    joint_links, link_cell, link_m2 = _csr(links)
    gap_links, gap_cell, gap_m2 = _csr(gaps)
    return LaidParts(
        names=tuple(names),
        joints=_table(joints, k.JOINT_COLUMNS),
        joint_of_body=np.array(of_body),
        joint_links=joint_links,
        link_cell=link_cell,
        link_m2=link_m2,
        bodies=_table(bodies, k.BODY_COLUMNS),
        gap_links=gap_links,
        gap_cell=gap_cell,
        gap_m2=gap_m2,
        on_plane=np.array(planes, dtype=bool),
        relieved=np.array(reliefs, dtype=bool),
    )


def place_land(part: PlacedPart, land: Land) -> tuple[float, float, float, float, float]:
    """A land on the board: centre x, y, sizes (mm) in the part's turned frame, and that frame's
    angle (deg).
    """
    x, y = on_board(part, land.x_mm, land.y_mm)
    return x, y, land.size_x_mm, land.size_y_mm, seen_angle_deg(part)


def seen_angle_deg(part: PlacedPart) -> float:
    """The part's angle seen from above the board; underneath, anticlockwise becomes clockwise."""
    return part.rotation_deg if part.side is Side.TOP else -part.rotation_deg


def on_board(part: PlacedPart, x_mm: float, y_mm: float) -> tuple[float, float]:
    """A point of the part's frame on the board, seen from above."""
    return part.on_board(x_mm, y_mm)


def turned_cells(
    raster: Raster, x: float, y: float, size_x: float, size_y: float, angle_deg: float
) -> tuple[NDArray[np.int64], Array]:
    """Cells under a turned rectangle and the overlaps (m²): exact at right angles, by small squares
    otherwise.
    """
    quarter = angle_deg / 90.0
    if abs(quarter - round(quarter)) < 1e-6:
        flip = round(quarter) % 2 == 1
        return raster.rectangle(x, y, size_y if flip else size_x, size_x if flip else size_y)
    return _by_small_squares(
        raster, x, y, size_x=size_x, size_y=size_y, angle=math.radians(angle_deg)
    )


def _by_small_squares(
    raster: Raster, x: float, y: float, size_x: float, size_y: float, angle: float
) -> tuple[NDArray[np.int64], Array]:
    nx, ny = max(2, math.ceil(size_x / 0.3)), max(2, math.ceil(size_y / 0.3))
    edge = math.sqrt(size_x * size_y / (nx * ny))
    cells, areas = [], []
    for u in (np.arange(nx) + 0.5) / nx - 0.5:
        for v in (np.arange(ny) + 0.5) / ny - 0.5:
            a, b = u * size_x, v * size_y
            index, area = raster.rectangle(
                x + a * math.cos(angle) - b * math.sin(angle),
                y + a * math.sin(angle) + b * math.cos(angle),
                edge,
                edge,
            )
            cells.append(index)
            areas.append(area)
    index, inverse = np.unique(np.concatenate(cells), return_inverse=True)
    return index, np.asarray(np.bincount(inverse, np.concatenate(areas)), dtype=float)


def _table(rows: list[Array], width: int) -> Array:
    return np.array(rows) if rows else np.zeros((0, width))


def _csr(
    links: list[tuple[NDArray[np.int64], Array]],
) -> tuple[NDArray[np.int64], NDArray[np.int64], Array]:
    if not links:
        return np.zeros(1, dtype=np.int64), np.zeros(0, dtype=np.int64), np.zeros(0)
    return (
        np.cumsum([0, *(len(cells) for cells, _ in links)]),
        np.concatenate([cells for cells, _ in links]),
        np.concatenate([values for _, values in links]),
    )


def _body_row(part: PlacedPart) -> Array:
    package = part.package
    top = package.body_x_mm * package.body_y_mm * 1e-6
    sides = 2 * (package.body_x_mm + package.body_y_mm) * package.height_mm * 1e-6
    flip = round(part.rotation_deg / 90.0) % 2 == 1
    half_x, half_y = package.body_x_mm / 2000, package.body_y_mm / 2000
    row = np.zeros(k.BODY_COLUMNS)
    shell = package.shell_share
    row[k.B_HEAT] = (1.0 - shell) * package.body_heat_j_k
    row[k.B_SHELL_HEAT] = shell * package.body_heat_j_k
    row[k.B_SHELL_W_K] = package.shell_w_k
    row[k.B_OPEN] = 1.0
    row[k.B_JET_AREA] = top + SIDE_SHARE * sides
    row[k.B_LOSS_AREA] = top + sides
    row[k.B_X], row[k.B_Y] = part.x_mm * 1e-3, part.y_mm * 1e-3
    row[k.B_HALF_X], row[k.B_HALF_Y] = (half_y, half_x) if flip else (half_x, half_y)
    row[k.B_LIMIT] = package.limit_c
    row[k.B_TOP] = float(part.side is Side.TOP)
    return row


def _joint_row(part: PlacedPart, land: Land, alloy: Alloy, x_mm: float, y_mm: float) -> Array:
    solder_kg = land.area_mm2 * SOLDER_THICKNESS_MM * 1e-9 * alloy.density_g_cm3 * 1e3
    seen = land.kind in (JointKind.GULL_WING, JointKind.TAB)
    row = np.zeros(k.JOINT_COLUMNS)
    row[k.J_OPEN] = 1.0
    row[k.J_HEAT] = 2.0 * solder_kg * SOLDER_CP_J_KGK + 1e-5
    row[k.J_PER_HEAT] = 1.0 / row[k.J_HEAT]
    row[k.J_LATENT] = solder_kg * alloy.latent_j_g * 1e3
    row[k.J_SOLIDUS] = alloy.solidus_c
    row[k.J_RANGE] = alloy.liquidus_c - alloy.solidus_c
    row[k.J_LEAD] = (
        part.package.tab_w_k
        if land.kind in (JointKind.TAB, JointKind.THERMAL_PAD)
        else part.package.lead_w_k
    )
    row[k.J_AIR_AREA] = (
        LEAD_AREA_MM2
        * land.area_mm2
        * 1e-6
        * (1.0 if seen and land.kind is JointKind.GULL_WING else 0.2 if seen else 0.0)
    )
    row[k.J_X], row[k.J_Y] = x_mm * 1e-3, y_mm * 1e-3
    row[k.J_TOP] = float(part.side is Side.TOP)
    return row
