"""How a pad meets the coarse cells it lies in, where the copper is drawn.

A pad is smaller than a cell of the grid that is rehearsed, and often an island in it: a coarse cell
takes its heat away too well, and shares what the jet gives it with copper that the pad does not
hang on. Both are worked out at rest, on the drawing in cells of a quarter of a millimetre against
the grid's own, in the few millimetres round the part: how much heat a pad passes on, alone, and how
much of what falls on the board's face comes to each pad, all of them together. What the coarse grid
has wrong goes into the pad's contact and into its area in the air.

Laws: a grid as fine as the drawing's cells has nothing wrong; what is found hangs on the known
board, the part and the grid only, not on the recipe or on what is varied.
"""

import math
from collections import OrderedDict
from collections.abc import Hashable
from dataclasses import dataclass, replace
from threading import Lock

import numpy as np
from numpy.typing import NDArray

from yellowfen.core.heat.grid import FineRound, Grid, grid_between, make_grid, resample
from yellowfen.core.heat.laid import place_land, seen_angle_deg, turned_cells
from yellowfen.core.heat.network import PAD_CONTACT_W_M2K, Coupling, plane_tie_w_k
from yellowfen.core.heat.scene import (
    NEAR_MM,
    Array,
    BoardStack,
    CopperLayer,
    PlacedPart,
    Scene,
    Side,
    cropped,
)
from yellowfen.core.heat.source import HotAir
from yellowfen.core.quantity.compiled import Compiled

loops = Compiled("yellowfen.core.heat.pad_cells_kernel")

FINE_MM, MOST_TIMES = 0.25, 8  # cells of the drawing, and how many of them a grid's cell is long
COARSE_ENOUGH_MM = 0.5  # grids that have anything wrong
REACH_MM = 2.0  # round a pad, and two cells at least
AGREES = 0.08  # share of the area by which drawing and map may differ
LEAST, MOST = 0.05, 2.0  # of what a contact conducts
ROUNDS, CLOSE = 3, 1e-3  # of finding it, and how closely heat at rest is solved
STRONG_W_M2K, STRONG_SHARE = 500.0, 0.2  # no air takes more than a fifth of what a contact gives
MOST_PADS, MOST_BOARDS = 400, 6  # pads worked out for one heat; boards kept

_Found = dict[Hashable, tuple[object, Coupling | None]]
_kept: OrderedDict[int, tuple[BoardStack, _Found]] = OrderedDict()
_lock = Lock()


def couplings_of(
    scene: Scene, cell_mm: float, layers: int, fine: FineRound | None
) -> dict[str, Coupling]:
    """What a grid has wrong of the pads near the targets, by part; nothing but under hot air, on
    drawn copper, and for coarse even cells.
    """
    board = scene.board.known or scene.board
    if (
        fine is not None
        or cell_mm < COARSE_ENOUGH_MM
        or not isinstance(scene.source, HotAir)
        or not any(foil.drawing for foil in board.copper)
    ):
        return {}
    found = {}
    for part in _nearest(scene):
        coupling = _kept_coupling(board, part, cell_mm, layers)
        if coupling is not None:
            found[part.ref] = coupling
    return found


def _nearest(scene: Scene) -> list[PlacedPart]:
    """The parts near the targets, nearest first, as far as their pads are not more than are worked
    out in a few seconds.
    """
    places = [(one.x_mm, one.y_mm) for one in map(scene.part, scene.targets)]
    away = [
        (min(math.hypot(part.x_mm - x, part.y_mm - y) for x, y in places), part)
        for part in (scene.parts if places else ())
        if part.package.lands
    ]
    near = [part for far, part in sorted(away, key=lambda one: one[0]) if far < NEAR_MM]
    pads = np.cumsum([len(part.package.lands) for part in near])
    return near[: int(np.searchsorted(pads, MOST_PADS, "right"))]


def _kept_coupling(
    board: BoardStack, part: PlacedPart, cell_mm: float, layers: int
) -> Coupling | None:
    package = part.package
    key = (
        id(package),
        (part.x_mm, part.y_mm, part.rotation_deg, part.side),
        (part.plane_pins, part.relief_pins),
        (cell_mm, layers),
    )
    of_board = _of(board)
    with _lock:
        if key in of_board:
            return of_board[key][1]
    found = coupling_of(board, part, make_grid(board, cell_mm, layers), cell_mm)
    with _lock:
        of_board[key] = package, found  # held, so that no other takes its id
    return found


def _of(board: BoardStack) -> _Found:
    """What was found on a board; the newest few boards are kept."""
    with _lock:
        if id(board) not in _kept:
            _kept[id(board)] = board, {}
        _kept.move_to_end(id(board))
        while len(_kept) > MOST_BOARDS:
            _kept.popitem(last=False)
        return _kept[id(board)][1]


@dataclass(frozen=True, kw_only=True)
class _Block:
    """Cells round a part: W/K to the next cell in x and in y (layers, ny, nx), between layers (ny,
    nx); each land's cells (rows, columns) and areas, m²; the face's open area (ny, nx), m²; what
    cells hold (layers, ny, nx), J/K.

    `edges`: where the board itself ends: left, right, low, high.
    """

    gx: Array
    gy: Array
    gz: Array
    lands: tuple[tuple[NDArray[np.int64], NDArray[np.int64], Array], ...]
    open_m2: Array
    holds_j_k: Array
    edges: tuple[bool, bool, bool, bool]


def coupling_of(board: BoardStack, part: PlacedPart, grid: Grid, cell_mm: float) -> Coupling | None:
    """What an even grid of a known board has wrong of a part's pads; None where the drawing is not
    the map's.
    """
    reach = max(REACH_MM, 2 * cell_mm)
    box = _box(part, grid, reach)
    if box is None:
        return None
    times = min(max(2, round(cell_mm / FINE_MM)), MOST_TIMES)
    low = (grid.x_lines_m[box[0]] * 1e3, grid.y_lines_m[box[2]] * 1e3)
    piece = _piece(board, grid, box, times)
    if piece is None:
        return None
    size = ((box[1] - box[0]) * times, (box[3] - box[2]) * times)
    lines = (_even(piece.width_mm, size[0]), _even(piece.height_mm, size[1]))
    here = replace(part, x_mm=part.x_mm - low[0], y_mm=part.y_mm - low[1])
    edges = box[0] == 0, box[1] == grid.nx, box[2] == 0, box[3] == grid.ny
    finely, all_of_it = grid_between(piece, lines, grid.layers), (0, size[0], 0, size[1])
    fine = _block(finely, here, board, box=all_of_it, edges=edges)
    coarse = _block(grid, part, board, box=box, edges=edges)
    layer = 0 if part.side is Side.TOP else grid.layers - 1
    reach_cells = math.ceil(reach / cell_mm)
    eased = np.array(
        [
            _eased(fine, coarse, at, layer=layer, reach_cells=reach_cells, times=times)
            for at in range(len(part.package.lands))
        ]
    )
    air = np.zeros(len(eased))
    if layer == 0:
        air = _comes_to(fine, np.ones(len(eased))) - _comes_to(coarse, eased)
        least = [-STRONG_SHARE * area.sum() for _, _, area in coarse.lands]
        air = np.maximum(air, np.array(least) * eased * PAD_CONTACT_W_M2K / STRONG_W_M2K)
    return Coupling(eased, air)


def _box(part: PlacedPart, grid: Grid, reach_mm: float) -> tuple[int, int, int, int] | None:
    """The cells round a part's lands: first and last column and row (ends not in it); None where
    fewer than three are left of it.
    """
    spans = []
    for lines, axis in ((grid.x_lines_m, 0), (grid.y_lines_m, 1)):
        ends = []
        for land in part.package.lands:
            place = place_land(part, land)
            half = 0.5 * math.hypot(place[2], place[3])
            ends += [place[axis] - half, place[axis] + half]
        start = int(np.searchsorted(lines, (min(ends) - reach_mm) * 1e-3, "right")) - 1
        stop = int(np.searchsorted(lines, (max(ends) + reach_mm) * 1e-3))
        spans += [max(start, 0), min(stop, len(lines) - 1)]
    left, right, low, high = spans
    return (left, right, low, high) if min(right - left, high - low) >= 3 else None


def _even(length_mm: float, count: int) -> tuple[float, ...]:
    return tuple(length_mm * 1e-3 * i / count for i in range(count + 1))


def _piece(
    board: BoardStack, grid: Grid, box: tuple[int, int, int, int], times: int
) -> BoardStack | None:
    """The board within a box of cells, its drawn copper as drawn on cells so many times finer."""
    x = grid.x_lines_m[box[0]] * 1e3, grid.x_lines_m[box[1]] * 1e3
    y = grid.y_lines_m[box[2]] * 1e3, grid.y_lines_m[box[3]] * 1e3
    size = x[1] - x[0], y[1] - y[0]
    ny, nx = (box[3] - box[2]) * times, (box[1] - box[0]) * times
    foils: list[CopperLayer] = []
    for foil in board.copper:
        if foil.drawing is None:
            foils.append(cropped(foil, board, x, y))
            continue
        cover, links = foil.drawing.piece(x[0], y[0], size, ny, nx)
        shares = np.array(y) / board.height_mm, np.array(x) / board.width_mm
        if abs(float(cover.mean()) - float(resample(foil.coverage, *shares)[0, 0])) > AGREES:
            return None
        foils.append(replace(foil, coverage=cover, links=links, drawing=None))
    return replace(
        board,
        width_mm=size[0],
        height_mm=size[1],
        copper=tuple(foils),
        vias=tuple(
            replace(via, x_mm=via.x_mm - x[0], y_mm=via.y_mm - y[0])
            for via in board.vias
            if x[0] <= via.x_mm < x[1] and y[0] <= via.y_mm < y[1]
        ),
        outline=tuple((at_x - x[0], at_y - y[0]) for at_x, at_y in board.outline),
        known=None,
    )


def _block(
    grid: Grid,
    part: PlacedPart,
    board: BoardStack,
    *,
    box: tuple[int, int, int, int],
    edges: tuple[bool, bool, bool, bool],
) -> _Block:
    """The box of a grid with a part on it, its own ties to planes among the layers' links."""
    left, right, low, high = box
    cut = (slice(low, high), slice(left, right))
    gx, gy = (
        values.reshape(grid.layers, grid.ny + 2, grid.nx + 2)[:, 1:-1, 1:-1][:, *cut].copy()
        for values in (grid.gx, grid.gy)
    )
    gx[:, :, -1], gy[:, -1, :] = 0.0, 0.0
    gz = grid.unflat(grid.via_w_k)[cut] + grid.through_w_k
    slab_mm = board.thickness_mm / (grid.layers - 1)
    lands = []
    for land in part.package.lands:
        x, y, size_x, size_y, angle = place_land(part, land)
        rows, columns, area = _cells(grid, box, (x, y), (size_x, size_y), angle)
        lands.append((rows, columns, area))
        if land.pin in part.plane_pins or land.pin in part.relief_pins:
            tie = plane_tie_w_k(land.pin in part.relief_pins, slab_mm)
            gz[rows, columns] += tie * area / area.sum()
    rows, columns, area = _cells(
        grid,
        box,
        (part.x_mm, part.y_mm),
        (part.package.body_x_mm, part.package.body_y_mm),
        seen_angle_deg(part),
    )
    open_m2 = grid.unflat(grid.areas_m2)[cut].copy()
    open_m2[rows, columns] = np.maximum(open_m2[rows, columns] - area, 0.0)
    open_m2[~grid.inside[cut]] = 0.0
    holds = grid.c0.reshape(grid.layers, grid.ny + 2, grid.nx + 2)[:, 1:-1, 1:-1][:, *cut].copy()
    holds[:, ~grid.inside[cut]] = 0.0
    return _Block(
        gx=gx,
        gy=gy,
        gz=gz,
        lands=tuple(lands),
        open_m2=open_m2,
        holds_j_k=holds,
        edges=edges,
    )


def _cells(
    grid: Grid,
    box: tuple[int, int, int, int],
    place: tuple[float, float],
    size: tuple[float, float],
    angle_deg: float,
) -> tuple[NDArray[np.int64], NDArray[np.int64], Array]:
    """Rows and columns within a box of the cells under a turned rectangle, and the overlaps, m²."""
    cells, area = turned_cells(grid, *place, size_x=size[0], size_y=size[1], angle_deg=angle_deg)
    rows, columns = cells // (grid.nx + 2) - 1 - box[2], cells % (grid.nx + 2) - 1 - box[0]
    held = (rows >= 0) & (rows < box[3] - box[2]) & (columns >= 0) & (columns < box[1] - box[0])
    return rows[held], columns[held], np.maximum(area[held], 1e-12)


def _border(block: _Block, gx: Array, gy: Array, cut: tuple[slice, slice]) -> Array:
    """W/K from the outermost cells of a cut to the rest of the board, held at 0 half a cell on;
    none where the board ends.
    """
    ny, nx = block.gz.shape
    rows, columns = cut
    ground = np.zeros(gx.shape)
    left, right, low, high = block.edges
    if not (left and columns.start == 0):
        ground[:, :, 0] += 2 * gx[:, :, 0]
    if not (right and columns.stop == nx):
        ground[:, :, -1] += 2 * gx[:, :, -2]
    if not (low and rows.start == 0):
        ground[:, 0, :] += 2 * gy[:, 0, :]
    if not (high and rows.stop == ny):
        ground[:, -1, :] += 2 * gy[:, -2, :]
    return ground


def _eased(
    fine: _Block, coarse: _Block, at: int, *, layer: int, reach_cells: int, times: int
) -> float:
    """How many times as well a pad's contact has to conduct on the coarse cells for the pad to pass
    on, alone, what it does on the fine ones.
    """
    rows, columns, area = coarse.lands[at]
    ny, nx = coarse.gz.shape
    low, high = max(int(rows.min()) - reach_cells, 0), min(int(rows.max()) + reach_cells + 1, ny)
    left, right = (
        max(int(columns.min()) - reach_cells, 0),
        min(int(columns.max()) + reach_cells + 1, nx),
    )
    if min(high - low, right - left) < 2:
        return 1.0
    true = _passes(
        fine,
        at,
        layer,
        (slice(low * times, high * times), slice(left * times, right * times)),
        1.0,
    )
    contact = float(area.sum()) * PAD_CONTACT_W_M2K
    eased = 1.0
    for _ in range(ROUNDS):
        seen = _passes(coarse, at, layer, (slice(low, high), slice(left, right)), eased)
        if seen <= 0.0 or true <= 0.0:
            return 1.0
        ohms = 1.0 / (contact * eased) + 1.0 / true - 1.0 / seen
        eased = 1.0 / (contact * min(max(ohms, 1.0 / (contact * MOST)), 1.0 / (contact * LEAST)))
    return eased


def _passes(block: _Block, at: int, layer: int, cut: tuple[slice, slice], eased: float) -> float:
    """Heat a pad passes on from 1 K above the board round it, W/K."""

    gx, gy = block.gx[:, *cut].copy(), block.gy[:, *cut].copy()
    gx[:, :, -1], gy[:, -1, :] = 0.0, 0.0
    ground = _border(block, gx, gy, cut)
    rows, columns, area = block.lands[at]
    contact = area * PAD_CONTACT_W_M2K * eased
    here = layer, rows - cut[0].start, columns - cut[1].start
    ground[here] += contact
    source = np.zeros(ground.shape)
    source[here] = contact
    field = loops.solve(gx, gy, np.ascontiguousarray(block.gz[cut]), ground, source, CLOSE)
    return float((contact * (1.0 - field[here])).sum())


def _comes_to(block: _Block, eased: Array) -> Array:
    """Area of the face whose heat comes to each pad while all of them are held at 0, m²; none where
    there is no board.
    """

    if not block.holds_j_k.any():
        return np.zeros(len(block.lands))
    ny, nx = block.gz.shape
    ground = _border(block, block.gx, block.gy, (slice(0, ny), slice(0, nx)))
    contacts = [
        area * PAD_CONTACT_W_M2K * ease
        for (_, _, area), ease in zip(block.lands, eased, strict=True)
    ]
    for (rows, columns, _), contact in zip(block.lands, contacts, strict=True):
        np.add.at(ground[0], (rows, columns), contact)
    source = np.zeros(ground.shape)
    source[0] = block.open_m2
    source -= block.open_m2.sum() / block.holds_j_k.sum() * block.holds_j_k
    field = loops.solve(block.gx, block.gy, block.gz, ground, source, CLOSE)[0]
    return np.array(
        [
            float((contact * field[rows, columns]).sum())
            for (rows, columns, _), contact in zip(block.lands, contacts, strict=True)
        ]
    )
