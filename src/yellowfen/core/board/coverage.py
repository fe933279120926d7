"""Copper coverage per cell from polygons: exact area by edge accumulation, whatever the shape.

Law: rings are oriented (outer anticlockwise, holes clockwise) and do not overlap, so signed areas add up to the
union's area; the map's sum times the cell's area is the polygons' area (what lies on the map).
"""

from collections.abc import Iterable, Sequence

import numpy as np
from numpy.typing import NDArray

Ring = Sequence[tuple[float, float]]


def coverage_map(rings: Iterable[Ring], origin: tuple[float, float], cell_mm: float, ny: int, nx: int) -> NDArray[np.float64]:
    """Share of each cell that the rings cover: array (ny, nx), rows from the lower edge up, values 0..1."""
    from yellowfen.core.board.coverage_kernel import accumulate  # loads the compiler's runtime, so only when needed

    pieces = [np.asarray(ring, dtype=float) for ring in rings]
    cover, area = np.zeros((ny, nx)), np.zeros((ny, nx))
    if not pieces:
        return cover
    edges = np.concatenate([np.hstack([ring, np.roll(ring, -1, axis=0)]) for ring in pieces])
    edges = (edges - np.array([*origin, *origin])) / cell_mm
    accumulate(edges, cover, area)
    carried = np.cumsum(cover, axis=1) - cover
    return np.clip(-(carried + area), 0.0, 1.0)
