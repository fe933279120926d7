"""Parts and joints as tables for the kernel: lumped bodies, joints with latent heat, links to board
cells.

A body shades the cells under it, is warmed by the air on its top and sides, and gives heat through
its leads to its joints, and through the gap beneath to the board. A joint is its solder and the
copper it wets.
"""

import math
from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from yellowfen.core.heat import kernel_tables as k
from yellowfen.core.heat.drive import tallest_beneath_mm, tip_conductance_w_k
from yellowfen.core.heat.grid import Grid, via_conductance_w_k
from yellowfen.core.heat.scene import (
    Array,
    Deed,
    HotPlate,
    Iron,
    PlacedPart,
    Scene,
    ShieldKind,
    Side,
)
from yellowfen.core.heat.surface import film_w_m2k
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
PAD_CONTACT_W_M2K = constant(
    "pad_contact",
    2.0e4,
    "W/m²·K",
    mark=_M,
    source="solder and pad over the laminate beneath; melt times feel it by 3 % or less",
    affects="joint lag",
)
GAP_AIR_W_MK = constant(
    "gap_air",
    0.03,
    "W/m·K",
    mark=_M,
    source="air (and some flux) between body and board",
    affects="heat under a body",
)
LEAD_AREA_MM2 = constant(
    "lead_air_area",
    0.8,
    "mm² per mm² of pad",
    mark=_M,
    source="lead and fillet surface in the air",
    affects="gull-wing joints in the jet",
)
PLANE_VIAS = constant(
    "plane_pin_vias",
    2.0,
    "holes of 0.3 mm",
    mark=_M,
    source="a pin said to be on a plane is tied by two vias",
    affects="plane pins lag",
)
RELIEF_W_K = constant(
    "thermal_relief",
    0.04,
    "W/K",
    mark=_M,
    source="four spokes 0.25 mm wide, 0.35 mm long, 35 µm",
    affects="plane pins with thermal relief",
)
FOIL_PASSES = constant(
    "shield_foil_passes",
    0.1,
    "1",
    mark=_M,
    source="foil lying close; its edges leak",
    affects="neighbours under a shield",
)
TAPE_PASSES = constant(
    "shield_tape_passes",
    0.45,
    "1",
    mark=_M,
    source="polyimide tape keeps air off but conducts",
    affects="neighbours under a shield",
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


@dataclass(frozen=True)
class Coupling:
    """What a coarse grid gets wrong of a part's pads (core/heat/pad_cells), one entry a land.

    `eased`: its contact conducts so many times as well. `air_m2`: so much of the board's face gives
    the jet's heat straight to the joint (where less than a cell of the grid does: below 0).
    """

    eased: Array
    air_m2: Array


@dataclass(frozen=True)
class Network:
    """Kernel tables for parts and joints; CSR starts have one entry more than there are rows."""

    names: tuple[JointName, ...]
    refs: tuple[str, ...]
    joints: Array
    joint_of_body: NDArray[np.int64]
    joint_links: NDArray[np.int64]
    link_cell: NDArray[np.uint32]
    link_w_k: Array
    bodies: Array
    gap_links: NDArray[np.int64]
    gap_cell: NDArray[np.uint32]
    gap_w_k: Array
    covered_top: Array
    covered_bottom: Array
    shielded: Array
    grid: Grid
    pads_as_drawn: int


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
    grid: Grid, x: float, y: float, size_x: float, size_y: float, angle_deg: float
) -> tuple[NDArray[np.int64], Array]:
    """Cells under a turned rectangle and the overlaps (m²): exact at right angles, by small squares
    otherwise.
    """
    quarter = angle_deg / 90.0
    if abs(quarter - round(quarter)) < 1e-6:
        flip = round(quarter) % 2 == 1
        return grid.rectangle(x, y, size_y if flip else size_x, size_x if flip else size_y)
    return _by_small_squares(
        grid, x, y, size_x=size_x, size_y=size_y, angle=math.radians(angle_deg)
    )


def _by_small_squares(
    grid: Grid, x: float, y: float, size_x: float, size_y: float, angle: float
) -> tuple[NDArray[np.int64], Array]:
    nx, ny = max(2, math.ceil(size_x / 0.3)), max(2, math.ceil(size_y / 0.3))
    edge = math.sqrt(size_x * size_y / (nx * ny))
    cells, areas = [], []
    for u in (np.arange(nx) + 0.5) / nx - 0.5:
        for v in (np.arange(ny) + 0.5) / ny - 0.5:
            a, b = u * size_x, v * size_y
            index, area = grid.rectangle(
                x + a * math.cos(angle) - b * math.sin(angle),
                y + a * math.sin(angle) + b * math.cos(angle),
                edge,
                edge,
            )
            cells.append(index)
            areas.append(area)
    index, inverse = np.unique(np.concatenate(cells), return_inverse=True)
    return index, np.asarray(np.bincount(inverse, np.concatenate(areas)), dtype=float)


def build_network(
    scene: Scene,
    grid: Grid,
    pad_contact_w_m2k: float = PAD_CONTACT_W_M2K,
    couplings: Mapping[str, Coupling] | None = None,
) -> Network:
    """Tables for all parts of the scene; also the grid with the vias of plane pins added.

    `couplings` by part: how pads truly meet the cells they lie in, where that is known.
    """
    known = couplings or {}
    names: list[JointName] = []
    joints: list[Array] = []
    bodies: list[Array] = []
    of_body, joint_starts, gap_starts = [0], [0], [0]
    links: list[tuple[NDArray[np.int64], Array]] = []
    gaps: list[tuple[NDArray[np.int64], Array]] = []
    cover = {Side.TOP: np.zeros(grid.cells), Side.BOTTOM: np.zeros(grid.cells)}
    extra = np.zeros(grid.cells)
    shielded = _shielded(scene, grid)
    touched = {(move.over[0], move.pin) for move in scene.moves if move.deed is Deed.TOUCH}
    slab_mm = scene.board.thickness_mm / (grid.layers - 1)
    for part in scene.parts:
        cells, area = turned_cells(
            grid,
            part.x_mm,
            part.y_mm,
            size_x=part.package.body_x_mm,
            size_y=part.package.body_y_mm,
            angle_deg=seen_angle_deg(part),
        )
        cover[part.side][cells] += area / grid.areas_m2[cells]
        gaps.append((cells, area * GAP_AIR_W_MK / (part.package.gap_mm * 1e-3)))
        gap_starts.append(gap_starts[-1] + len(cells))
        bodies.append(_body_row(part, scene.ambient_c))
        if scene.shields:
            bodies[-1][k.B_OPEN] = 1.0 - _mean_over(shielded, cells, area)
        if isinstance(scene.source, HotPlate) and part.side is Side.BOTTOM:
            bodies[-1][k.B_PLATE_W_K] = _on_plate_w_k(scene, scene.source, part)
        coupling = known.get(part.ref)
        for at, land in enumerate(part.package.lands):
            x, y, sx, sy, angle = place_land(part, land)
            cells, area = turned_cells(grid, x, y, size_x=sx, size_y=sy, angle_deg=angle)
            area = np.maximum(area, 1e-12)
            eased = 1.0 if coupling is None else float(coupling.eased[at])
            links.append((cells, area * pad_contact_w_m2k * eased))
            joint_starts.append(joint_starts[-1] + len(cells))
            alloy = alloy_named(part.alloy)
            names.append(JointName(part.ref, land.pin, land.kind, alloy.liquidus_c))
            joints.append(_joint_row(part, land, alloy, x_mm=x, y_mm=y, ambient_c=scene.ambient_c))
            if coupling is not None:
                joints[-1][k.J_AIR_AREA] += coupling.air_m2[at]
            if scene.shields:
                joints[-1][k.J_OPEN] = 1.0 - _mean_over(shielded, cells, area)
            if isinstance(scene.source, Iron) and (part.ref, land.pin) in touched:
                joints[-1][k.J_TIP_W_K] = tip_conductance_w_k(scene.source, land)
            if land.pin in part.plane_pins or land.pin in part.relief_pins:
                extra[cells] += (
                    plane_tie_w_k(land.pin in part.relief_pins, slab_mm) * area / area.sum()
                )
        of_body.append(len(joints))
    return Network(
        tuple(names),
        tuple(part.ref for part in scene.parts),
        _table(joints, k.JOINT_COLUMNS),
        np.array(of_body),
        *_csr(joint_starts, links),
        _table(bodies, k.BODY_COLUMNS),
        *_csr(gap_starts, gaps),
        np.minimum(cover[Side.TOP], 1.0),
        np.minimum(cover[Side.BOTTOM], 1.0),
        shielded,
        _with_extra_columns(grid, extra),
        sum(len(known[part.ref].eased) for part in scene.parts if part.ref in known),
    )


def _on_plate_w_k(scene: Scene, plate: HotPlate, part: PlacedPart) -> float:
    """Conductance from a plate to a body underneath, W/K: the tallest lies on the plate's film, the
    others hang as much higher.
    """
    above_mm = tallest_beneath_mm(scene) - part.package.height_mm - part.package.gap_mm
    area = part.package.body_x_mm * part.package.body_y_mm * 1e-6
    return float(film_w_m2k(plate.film_mm + above_mm, plate.set_c, plate.emissivity)) * area


def plane_tie_w_k(relieved: bool, slab_mm: float) -> float:
    """Conductance of a plane pin's vias over one node layer, W/K; spokes in series count over the
    whole way down.
    """
    solid = PLANE_VIAS * via_conductance_w_k(0.3, slab_mm)
    return solid * RELIEF_W_K / (solid + RELIEF_W_K) if relieved else solid


def _shielded(scene: Scene, grid: Grid) -> Array:
    """How much of the jet is kept off each cell of the upper face, 0..1."""
    shielded = np.zeros(grid.cells)
    for shield in scene.shields:
        cells, area = grid.rectangle(shield.x_mm, shield.y_mm, shield.size_x_mm, shield.size_y_mm)
        stopped = 1.0 - (FOIL_PASSES if shield.kind is ShieldKind.FOIL else TAPE_PASSES)
        shielded[cells] = np.maximum(shielded[cells], stopped * area / grid.areas_m2[cells])
    return np.minimum(shielded, 1.0)


def _mean_over(values: Array, cells: NDArray[np.int64], area: Array) -> float:
    total = float(area.sum())
    return float((values[cells] * area).sum()) / total if total > 0 else 0.0


def _with_extra_columns(grid: Grid, extra: Array) -> Grid:
    return replace(grid, via_w_k=grid.via_w_k + extra) if extra.any() else grid


def _table(rows: list[Array], width: int) -> Array:
    return np.array(rows) if rows else np.zeros((0, width))


def _csr(
    starts: list[int], links: list[tuple[NDArray[np.int64], Array]]
) -> tuple[NDArray[np.int64], NDArray[np.uint32], Array]:
    if not links:
        return np.array(starts), np.zeros(0, dtype=np.uint32), np.zeros(0)
    cells = np.concatenate([cells for cells, _ in links])
    return (
        np.array(starts),
        cells.astype(np.uint32),
        np.concatenate([values for _, values in links]),
    )


def _body_row(part: PlacedPart, ambient_c: float) -> Array:
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
    row[k.B_LIMIT] = package.limit_c - ambient_c
    row[k.B_TOP] = float(part.side is Side.TOP)
    return row


def _joint_row(
    part: PlacedPart, land: Land, alloy: Alloy, x_mm: float, y_mm: float, ambient_c: float
) -> Array:
    solder_kg = land.area_mm2 * SOLDER_THICKNESS_MM * 1e-9 * alloy.density_g_cm3 * 1e3
    seen = land.kind in (JointKind.GULL_WING, JointKind.TAB)
    row = np.zeros(k.JOINT_COLUMNS)
    row[k.J_OPEN] = 1.0
    row[k.J_HEAT] = 2.0 * solder_kg * SOLDER_CP_J_KGK + 1e-5
    row[k.J_PER_HEAT] = 1.0 / row[k.J_HEAT]
    row[k.J_LATENT] = solder_kg * alloy.latent_j_g * 1e3
    row[k.J_SOLIDUS] = alloy.solidus_c - ambient_c
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
