"""Whether the legend marks pin 1: ink near that pin that has no counterpart half a turn away.

Law: what will lie under the body counts as hidden, since it cannot be checked once the part is placed.
"""

import itertools
import math
from collections.abc import Iterable, Sequence

import numpy as np
import shapely
from numpy.typing import NDArray

from yellowfen.core.board.board import BoardPart, Point
from yellowfen.core.part.direction import direction_of
from yellowfen.formats.gerber.layer import Drawn

_STEP_MM, _ENOUGH_MM, _NEAR_MM = 0.1, 0.25, 1.1


def printed_marks(parts: Sequence[BoardPart], legends: dict[str, Iterable[Drawn]], origin: Point) -> dict[str, str]:
    """For every part with a way round, on a side that has a legend: "shown", "under the body" or "none"."""
    said: dict[str, str] = {}
    for side, drawn in legends.items():
        places = _ink_places(drawn, origin)
        if not len(places):
            continue
        tree = shapely.STRtree(shapely.points(places))
        for part in parts:
            if part.side == side and direction_of(part.package) is not None and not part.package.guessed:
                said[part.ref] = _mark_of(part, places, tree)
    return said


def _ink_places(drawn: Iterable[Drawn], origin: Point) -> NDArray[np.float64]:
    """Places along all dark ink, a step apart (n, 2): each stands for a step's length of ink."""
    found: list[NDArray[np.float64]] = []
    for one in drawn:
        if not one.dark:
            continue
        path = np.asarray(one.path, dtype=float).reshape(-1, 2) - origin
        if len(path) == 1:
            found.append(np.repeat(path, 4, axis=0))
            continue
        for a, b in itertools.pairwise(path):
            count = max(1, round(math.dist(a, b) / _STEP_MM))
            found.append(a + (b - a) * (np.arange(count)[:, None] + 0.5) / count)
    return np.concatenate(found) if found else np.zeros((0, 2))


def _mark_of(part: BoardPart, places: NDArray[np.float64], tree: shapely.STRtree) -> str:
    first = next((land for land in part.package.lands if land.pin in ("1", "A1")), None)
    if first is None:
        return "shown"
    reach = max(part.package.body_x_mm, part.package.body_y_mm) / 2 + math.hypot(first.x_mm, first.y_mm) + 2 * _NEAR_MM
    near = places[tree.query(shapely.box(part.x_mm - reach, part.y_mm - reach, part.x_mm + reach, part.y_mm + reach))]
    own = _own_frame(part, near)
    radius = _NEAR_MM + max(first.size_x_mm, first.size_y_mm) / 2
    beneath = (np.abs(own[:, 0]) < part.package.body_x_mm / 2) & (np.abs(own[:, 1]) < part.package.body_y_mm / 2)

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
    return np.column_stack((dx * math.cos(angle) + offset[:, 1] * math.sin(angle), -dx * math.sin(angle) + offset[:, 1] * math.cos(angle)))
