"""Whether the legend marks pin 1: ink near that pin that has no counterpart half a turn away.

Law: what will lie under the body counts as hidden, since it cannot be checked once the part is
placed.
"""

import itertools
import math
from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from yellowfen.core.board.board import BoardPart, Point
from yellowfen.core.part.direction import direction_of
from yellowfen.formats.gerber.layer import Drawn

_STEP_MM, _ENOUGH_MM, _NEAR_MM = 0.1, 0.25, 1.1


def printed_marks(
    parts: Sequence[BoardPart], legends: dict[str, Sequence[Drawn]], origin: Point
) -> dict[str, str]:
    """For every part with a way round, on a side that has a legend: "shown", "under the body" or
    "none".
    """
    said: dict[str, str] = {}
    for side, drawn in legends.items():
        ink = _Ink(_ink_places(drawn, origin))
        if not len(ink.places):
            continue
        for part in parts:
            if (
                part.side == side
                and direction_of(part.package) is not None
                and not part.package.guessed
            ):
                said[part.ref] = _mark_of(part, ink)
    return said


def _ink_places(drawn: Sequence[Drawn], origin: Point) -> NDArray[np.float64]:
    """Places along all dark ink, a step apart (n, 2): each stands for a step's length of ink."""
    bits = [(*a, *b) for one in drawn if one.dark for a, b in itertools.pairwise(one.path)]
    dots = [one.path[0] for one in drawn if one.dark and len(one.path) == 1 for _ in range(4)]
    ends = np.array(bits).reshape(-1, 4)
    counts = np.maximum(
        1, np.round(np.hypot(ends[:, 2] - ends[:, 0], ends[:, 3] - ends[:, 1]) / _STEP_MM)
    ).astype(int)
    which = np.repeat(np.arange(len(ends)), counts)
    share = (np.arange(len(which)) - np.repeat(np.cumsum(counts) - counts, counts) + 0.5) / counts[
        which
    ]
    along = ends[which, :2] + (ends[which, 2:] - ends[which, :2]) * share[:, None]
    return np.concatenate([along, np.array(dots).reshape(-1, 2)]) - origin


class _Ink:
    """Places of ink sorted into square cells."""

    _CELL_MM = 4.0

    def __init__(self, places: NDArray[np.float64]) -> None:
        keys = self._key(
            np.floor(places[:, 0] / self._CELL_MM), np.floor(places[:, 1] / self._CELL_MM)
        )
        order = np.argsort(keys, kind="stable")
        self.places, self.keys = places[order], keys[order]

    @staticmethod
    def _key(column: NDArray[np.float64], row: NDArray[np.float64]) -> NDArray[np.float64]:
        return column * 100_003 + row

    def near(self, x: float, y: float, reach: float) -> NDArray[np.float64]:
        """Places in the cells that a square of that half side touches."""
        low_x, high_x = (
            math.floor((x - reach) / self._CELL_MM),
            math.floor((x + reach) / self._CELL_MM),
        )
        low_y, high_y = (
            math.floor((y - reach) / self._CELL_MM),
            math.floor((y + reach) / self._CELL_MM),
        )
        columns = np.arange(low_x, high_x + 1, dtype=float)
        first = np.searchsorted(
            self.keys, self._key(columns, np.full(len(columns), float(low_y))), "left"
        )
        last = np.searchsorted(
            self.keys, self._key(columns, np.full(len(columns), float(high_y))), "right"
        )
        return np.concatenate([self.places[a:b] for a, b in zip(first, last, strict=True)])


def _mark_of(part: BoardPart, ink: _Ink) -> str:
    first = next((land for land in part.package.lands if land.pin in ("1", "A1")), None)
    if first is None:
        return "shown"
    reach = (
        max(part.package.body_x_mm, part.package.body_y_mm) / 2
        + math.hypot(first.x_mm, first.y_mm)
        + 2 * _NEAR_MM
    )
    own = _own_frame(part, ink.near(part.x_mm, part.y_mm, reach))
    radius = _NEAR_MM + max(first.size_x_mm, first.size_y_mm) / 2
    beneath = (np.abs(own[:, 0]) < part.package.body_x_mm / 2) & (
        np.abs(own[:, 1]) < part.package.body_y_mm / 2
    )

    def surplus(kept: NDArray[np.bool_]) -> float:
        here = np.hypot(own[kept, 0] - first.x_mm, own[kept, 1] - first.y_mm) < radius
        there = np.hypot(own[kept, 0] + first.x_mm, own[kept, 1] + first.y_mm) < radius
        return float(abs(int(here.sum()) - int(there.sum())) * _STEP_MM)

    if surplus(~beneath) >= _ENOUGH_MM:
        return "shown"
    return "under the body" if surplus(beneath) >= _ENOUGH_MM else "none"


def _own_frame(part: BoardPart, places: NDArray[np.float64]) -> NDArray[np.float64]:
    """Board places in the part's own frame."""
    offset = places - (part.x_mm, part.y_mm)
    dx = offset[:, 0] if part.side == "top" else -offset[:, 0]
    angle = math.radians(part.rotation_deg)
    return np.column_stack(
        (
            dx * math.cos(angle) + offset[:, 1] * math.sin(angle),
            -dx * math.sin(angle) + offset[:, 1] * math.cos(angle),
        )
    )
