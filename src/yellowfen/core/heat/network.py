"""Parts and joints as tables for the kernel: lumped bodies, joints with latent heat, links to board
cells.

A body shades the cells under it, is warmed by the air on its top and sides, and gives heat through
its leads to its joints, and through the gap beneath to the board. A joint is its solder and the
copper it wets.
"""

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from yellowfen.core.heat import kernel_tables as k
from yellowfen.core.heat.drive import tallest_beneath_mm, tip_conductance_w_k
from yellowfen.core.heat.grid import Grid, Raster, via_conductance_w_k
from yellowfen.core.heat.laid import JointName, LaidParts, laid_on
from yellowfen.core.heat.scene import Array, Deed, PlacedPart, Scene, ShieldKind, Side
from yellowfen.core.heat.source import HotPlate, Iron
from yellowfen.core.heat.surface import film_w_m2k
from yellowfen.core.source.mark import Mark, constant

_M = Mark.FROM_MEMORY
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


@dataclass(frozen=True)
class Coupling:
    """What a coarse grid gets wrong of a part's pads (core/heat/pad_cells), one entry a land.

    `eased`: its contact conducts so many times as well. `air_m2`: so much of the board's face gives
    the jet's heat straight to the joint (where less than a cell of the grid does: below 0).
    """

    eased: Array
    air_m2: Array


@dataclass(frozen=True, kw_only=True)
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
    laid = laid_on(scene.parts, Raster(grid.x_lines_m, grid.y_lines_m))
    joints, bodies = laid.joints.copy(), laid.bodies.copy()
    joints[:, k.J_SOLIDUS] -= scene.ambient_c
    bodies[:, k.B_LIMIT] -= scene.ambient_c
    eased = np.ones(len(joints))
    for at, part in enumerate(scene.parts):
        if part.ref in known:
            own = slice(laid.joint_of_body[at], laid.joint_of_body[at + 1])
            eased[own] = known[part.ref].eased
            joints[own, k.J_AIR_AREA] += known[part.ref].air_m2
    shielded = _shielded(scene, grid)
    if scene.shields:
        bodies[:, k.B_OPEN] = 1.0 - _means(
            shielded[laid.gap_cell], laid.gap_m2, laid.gap_body, len(bodies)
        )
        joints[:, k.J_OPEN] = 1.0 - _means(
            shielded[laid.link_cell], laid.link_m2, laid.link_joint, len(joints)
        )
    if isinstance(scene.source, HotPlate):
        for at, part in enumerate(scene.parts):
            if part.side is Side.BOTTOM:
                bodies[at, k.B_PLATE_W_K] = _on_plate_w_k(scene, scene.source, part)
    if isinstance(scene.source, Iron):
        touched = {(move.over[0], move.pin) for move in scene.moves if move.deed is Deed.TOUCH}
        lands = ((part.ref, land) for part in scene.parts for land in part.package.lands)
        for at, (ref, land) in enumerate(lands):
            if (ref, land.pin) in touched:
                joints[at, k.J_TIP_W_K] = tip_conductance_w_k(scene.source, land)
    gap_mm = np.array([part.package.gap_mm for part in scene.parts])
    return Network(
        names=laid.names,
        refs=tuple(part.ref for part in scene.parts),
        joints=joints,
        joint_of_body=laid.joint_of_body,
        joint_links=laid.joint_links,
        link_cell=laid.link_cell.astype(np.uint32),
        link_w_k=laid.link_m2 * pad_contact_w_m2k * eased[laid.link_joint],
        bodies=bodies,
        gap_links=laid.gap_links,
        gap_cell=laid.gap_cell.astype(np.uint32),
        gap_w_k=laid.gap_m2 * GAP_AIR_W_MK / (gap_mm[laid.gap_body] * 1e-3),
        covered_top=_covered(laid, grid, on_top=True),
        covered_bottom=_covered(laid, grid, on_top=False),
        shielded=shielded,
        grid=_with_extra_columns(grid, _plane_ties_w_k(scene, laid, grid)),
        pads_as_drawn=sum(len(known[part.ref].eased) for part in scene.parts if part.ref in known),
    )


def _covered(laid: LaidParts, grid: Grid, on_top: bool) -> Array:
    """How much of each cell of a face lies under bodies, 0 to 1."""
    here = (laid.bodies[:, k.B_TOP] > 0.5)[laid.gap_body] == on_top
    cells = laid.gap_cell[here]
    covered = np.bincount(cells, laid.gap_m2[here] / grid.areas_m2[cells], minlength=grid.cells)
    return np.minimum(covered, 1.0)


def _plane_ties_w_k(scene: Scene, laid: LaidParts, grid: Grid) -> Array:
    """Conductance that the vias of plane pins add to each column of cells, W/K."""
    slab_mm = scene.board.thickness_mm / (grid.layers - 1)
    solid, thin = plane_tie_w_k(False, slab_mm), plane_tie_w_k(True, slab_mm)
    tie = np.where(laid.on_plane, np.where(laid.relieved, thin, solid), 0.0)
    whole = np.bincount(laid.link_joint, laid.link_m2, minlength=len(tie))
    share = laid.link_m2 / whole[laid.link_joint]
    ties = np.bincount(laid.link_cell, tie[laid.link_joint] * share, minlength=grid.cells)
    return np.asarray(ties, dtype=float)


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


def _means(values: Array, areas: Array, owner: NDArray[np.int64], owners: int) -> Array:
    """Means by area of what each owner's cells have; 0 where it has no area."""
    whole = np.bincount(owner, areas, minlength=owners)
    held = np.bincount(owner, values * areas, minlength=owners)
    return np.divide(held, whole, out=np.zeros(owners), where=whole > 0)


def _with_extra_columns(grid: Grid, extra: Array) -> Grid:
    return replace(grid, via_w_k=grid.via_w_k + extra) if extra.any() else grid
