"""Outer copper as it is drawn, on cells far finer than the maps a board keeps: what an iron on one
narrow pad has to know.
"""

import math
from collections.abc import Iterator
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import NDArray

from yellowfen.core.board.board import Board, Ink
from yellowfen.core.board.copper_links import CopperLinks, links_of_spans
from yellowfen.core.board.remembered import remembered
from yellowfen.core.board.spans import Draft, Point, Spans, spans_of

CELL_MM = 0.05
MOST_CELLS = 2_000_000
AGREES = 0.03


@remembered(most=2)
def drawn_copper(board: Board, side: str) -> NDArray[np.float64] | None:
    """Coverage 0..1 of the outer layer of a `side`, rows from the lower edge up over the whole
    board.

    Cells of `CELL_MM`, wider on boards that would need more than `MOST_CELLS` (16 MB, which nobody
    changes). None where nothing is drawn, or where the drawing was cut short: its area must be the
    map's.
    """
    inks = tuple(board.drawings.get(f"copper {side}", ()))
    maps = [one for one in board.copper if one.depth == (0.0 if side == "top" else 1.0)]
    if not inks or not maps:
        return None
    spans = _spans(inks, board.height_mm)
    if abs(spans.area_within(board.width_mm) - maps[0].area_mm2) > AGREES * maps[0].area_mm2:
        return None
    cell = max(CELL_MM, 2 * spans.row_mm, math.sqrt(board.width_mm * board.height_mm / MOST_CELLS))
    ny, nx = max(1, round(board.height_mm / cell)), max(1, round(board.width_mm / cell))
    return spans.shares(ny, nx, board.width_mm, board.height_mm)


@dataclass(frozen=True, eq=False)
class DrawnLayer:
    """The drawing of an outer layer, of which any piece can be had finely; `mirrored` where the
    board lies with its underside up.
    """

    inks: tuple[Ink, ...]
    width_mm: float
    mirrored: bool = False

    def turned_over(self) -> "DrawnLayer":
        """The same drawing on the board turned over about its upright axis."""
        return replace(self, mirrored=not self.mirrored)

    def piece(
        self, left_mm: float, low_mm: float, size_mm: tuple[float, float], ny: int, nx: int
    ) -> tuple[NDArray[np.float64], CopperLinks]:
        """Coverage 0..1 and links of ny × nx cells that divide a rectangle of the board evenly,
        rows from its lower edge up; cells of about 0.1 mm or more.
        """
        wide, tall = size_mm
        if self.mirrored:
            left_mm = self.width_mm - left_mm - wide
        shapes, boxes = _shapes(self.inks)
        meets = (
            (boxes[:, 0] < left_mm + wide)
            & (boxes[:, 2] > left_mm)
            & (boxes[:, 1] < low_mm + tall)
            & (boxes[:, 3] > low_mm)
        )
        draft = Draft()
        for at in np.nonzero(meets)[0]:
            shapes[at].put(draft)
        spans = spans_of(draft, (left_mm, low_mm), tall)
        cover = spans.shares(ny, nx, wide, tall)
        links = links_of_spans(spans, (wide / nx, tall / ny), ny, nx)
        return (cover[:, ::-1], links.mirrored()) if self.mirrored else (cover, links)


@dataclass(frozen=True)
class _Shape:
    """A stroke of a width along its first ring, or with none an area within its rings."""

    dark: bool
    width_mm: float
    rings: list[list[Point]]

    def put(self, draft: Draft) -> None:
        if self.width_mm:
            draft.stroke(self.dark, self.rings[0], self.width_mm)
        else:
            draft.area(self.dark, self.rings)


def _spans(inks: tuple[Ink, ...], height_mm: float) -> Spans:
    draft = Draft()
    for shape in _shapes(inks)[0]:
        shape.put(draft)
    return spans_of(draft, (0.0, 0.0), height_mm)


@remembered(most=4)
def _shapes(inks: tuple[Ink, ...]) -> tuple[list[_Shape], NDArray[np.float64]]:
    """What is drawn, in drawing order, and the box round each shape: left, low, right, high (n, 4)."""
    found = [shape for ink in inks for shape in _shapes_of(ink)]
    boxes = np.empty((len(found), 4))
    for box, shape in zip(boxes, found, strict=True):
        corners, half = np.vstack(shape.rings), shape.width_mm / 2
        box[:2], box[2:] = corners.min(axis=0) - half, corners.max(axis=0) + half
    return found, boxes


def _shapes_of(ink: Ink) -> Iterator[_Shape]:
    rings: list[list[Point]] = []
    for text in ink.path.split("M")[1:]:
        numbers = [int(word) / 100 for word in text.removesuffix("Z").removesuffix("h0").split()]
        points = list(zip(numbers[::2], numbers[1::2], strict=True))
        if ink.width_mm:
            yield _Shape(not ink.clear, ink.width_mm, [points])
        elif rings and _turns_right(points):  # a hole of the ring before it
            rings.append(points)
        else:
            if rings:
                yield _Shape(not ink.clear, 0.0, rings)
            rings = [points]
    if rings:
        yield _Shape(not ink.clear, 0.0, rings)


def _turns_right(ring: list[Point]) -> bool:
    after = [*ring[1:], *ring[:1]]
    return sum(x0 * y1 - x1 * y0 for (x0, y0), (x1, y1) in zip(ring, after, strict=True)) < 0
