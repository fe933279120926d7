"""How well the copper of a layer conducts between the middles of neighbouring grid cells.

Drawn copper comes with links between fine cells (core/board/copper_links); they are put one behind
the other along the way and side by side across it. Where only coverage is known, a cell counts as
coverage to a power, which was fitted on drawn boards. Laws: full copper conducts as full copper at
any coverage map or link; none adds nothing.
"""

import numpy as np

from yellowfen.core.board.copper_links import FLOOR
from yellowfen.core.heat.scene import Array, CopperLayer

Lines = tuple[tuple[float, ...], tuple[float, ...]]
DRAWN_CELL_M = 0.15e-3


def foil_links(foil: CopperLayer, lines: Lines, share: Array, floor: float) -> tuple[Array, Array]:
    """Copper's conductance relative to full copper, (ny, nx − 1) in x and (ny − 1, nx) in y, for
    grid `lines` (m).

    `share` (ny, nx): area share of each grid cell; `floor`: the laminate's sheet conductance
    relative to full copper, which bridges gaps.
    """
    drawn = _is_drawn(foil, lines)
    cover = share if drawn else share**foil.exponent
    along_x = _behind(cover, np.diff(lines[0]), floor)
    along_y = _behind(cover.T, np.diff(lines[1]), floor).T
    if foil.links is not None:
        cells = (
            lines[0][-1] / foil.links.along_y.shape[1],
            lines[1][-1] / foil.links.along_x.shape[0],
        )
        along_x = _instead(
            along_x, foil.links.along_x, lines[0], across=lines[1], cell_m=cells[0], drawn=drawn
        )
        along_y = _instead(
            along_y.T, foil.links.along_y.T, lines[1], across=lines[0], cell_m=cells[1], drawn=drawn
        ).T
    return foil.passes * along_x, foil.passes * along_y


def _is_drawn(foil: CopperLayer, lines: Lines) -> bool:
    """True where the coverage is a raster so fine that it is the drawing itself."""
    columns = np.atleast_2d(np.asarray(foil.coverage)).shape[1]
    return bool(columns > 1 and lines[0][-1] / columns <= DRAWN_CELL_M)


def _behind(cover: Array, sizes: Array, floor: float) -> Array:
    """Two half cells one behind the other, with the laminate in each, less the laminate: (rows,
    cells − 1).
    """
    a, b = cover[:, :-1] + floor, cover[:, 1:] + floor
    long_a, long_b = sizes[:-1], sizes[1:]
    return np.asarray(
        np.maximum((long_a + long_b) * a * b / (long_a * b + long_b * a) - floor, 0.0)
    )


def _instead(
    coarse: Array,
    links: Array,
    along: tuple[float, ...],
    across: tuple[float, ...],
    cell_m: float,
    drawn: bool,
) -> Array:
    """What the links say, in place of what coverage says; on a raster that is the drawing itself,
    only for grid cells at least as long.
    """
    if links.shape[1] == 0:
        return coarse
    found = _by_links(links, np.array(along), np.array(across), cell_m)
    if not drawn:
        return found
    middles = 0.5 * (np.array(along)[1:] + np.array(along)[:-1])
    return np.where(np.diff(middles)[None, :] >= 0.9 * cell_m, found, coarse)


def _by_links(links: Array, along: Array, across: Array, cell_m: float) -> Array:
    """Fine links behind each other from middle to middle of the grid's cells, the rows of fine
    cells side by side.
    """
    places = (
        0.5 * (along[1:] + along[:-1]) / cell_m - 0.5
    )  # in fine cells, from the middle of the first
    ohms = 1.0 / links
    before = np.concatenate([np.zeros((len(links), 1)), np.cumsum(ohms, axis=1)], axis=1)
    low = np.clip(np.floor(places).astype(int), 0, links.shape[1] - 1)
    reached = before[:, low] + (places - low) * ohms[:, low]
    rows = np.diff(places) / np.diff(reached, axis=1)
    lines = np.linspace(0.0, across[-1], len(links) + 1)
    overlap = np.minimum(across[1:, None], lines[None, 1:]) - np.maximum(
        across[:-1, None], lines[None, :-1]
    )
    return np.asarray(
        np.maximum((np.maximum(overlap, 0.0) / np.diff(across)[:, None]) @ rows - FLOOR, 0.0)
    )
