"""A copper layer as spans: on finely spaced rows, the stretches of x where there is copper.

Drawn shapes are put down in order, dark ones add, clear ones take away; from the spans come
coverage per cell, area, and which copper hangs together. Exact in x; rows are `ROW_MM` apart
(further on very rich layers), each sampled at its own place within its strip (golden-ratio
sequence), so shapes on a grid do not all err to one side. Laws: the coverage map's sum times the
cell's area is the layer's area; labels are the same exactly for copper that touches on this layer.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from yellowfen.core.quantity.compiled import Compiled

loops = Compiled("yellowfen.core.board.spans_kernel")

ROW_MM, COARSE_ROW_MM = 0.02, 0.05
MOST_SPANS = 300_000
GOLDEN = 0.6180339887498949
Point = tuple[float, float]
Ring = Sequence[Point]


class Draft:
    """Shapes noted down in drawing order, any unit of length as long as it is millimetres."""

    def __init__(self) -> None:
        self.kinds: list[int] = []
        self.darks: list[bool] = []
        self.counts: list[int] = []
        self.halves: list[float] = []
        self.points: list[Point] = []
        self.corners: list[Point] = []
        self.ring_sizes: list[int] = []

    def stroke(self, dark: bool, path: Sequence[Point], width_mm: float) -> None:
        """A round-ended stroke along a path; a path of one point is a disc."""
        if len(path) == 1:
            path = (path[0], path[0])
        self.points += path
        self.kinds.append(0)
        self.darks.append(dark)
        self.counts.append(len(path))
        self.halves.append(width_mm / 2)

    def area(self, dark: bool, rings: Iterable[Ring]) -> None:
        """Rings filled even-odd."""
        before = len(self.corners)
        for ring in rings:
            self.corners += ring
            self.ring_sizes.append(len(ring))
        self.kinds.append(1)
        self.darks.append(dark)
        self.counts.append(len(self.corners) - before)

    def capsules(self, origin: Point) -> NDArray[np.float64]:
        """Straight bits of all strokes: x0 y0 x1 y1 and half width (n, 5)."""
        if not self.points:
            return np.zeros((0, 5))
        points = np.array(self.points) - np.array(origin)
        sizes = np.array(self.counts)[np.array(self.kinds) == 0]
        inner = np.ones(len(points), dtype=bool)
        inner[np.cumsum(sizes) - 1] = False
        at = np.nonzero(inner)[0]
        return np.column_stack([points[at], points[at + 1], np.repeat(self.halves, sizes - 1)])

    def edges(self, origin: Point) -> NDArray[np.float64]:
        """Edges of all rings: x0 y0 x1 y1 (n, 4)."""
        if not self.corners:
            return np.zeros((0, 4))
        corners = np.array(self.corners) - np.array(origin)
        sizes = np.array(self.ring_sizes)
        after = np.arange(1, len(corners) + 1)
        after[np.cumsum(sizes) - 1] = np.cumsum(sizes) - sizes
        return np.hstack([corners, corners[after]])


@dataclass(frozen=True, kw_only=True)
class Spans:
    """Spans of one layer: row k holds spans first[k] to first[k + 1] at height `rows_y[k]` (mm,
    from the layer's own origin).
    """

    rows_y: NDArray[np.float64]
    row_mm: float
    first: NDArray[np.int64]
    x0: NDArray[np.float64]
    x1: NDArray[np.float64]

    @property
    def area_mm2(self) -> float:
        return float((self.x1 - self.x0).sum() * self.row_mm)

    def area_within(self, width_mm: float) -> float:
        """Area between x = 0 and `width_mm`, mm²."""
        return float(
            np.maximum(np.minimum(self.x1, width_mm) - np.maximum(self.x0, 0.0), 0.0).sum()
            * self.row_mm
        )

    def coverage(self, cell_mm: float, ny: int, nx: int) -> NDArray[np.float64]:
        """Share of each cell that is copper: array (ny, nx), rows from the lower edge up, values
        0..1.
        """

        cells = np.zeros((ny, nx))
        loops.cover(
            self.first,
            self.x0,
            self.x1,
            np.floor(self.rows_y / cell_mm).astype(np.int64),
            cell_mm,
            cells,
        )
        return np.minimum(cells * (self.row_mm / cell_mm**2), 1.0)

    def shares(self, ny: int, nx: int, width_mm: float, height_mm: float) -> NDArray[np.float64]:
        """Share of copper, 0..1, of ny × nx equal cells that fill width × height from the origin;
        each needs a row at least.
        """

        rows = np.floor(self.rows_y / height_mm * ny).astype(np.int64)
        cells = np.zeros((ny, nx))
        loops.cover(self.first, self.x0, self.x1, rows, width_mm / nx, cells)
        seen = np.bincount(rows[rows < ny], minlength=ny)
        return np.minimum(cells / (np.maximum(seen, 1)[:, None] * width_mm / nx), 1.0)

    @cached_property
    def labels(self) -> NDArray[np.int64]:
        """A number for each span; equal for spans that hang together."""

        return np.asarray(loops.components(self.first, self.x0, self.x1))

    @cached_property
    def label_areas(self) -> NDArray[np.float64]:
        """Area of copper of each label, mm²."""
        if not len(self.x0):
            return np.zeros(0)
        return np.asarray(
            np.bincount(self.labels, weights=(self.x1 - self.x0) * self.row_mm), dtype=np.float64
        )

    def label_at(self, points: NDArray[np.float64]) -> NDArray[np.int64]:
        """The label of the copper at each of the points (n, 2), −1 where there is none."""

        if not len(self.rows_y):
            return np.full(len(points), -1)
        rows = np.floor(points[:, 1] / self.row_mm).astype(np.int64)
        return np.asarray(loops.find(self.first, self.x0, self.x1, self.labels, rows, points[:, 0]))


def spans_of(draft: Draft, origin: Point, height_mm: float) -> Spans:
    """The spans of the noted shapes, moved so that `origin` is 0, 0; rows from 0 to `height_mm`."""

    kinds, counts = np.array(draft.kinds, dtype=np.int64), np.array(draft.counts, dtype=np.int64)
    counts = np.where(kinds == 0, counts - 1, counts)
    stops = np.empty_like(counts)
    for kind in (0, 1):
        stops[kinds == kind] = np.cumsum(counts[kinds == kind])
    capsules, edges = draft.capsules(origin), draft.edges(origin)
    row_mm = _row_mm(capsules, edges)
    rows = max(1, int(np.ceil(height_mm / row_mm)))
    rows_y = (np.arange(rows) + np.modf(np.arange(rows) * GOLDEN)[0]) * row_mm
    row, x0, x1, dark = loops.fill(
        kinds,
        np.array(draft.darks, dtype=np.bool_),
        stops - counts,
        stops,
        capsules,
        edges,
        rows_y,
        row_mm,
    )
    first, out0, out1 = loops.merge(row, x0, x1, dark, rows)
    return Spans(rows_y=rows_y, row_mm=row_mm, first=first, x0=out0, x1=out1)


def _row_mm(capsules: NDArray[np.float64], edges: NDArray[np.float64]) -> float:
    """Rows as fine as the layer's wealth of shapes allows: `ROW_MM` to `COARSE_ROW_MM`."""
    climbed = (
        np.abs(capsules[:, 3] - capsules[:, 1]).sum()
        + 2 * capsules[:, 4].sum()
        + 0.5 * np.abs(edges[:, 3] - edges[:, 1]).sum()
    )
    return float(np.clip(ROW_MM * climbed / ROW_MM / MOST_SPANS, ROW_MM, COARSE_ROW_MM))
