"""Outer copper as it is drawn, on cells far finer than the maps a board keeps: what an iron on one
narrow pad has to know.
"""

import math
from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from yellowfen.core.board.board import Board, Ink
from yellowfen.core.board.spans import Draft, Point, Spans, spans_of

CELL_MM = 0.05
MOST_CELLS = 2_000_000
AGREES = 0.03


def drawn_copper(board: Board, side: str) -> NDArray[np.float64] | None:
    """Coverage 0..1 of the outer layer of a `side`, rows from the lower edge up over the whole
    board.

    Cells of `CELL_MM`, wider on boards that would need more than `MOST_CELLS`. None where nothing
    is drawn, or where the drawing was cut short: its area must be the map's.
    """
    inks = board.drawings.get(f"copper {side}", ())
    maps = [one for one in board.copper if one.depth == (0.0 if side == "top" else 1.0)]
    if not inks or not maps:
        return None
    spans = _spans(inks, board.height_mm)
    if abs(spans.area_within(board.width_mm) - maps[0].area_mm2) > AGREES * maps[0].area_mm2:
        return None
    cell = max(CELL_MM, 2 * spans.row_mm, math.sqrt(board.width_mm * board.height_mm / MOST_CELLS))
    ny, nx = max(1, round(board.height_mm / cell)), max(1, round(board.width_mm / cell))
    return spans.shares(ny, nx, board.width_mm, board.height_mm)


def _spans(inks: Iterable[Ink], height_mm: float) -> Spans:
    draft = Draft()
    for ink in inks:
        rings: list[list[Point]] = []
        for text in ink.path.split("M")[1:]:
            numbers = [
                int(word) / 100 for word in text.removesuffix("Z").removesuffix("h0").split()
            ]
            points = list(zip(numbers[::2], numbers[1::2], strict=True))
            if ink.width_mm:
                draft.stroke(not ink.clear, points, ink.width_mm)
            elif rings and _turns_right(points):  # a hole of the ring before it
                rings.append(points)
            else:
                _close(draft, ink, rings)
                rings = [points]
        _close(draft, ink, rings)
    return spans_of(draft, (0.0, 0.0), height_mm)


def _close(draft: Draft, ink: Ink, rings: list[list[Point]]) -> None:
    if rings:
        draft.area(not ink.clear, rings)


def _turns_right(ring: list[Point]) -> bool:
    after = [*ring[1:], *ring[:1]]
    return sum(x0 * y1 - x1 * y0 for (x0, y0), (x1, y1) in zip(ring, after, strict=True)) < 0
