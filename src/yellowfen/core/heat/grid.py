"""The board as cells: conductances and heat capacities from laminate, copper maps and plated holes.

Nodes lie at the faces and evenly between, so surface temperatures are real (outer layers have half thickness).
Cells: x along the board's width, y up; flat index (iy + 1)·(nx + 2) + ix + 1 in a ghost ring.
"""

import math
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from yellowfen.core.heat.scene import Array, BoardStack, Core
from yellowfen.core.source.mark import Mark, constant

_M = Mark.FROM_MEMORY
FR4_PLANE_W_MK = constant("fr4_conductivity_plane", 0.85, "W/m·K", _M, "FR-4 in plane 0.8 to 0.9", "spreading without copper")
FR4_THROUGH_W_MK = constant("fr4_conductivity_through", 0.3, "W/m·K", _M, "FR-4 through the thickness", "how far the underside lags")
FR4_DENSITY = constant("fr4_density", 1870.0, "kg/m³", _M, "FR-4 1850 to 1900", "how slowly the board warms")
FR4_CP = constant("fr4_specific_heat", 1100.0, "J/kg·K", _M, "FR-4 near room temperature", "how slowly the board warms")
FR4_CP_SLOPE = constant("fr4_specific_heat_slope", 0.0015, "1/K", _M, "rise of FR-4's specific heat", "late part of long heats")
COPPER_W_MK = constant(
    "copper_conductivity", 395.0, "W/m·K", Mark.PUBLISHED, "Incropera & DeWitt, table A.1 (401 pure, less for foil)", "spreading"
)
COPPER_DENSITY = constant("copper_density", 8930.0, "kg/m³", Mark.PUBLISHED, "Incropera & DeWitt, table A.1", "heat in planes")
COPPER_CP = constant("copper_specific_heat", 385.0, "J/kg·K", Mark.PUBLISHED, "Incropera & DeWitt, table A.1", "heat in planes")
ALUMINIUM_W_MK = constant("aluminium_conductivity", 138.0, "W/m·K", _M, "wrought alloy 5052", "aluminium-core boards")
ALUMINIUM_HEAT = constant("aluminium_heat", 2.36e6, "J/m³·K", _M, "2680 kg/m³, 880 J/kg·K", "aluminium-core boards")
DIELECTRIC_MM = constant("dielectric_thickness", 0.1, "mm", _M, "filled film under the foil, 0.075 to 0.15", "aluminium-core boards")
DIELECTRIC_W_MK = constant("dielectric_conductivity", 1.3, "W/m·K", _M, "filled epoxy, 1 to 2", "aluminium-core boards")
PLATING_MM = constant("via_plating", 0.025, "mm", Mark.COMMON_PRACTICE, "plated hole walls of 20 to 25 µm", "heat through vias")


@dataclass(frozen=True)
class Grid:
    """Cell arrays for the kernel; shapes (layers, cells) unless said, SI units.

    `through_w_k`: laminate from one node layer to the next in each cell; `via_w_k` (cells): copper of plated holes
    along with it, solved apart.
    """

    nx: int
    ny: int
    dx_m: float
    dy_m: float
    layers: int
    gx: Array
    gy: Array
    c0: Array
    slopes: Array
    inside: NDArray[np.bool_]
    cell_x: Array
    cell_y: Array
    through_w_k: float
    via_w_k: Array

    @property
    def cells(self) -> int:
        return (self.nx + 2) * (self.ny + 2)

    @property
    def cell_area_m2(self) -> float:
        return self.dx_m * self.dy_m

    def flat(self, values: Array) -> Array:
        """A (ny, nx) map as a flat padded array with zeros in the ghost ring."""
        padded = np.zeros((self.ny + 2, self.nx + 2))
        padded[1:-1, 1:-1] = values
        return padded.ravel()

    def unflat(self, values: Array) -> Array:
        """A flat padded array as a (ny, nx) map."""
        return values.reshape(self.ny + 2, self.nx + 2)[1:-1, 1:-1]

    def rectangle(self, x_mm: float, y_mm: float, size_x_mm: float, size_y_mm: float) -> tuple[NDArray[np.int64], Array]:
        """Cells under an axis-parallel rectangle and the overlap with each, m². Parts beyond the board are cut."""
        columns = _overlaps((x_mm - size_x_mm / 2) * 1e-3, (x_mm + size_x_mm / 2) * 1e-3, self.dx_m, self.nx)
        rows = _overlaps((y_mm - size_y_mm / 2) * 1e-3, (y_mm + size_y_mm / 2) * 1e-3, self.dy_m, self.ny)
        row = self.nx + 2
        index = [(j + 1) * row + i + 1 for j, _ in rows for i, _ in columns]
        return np.array(index, dtype=np.int64), np.array([tall * wide for _, tall in rows for _, wide in columns])


def _overlaps(low: float, high: float, step: float, count: int) -> list[tuple[int, float]]:
    """Cells along one axis and their overlap with a stretch; plain numbers, since most stretches meet two or three cells."""
    start = min(max(math.floor(low / step), 0), count - 1)
    stop = min(max(math.ceil(high / step), start + 1), count)
    return [(i, max(min((i + 1) * step, high) - max(i * step, low), 0.0)) for i in range(start, stop)]


def resample(coverage: float | Array, ny: int, nx: int) -> Array:
    """A coverage map averaged by area onto ny × nx cells; exact for any pair of sizes."""
    source = np.atleast_2d(np.asarray(coverage, dtype=float))
    return np.asarray(_averaging(source.shape[0], ny) @ source @ _averaging(source.shape[1], nx).T)


def _averaging(fine: int, coarse: int) -> Array:
    edges_f = np.arange(fine + 1) / fine
    edges_c = np.arange(coarse + 1) / coarse
    overlap = np.minimum(edges_c[1:, None], edges_f[None, 1:]) - np.maximum(edges_c[:-1, None], edges_f[None, :-1])
    return np.asarray(np.maximum(overlap, 0.0) * coarse)


def make_grid(board: BoardStack, cell_mm: float = 1.0, layers: int = 4) -> Grid:
    """Cells of at most `cell_mm` and `layers` (3 or more) nodes through the thickness."""
    nx = max(2, math.ceil(board.width_mm / cell_mm - 1e-9))
    ny = max(2, math.ceil(board.height_mm / cell_mm - 1e-9))
    dx, dy = board.width_mm * 1e-3 / nx, board.height_mm * 1e-3 / ny
    if board.core is Core.ALUMINIUM:
        return _aluminium_grid(board, nx, ny, dx, dy)
    slab = board.thickness_mm * 1e-3 / (layers - 1)
    inside = _inside(board, nx, ny)
    sheet = np.empty((layers, ny, nx))
    heat = np.empty((layers, ny, nx))
    slopes = np.empty(layers)
    copper = _copper_by_layer(board, layers, ny, nx)
    for layer in range(layers):
        depth = slab if 0 < layer < layers - 1 else 0.5 * slab
        laminate = depth * FR4_DENSITY * FR4_CP
        metal = copper[layer] * COPPER_DENSITY * COPPER_CP
        sheet[layer] = depth * FR4_PLANE_W_MK + copper[layer] * COPPER_W_MK
        heat[layer] = (laminate + metal) * dx * dy
        slopes[layer] = FR4_CP_SLOPE * laminate / (laminate + float(metal.mean()))
    return _assemble(board, nx, ny, dx, dy, FR4_THROUGH_W_MK * dx * dy / slab, slab, sheet, heat, slopes, inside)


def _aluminium_grid(board: BoardStack, nx: int, ny: int, dx: float, dy: float) -> Grid:
    """Two node layers: the foil with its dielectric, and the aluminium, which hardly differs from face to face."""
    metal_m = board.thickness_mm * 1e-3
    foil = _copper_by_layer(board, 2, ny, nx).sum(axis=0)
    film = DIELECTRIC_MM * 1e-3
    sheet = np.stack([foil * COPPER_W_MK + film * FR4_PLANE_W_MK, np.full((ny, nx), metal_m * ALUMINIUM_W_MK)])
    upper = foil * COPPER_DENSITY * COPPER_CP + film * FR4_DENSITY * FR4_CP
    heat = np.stack([upper, np.full((ny, nx), metal_m * ALUMINIUM_HEAT)]) * dx * dy
    through = DIELECTRIC_W_MK * dx * dy / film
    bare = replace(board, vias=())
    return _assemble(bare, nx, ny, dx, dy, through, metal_m, sheet, heat, np.zeros(2), _inside(board, nx, ny))


def _assemble(board: BoardStack, nx: int, ny: int, dx: float, dy: float, through: float, slab: float, sheet: Array, heat: Array, slopes: Array,
              inside: NDArray[np.bool_]) -> Grid:  # fmt: skip
    layers = sheet.shape[0]
    solid = np.where(inside, sheet, 0.0)
    gx = np.zeros((layers, ny + 2, nx + 2))
    gy = np.zeros((layers, ny + 2, nx + 2))
    gx[:, 1:-1, 1:-2] = _series(solid[:, :, :-1], solid[:, :, 1:]) * dy / dx
    gy[:, 1:-2, 1:-1] = _series(solid[:, :-1, :], solid[:, 1:, :]) * dx / dy
    vias = np.zeros((ny + 2, nx + 2))
    _add_vias(vias[1:-1, 1:-1], board, nx, ny, dx, dy, slab)
    vias[1:-1, 1:-1][~inside] = 0.0
    c0 = np.full((layers, ny + 2, nx + 2), float(heat.max()))
    c0[:, 1:-1, 1:-1] = heat
    mesh_x, mesh_y = np.meshgrid((np.arange(nx + 2) - 0.5) * dx, (np.arange(ny + 2) - 0.5) * dy)
    return Grid(nx, ny, dx, dy, layers, gx.reshape(layers, -1), gy.reshape(layers, -1), c0.reshape(layers, -1),
                slopes, inside, mesh_x.ravel(), mesh_y.ravel(), through, vias.ravel())  # fmt: skip


def _series(a: Array, b: Array) -> Array:
    total = a + b
    return np.divide(2.0 * a * b, total, out=np.zeros_like(total), where=total > 0)


def _copper_by_layer(board: BoardStack, layers: int, ny: int, nx: int) -> Array:
    """Copper thickness (m, smeared over the cell) at each node layer; inner foils share the two nearest."""
    copper = np.zeros((layers, ny, nx))
    for foil in board.copper:
        amount = resample(foil.coverage, ny, nx) * foil.thickness_um * 1e-6
        place = foil.depth * (layers - 1)
        low = min(int(place), layers - 2)
        copper[low] += amount * (1.0 - (place - low))
        copper[low + 1] += amount * (place - low)
    return copper


def _add_vias(column: Array, board: BoardStack, nx: int, ny: int, dx: float, dy: float, slab: float) -> None:
    for via in board.vias:
        ix, iy = int(via.x_mm * 1e-3 / dx), int(via.y_mm * 1e-3 / dy)
        if 0 <= ix < nx and 0 <= iy < ny:
            column[iy, ix] += via_conductance_w_k(via.drill_mm, slab * 1e3)


def via_conductance_w_k(drill_mm: float, length_mm: float) -> float:
    """Conductance of one plated hole wall over a length, W/K."""
    return math.pi * drill_mm * PLATING_MM * 1e-6 * COPPER_W_MK / (length_mm * 1e-3)


def _inside(board: BoardStack, nx: int, ny: int) -> NDArray[np.bool_]:
    if len(board.outline) < 3:
        return np.ones((ny, nx), dtype=bool)
    xs, ys = np.meshgrid((np.arange(nx) + 0.5) * board.width_mm / nx, (np.arange(ny) + 0.5) * board.height_mm / ny)
    inside = np.zeros((ny, nx), dtype=bool)
    corners = board.outline
    for (x0, y0), (x1, y1) in zip(corners, (*corners[1:], corners[0]), strict=True):
        if y0 != y1:
            crosses = (y0 > ys) != (y1 > ys)
            inside ^= crosses & (xs < (x1 - x0) * (ys - y0) / (y1 - y0) + x0)
    return inside if inside.any() else np.ones((ny, nx), dtype=bool)
