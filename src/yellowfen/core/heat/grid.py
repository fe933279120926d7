"""The board as cells: conductances and heat capacities from laminate, copper maps and plated holes.

Nodes lie at the faces and evenly between, so surface temperatures are real (outer layers have half
thickness). Cells: x along the board's width, y up; flat index (iy + 1)·(nx + 2) + ix + 1 in a ghost
ring.
"""

import math
from bisect import bisect_left, bisect_right
from dataclasses import dataclass, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from yellowfen.core.board.remembered import remembered
from yellowfen.core.heat.copper_sheet import Lines, foil_links
from yellowfen.core.heat.scene import Array, BoardStack, Core
from yellowfen.core.source.mark import Mark, constant

_M = Mark.FROM_MEMORY
FR4_PLANE_W_MK = constant(
    "fr4_conductivity_plane",
    0.85,
    "W/m·K",
    mark=_M,
    source="FR-4 in plane 0.8 to 0.9",
    affects="spreading without copper",
)
FR4_THROUGH_W_MK = constant(
    "fr4_conductivity_through",
    0.3,
    "W/m·K",
    mark=_M,
    source="FR-4 through the thickness",
    affects="how far the underside lags",
)
FR4_DENSITY = constant(
    "fr4_density",
    1870.0,
    "kg/m³",
    mark=_M,
    source="FR-4 1850 to 1900",
    affects="how slowly the board warms",
)
FR4_CP = constant(
    "fr4_specific_heat",
    1100.0,
    "J/kg·K",
    mark=_M,
    source="FR-4 near room temperature",
    affects="how slowly the board warms",
)
FR4_CP_SLOPE = constant(
    "fr4_specific_heat_slope",
    0.0015,
    "1/K",
    mark=_M,
    source="rise of FR-4's specific heat",
    affects="late part of long heats",
)
COPPER_W_MK = constant(
    "copper_conductivity",
    395.0,
    "W/m·K",
    mark=Mark.JUDGED,
    source="401 for pure copper (Incropera & DeWitt, table A.1), a little less for foil",
    affects="spreading",
)
COPPER_DENSITY = constant(
    "copper_density",
    8930.0,
    "kg/m³",
    mark=Mark.PUBLISHED,
    source="Incropera & DeWitt, table A.1",
    affects="heat in planes",
)
COPPER_CP = constant(
    "copper_specific_heat",
    385.0,
    "J/kg·K",
    mark=Mark.PUBLISHED,
    source="Incropera & DeWitt, table A.1",
    affects="heat in planes",
)
ALUMINIUM_W_MK = constant(
    "aluminium_conductivity",
    138.0,
    "W/m·K",
    mark=_M,
    source="wrought alloy 5052",
    affects="aluminium-core boards",
)
ALUMINIUM_HEAT = constant(
    "aluminium_heat",
    2.36e6,
    "J/m³·K",
    mark=_M,
    source="2680 kg/m³, 880 J/kg·K",
    affects="aluminium-core boards",
)
DIELECTRIC_MM = constant(
    "dielectric_thickness",
    0.1,
    "mm",
    mark=_M,
    source="filled film under the foil, 0.075 to 0.15",
    affects="aluminium-core boards",
)
DIELECTRIC_W_MK = constant(
    "dielectric_conductivity",
    1.3,
    "W/m·K",
    mark=_M,
    source="filled epoxy, 1 to 2",
    affects="aluminium-core boards",
)
PLATING_MM = constant(
    "via_plating",
    0.025,
    "mm",
    mark=Mark.COMMON_PRACTICE,
    source="plated hole walls of 20 to 25 µm",
    affects="heat through vias",
)
GROWTH, COARSEST_MM = 1.4, 1.0


@dataclass(frozen=True)
class Raster:
    """The cells of a face: `x_lines_m`, `y_lines_m` bound them (nx + 1, ny + 1 lines), evenly or
    finer round one place. Flat arrays have a ghost ring of cells around.
    """

    x_lines_m: tuple[float, ...]
    y_lines_m: tuple[float, ...]

    @property
    def nx(self) -> int:
        return len(self.x_lines_m) - 1

    @property
    def ny(self) -> int:
        return len(self.y_lines_m) - 1

    @property
    def cells(self) -> int:
        return (self.nx + 2) * (self.ny + 2)

    def rectangle(
        self, x_mm: float, y_mm: float, size_x_mm: float, size_y_mm: float
    ) -> tuple[NDArray[np.int64], Array]:
        """Cells under an axis-parallel rectangle and the overlap with each, m².

        Parts beyond the board are cut.
        """
        columns = _overlaps(
            (x_mm - size_x_mm / 2) * 1e-3, (x_mm + size_x_mm / 2) * 1e-3, self.x_lines_m
        )
        rows = _overlaps(
            (y_mm - size_y_mm / 2) * 1e-3, (y_mm + size_y_mm / 2) * 1e-3, self.y_lines_m
        )
        row = self.nx + 2
        index = [(j + 1) * row + i + 1 for j, _ in rows for i, _ in columns]
        return np.array(index, dtype=np.int64), np.array(
            [tall * wide for _, tall in rows for _, wide in columns]
        )


@dataclass(frozen=True, kw_only=True)
class Grid(Raster):
    """Cell arrays for the kernel; shapes (layers, cells) unless said, SI units.

    `through_w_k`: laminate from one node layer to the next in each cell; `via_w_k` (cells): copper
    of plated holes along with it, solved apart. Where cells differ in size the laminate is in
    `via_w_k` too.
    """

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
    def dx_m(self) -> float:
        """Width of a cell, in the mean."""
        return self.x_lines_m[-1] / self.nx

    @property
    def dy_m(self) -> float:
        """Height of a cell, in the mean."""
        return self.y_lines_m[-1] / self.ny

    @cached_property
    def areas_m2(self) -> Array:
        """Area of every cell (cells), 0 in the ghost ring."""
        return self.flat(np.outer(np.diff(self.y_lines_m), np.diff(self.x_lines_m)))

    def flat(self, values: Array) -> Array:
        """A (ny, nx) map as a flat padded array with zeros in the ghost ring."""
        padded = np.zeros((self.ny + 2, self.nx + 2))
        padded[1:-1, 1:-1] = values
        return padded.ravel()

    def unflat(self, values: Array) -> Array:
        """A flat padded array as a (ny, nx) map."""
        return values.reshape(self.ny + 2, self.nx + 2)[1:-1, 1:-1]


def _overlaps(low: float, high: float, lines: tuple[float, ...]) -> list[tuple[int, float]]:
    """Cells along one axis and their overlap with a stretch; plain numbers, since most stretches
    meet two or three cells.
    """
    count = len(lines) - 1
    start = min(max(bisect_right(lines, low) - 1, 0), count - 1)
    stop = min(max(bisect_left(lines, high), start + 1), count)
    return [(i, max(min(lines[i + 1], high) - max(lines[i], low), 0.0)) for i in range(start, stop)]


def resample(coverage: float | Array, rows: int | Array, columns: int | Array) -> Array:
    """A coverage map averaged by area onto cells: so many even ones, or between lines given as
    shares of the whole, 0 to 1.
    """
    source = np.atleast_2d(np.asarray(coverage, dtype=float))
    return np.asarray(
        _averaging(source.shape[0], rows) @ source @ _averaging(source.shape[1], columns).T
    )


def _averaging(fine: int, coarse: int | Array) -> Array:
    edges_f = np.arange(fine + 1) / fine
    edges_c = np.arange(coarse + 1) / coarse if isinstance(coarse, int) else coarse
    overlap = np.minimum(edges_c[1:, None], edges_f[None, 1:]) - np.maximum(
        edges_c[:-1, None], edges_f[None, :-1]
    )
    return np.asarray(np.maximum(overlap, 0.0) / np.diff(edges_c)[:, None])


@dataclass(frozen=True)
class FineRound:
    """A rectangle of the board within which cells are at their finest; outwards each is `GROWTH`
    times the one before, to 1 mm.
    """

    x_mm: float
    y_mm: float
    size_x_mm: float
    size_y_mm: float


def _lines_m(
    length_mm: float, cell_mm: float, fine: tuple[float, float] | None
) -> tuple[float, ...]:
    """Lines that bound cells along one axis, from 0 to the length; `fine` is the middle and the
    size of the fine stretch.
    """
    if fine is None:
        count = max(2, math.ceil(length_mm / cell_mm - 1e-9))
        return tuple(length_mm * 1e-3 * i / count for i in range(count + 1))
    middle, size = fine
    count = max(2, math.ceil(size / cell_mm - 1e-9))
    low = middle - 0.5 * count * cell_mm
    inner = [low + i * cell_mm for i in range(count + 1)]
    lines = [*reversed(_growing(low, cell_mm, -1.0)), *inner, *_growing(inner[-1], cell_mm, 1.0)]
    kept = [at for at in lines if 0.4 * cell_mm < at < length_mm - 0.4 * cell_mm]
    return tuple(1e-3 * at for at in (0.0, *kept, length_mm))


def _growing(start: float, cell_mm: float, way: float, reach_mm: float = 400.0) -> list[float]:
    lines, at, step = [], start, cell_mm
    while abs(at - start) < reach_mm:
        step = min(GROWTH * step, COARSEST_MM)
        at += way * step
        lines.append(at)
    return lines


@remembered(most=6)
def make_grid(
    board: BoardStack, cell_mm: float = 1.0, layers: int = 4, fine: FineRound | None = None
) -> Grid:
    """Cells of at most `cell_mm`, everywhere or round one place only, and `layers` (3 or more)
    nodes through the thickness.
    """
    lines = (
        _lines_m(board.width_mm, cell_mm, (fine.x_mm, fine.size_x_mm) if fine else None),
        _lines_m(board.height_mm, cell_mm, (fine.y_mm, fine.size_y_mm) if fine else None),
    )
    return grid_between(board, lines, layers)


def grid_between(board: BoardStack, lines: Lines, layers: int) -> Grid:
    """The same between lines (m, from 0 to the board's width and height)."""
    if board.core is Core.ALUMINIUM:
        return _aluminium_grid(board, lines)
    slab = board.thickness_mm * 1e-3 / (layers - 1)
    plane = np.array(
        [
            FR4_PLANE_W_MK * (slab if 0 < layer < layers - 1 else 0.5 * slab)
            for layer in range(layers)
        ]
    )
    copper, along_x, along_y = _copper_by_layer(board, layers, lines, plane)
    heat, slopes = np.empty_like(copper), np.empty(layers)
    for layer in range(layers):
        laminate = (slab if 0 < layer < layers - 1 else 0.5 * slab) * FR4_DENSITY * FR4_CP
        metal = copper[layer] * COPPER_DENSITY * COPPER_CP
        heat[layer] = laminate + metal
        slopes[layer] = FR4_CP_SLOPE * laminate / (laminate + float(metal.mean()))
    sheet = plane[:, None, None]
    return _assemble(
        board,
        lines,
        FR4_THROUGH_W_MK / slab,
        slab=slab,
        sheets=(sheet + along_x, sheet + along_y),
        heat=heat,
        slopes=slopes,
    )


def _aluminium_grid(board: BoardStack, lines: Lines) -> Grid:
    """Two node layers: the foil with its dielectric, and the aluminium, which hardly differs from
    face to face.
    """
    metal_m = board.thickness_mm * 1e-3
    film = DIELECTRIC_MM * 1e-3
    plane = np.array([film * FR4_PLANE_W_MK, metal_m * ALUMINIUM_W_MK])
    foils = tuple(replace(foil, depth=0.0) for foil in board.copper)
    copper, along_x, along_y = _copper_by_layer(replace(board, copper=foils), 2, lines, plane)
    upper = copper[0] * COPPER_DENSITY * COPPER_CP + film * FR4_DENSITY * FR4_CP
    heat = np.stack([upper, np.full_like(upper, metal_m * ALUMINIUM_HEAT)])
    sheet = plane[:, None, None]
    whole = (sheet + along_x, sheet + along_y)
    return _assemble(
        replace(board, vias=()),
        lines,
        DIELECTRIC_W_MK / film,
        slab=metal_m,
        sheets=whole,
        heat=heat,
        slopes=np.zeros(2),
    )


def _assemble(
    board: BoardStack,
    lines: Lines,
    through_w_m2k: float,
    slab: float,
    sheets: tuple[Array, Array],
    heat: Array,
    slopes: Array,
) -> Grid:
    """`sheets`: conductivity times thickness between middles of cells, W/K, (layers, ny, nx − 1) in
    x and (layers, ny − 1, nx) in y; `heat`: per area, J/m²K, (layers, ny, nx).
    """
    layers, ny, nx = heat.shape
    dx, dy = np.diff(lines[0]), np.diff(lines[1])
    inside = _inside(board, lines)
    gx = np.zeros((layers, ny + 2, nx + 2))
    gy = np.zeros((layers, ny + 2, nx + 2))
    gx[:, 1:-1, 1:-2] = (
        np.where(inside[:, :-1] & inside[:, 1:], sheets[0], 0.0)
        * dy[:, None]
        / (0.5 * (dx[:-1] + dx[1:]))
    )
    gy[:, 1:-2, 1:-1] = (
        np.where(inside[:-1] & inside[1:], sheets[1], 0.0)
        * dx
        / (0.5 * (dy[:-1] + dy[1:]))[:, None]
    )
    vias = np.zeros((ny + 2, nx + 2))
    _add_vias(vias[1:-1, 1:-1], board, lines, slab)
    area = np.outer(dy, dx)
    even = float(area.max() - area.min()) < 1e-9 * float(area.max())
    if not even:
        vias[1:-1, 1:-1] += through_w_m2k * area
    vias[1:-1, 1:-1][~inside] = 0.0
    held = heat * area
    c0 = np.full((layers, ny + 2, nx + 2), float(held.max()))
    c0[:, 1:-1, 1:-1] = held
    x, y = (np.array([2 * at[0] - at[1], *at, 2 * at[-1] - at[-2]]) for at in lines)
    mesh_x, mesh_y = np.meshgrid(0.5 * (x[1:] + x[:-1]), 0.5 * (y[1:] + y[:-1]))
    return Grid(
        *lines,
        layers=layers,
        gx=gx.reshape(layers, -1),
        gy=gy.reshape(layers, -1),
        c0=c0.reshape(layers, -1),
        slopes=slopes,
        inside=inside,
        cell_x=mesh_x.ravel(),
        cell_y=mesh_y.ravel(),
        through_w_k=through_w_m2k * float(area[0, 0]) if even else 0.0,
        via_w_k=vias.ravel(),
    )


def _copper_by_layer(
    board: BoardStack, layers: int, lines: Lines, plane_w_k: Array
) -> tuple[Array, Array, Array]:
    """Copper at each node layer; inner foils share the two nearest.

    Returns its thickness smeared over the cell, m, which holds heat, and what it adds to the
    laminate's `plane_w_k` (layers) between middles of cells in x and in y, W/K.
    """
    columns, rows = (np.array(at) / at[-1] for at in lines)
    nx, ny = len(columns) - 1, len(rows) - 1
    copper, along_x, along_y = (
        np.zeros((layers, ny, nx)),
        np.zeros((layers, ny, nx - 1)),
        np.zeros((layers, ny - 1, nx)),
    )
    for foil in board.copper:
        metal_m = foil.thickness_um * 1e-6
        if metal_m == 0.0:
            continue
        share = resample(foil.coverage, rows, columns)
        place = foil.depth * (layers - 1)
        low = min(int(place), layers - 2)
        for layer, part in ((low, 1.0 - (place - low)), (low + 1, place - low)):
            if part > 0.0:
                full_w_k = metal_m * COPPER_W_MK
                links = foil_links(foil, lines, share, float(plane_w_k[layer]) / full_w_k)
                copper[layer] += part * metal_m * share
                along_x[layer] += part * full_w_k * links[0]
                along_y[layer] += part * full_w_k * links[1]
    return copper, along_x, along_y


def _add_vias(column: Array, board: BoardStack, lines: Lines, slab: float) -> None:
    ny, nx = column.shape
    for via in board.vias:
        ix, iy = (
            bisect_right(lines[0], via.x_mm * 1e-3) - 1,
            bisect_right(lines[1], via.y_mm * 1e-3) - 1,
        )
        if 0 <= ix < nx and 0 <= iy < ny:
            column[iy, ix] += via_conductance_w_k(via.drill_mm, slab * 1e3)


def via_conductance_w_k(drill_mm: float, length_mm: float) -> float:
    """Conductance of one plated hole wall over a length, W/K."""
    return math.pi * drill_mm * PLATING_MM * 1e-6 * COPPER_W_MK / (length_mm * 1e-3)


def _inside(board: BoardStack, lines: Lines) -> NDArray[np.bool_]:
    x, y = (1e3 * np.array(at) for at in lines)
    xs, ys = np.meshgrid(0.5 * (x[1:] + x[:-1]), 0.5 * (y[1:] + y[:-1]))
    inside = np.zeros(xs.shape, dtype=bool)
    if len(board.outline) < 3:
        return ~inside
    corners = board.outline
    for (x0, y0), (x1, y1) in zip(corners, (*corners[1:], corners[0]), strict=True):
        if y0 != y1:
            crosses = (y0 > ys) != (y1 > ys)
            inside ^= crosses & (xs < (x1 - x0) * (ys - y0) / (y1 - y0) + x0)
    return inside if inside.any() else ~inside
