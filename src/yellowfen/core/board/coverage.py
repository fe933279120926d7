"""Copper coverage per cell from polygons: exact area by edge accumulation, whatever the shape.

Law: rings are oriented (outer anticlockwise, holes clockwise) and do not overlap, so signed areas add up to the
union's area; the map's sum times the cell's area is the polygons' area (what lies on the map).
"""

from collections.abc import Iterable, Sequence

import numba
import numpy as np
from numpy.typing import NDArray

Ring = Sequence[tuple[float, float]]


@numba.njit(cache=True, error_model="numpy")
def _accumulate(edges, cover, area):  # type: ignore[no-untyped-def]
    """Add each edge's signed height (cover) and the area to the left of it within its cell (area), in cell units."""
    ny, nx = cover.shape
    for e in range(edges.shape[0]):
        x0, y0, x1, y1 = edges[e]
        if y0 == y1:
            continue
        sign = 1.0
        if y1 < y0:
            x0, y0, x1, y1 = x1, y1, x0, y0
            sign = -1.0
        slope = (x1 - x0) / (y1 - y0)
        if y0 < 0.0:
            x0 -= y0 * slope
            y0 = 0.0
        if y1 > ny:
            y1 = float(ny)
        row = int(y0)
        while y0 < y1 and row < ny:
            top = min(y1, row + 1.0)
            xa = x0
            xb = x0 + (top - y0) * slope
            _span(cover[row], area[row], xa, xb, (top - y0) * sign, nx)
            x0 = xb
            y0 = top
            row += 1


@numba.njit(cache=True, error_model="numpy")
def _span(cover, area, xa, xb, height, nx):  # type: ignore[no-untyped-def]
    """One edge piece within one row: split at cell borders."""
    if xa > xb:
        xa, xb = xb, xa
    run = xb - xa
    if xb <= 0.0:
        cover[0] += height
        area[0] += height
        return
    if xa >= nx:
        return
    at = xa
    while True:
        cell = int(at) if at >= 0.0 else -1
        stop = min(xb, cell + 1.0)
        share = height if run <= 0.0 else height * (stop - at) / run
        if cell < 0:
            cover[0] += share
            area[0] += share
        elif cell < nx:
            middle = 0.5 * (at + stop) - cell
            cover[cell] += share
            area[cell] += share * (1.0 - middle)
        if stop >= xb or cell >= nx:
            return
        at = stop


def coverage_map(rings: Iterable[Ring], origin: tuple[float, float], cell_mm: float, ny: int, nx: int) -> NDArray[np.float64]:
    """Share of each cell that the rings cover: array (ny, nx), rows from the lower edge up, values 0..1."""
    pieces = [np.asarray(ring, dtype=float) for ring in rings]
    cover, area = np.zeros((ny, nx)), np.zeros((ny, nx))
    if not pieces:
        return cover
    edges = np.concatenate([np.hstack([ring, np.roll(ring, -1, axis=0)]) for ring in pieces])
    edges = (edges - np.array([*origin, *origin])) / cell_mm
    _accumulate(edges, cover, area)
    carried = np.cumsum(cover, axis=1) - cover
    return np.clip(-(carried + area), 0.0, 1.0)
