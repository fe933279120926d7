"""A layer's objects as ink for the plan and as spans of copper.

Nothing is united here: what overlaps is simply drawn twice.
"""

from collections.abc import Iterable, Iterator, Sequence

import numpy as np
from numpy.typing import NDArray

from yellowfen.core.board.board import Ink, Point
from yellowfen.core.board.spans import Draft
from yellowfen.formats.gerber.apertures import polygons_of
from yellowfen.formats.gerber.layer import Drawn

MOST_INK = 800_000
_AT_ONCE = 4000


def ink_of(
    drawn: Iterable[Drawn], origin: Point, round_pens_only: bool = False
) -> tuple[tuple[Ink, ...], bool]:
    """Ink in drawing order, strokes of one width together, and whether everything fitted in."""
    inks: list[Ink] = []
    open_paths: dict[float, list[str]] = {}
    clear, total = False, 0

    def close() -> None:
        for width, paths in open_paths.items():
            inks.append(Ink("".join(paths), width, clear))
        open_paths.clear()

    objects = list(drawn)
    for one, (width, text) in zip(objects, _paths(objects, origin), strict=True):
        if one.dark == clear:
            close()
            clear = not one.dark
        if round_pens_only and not width and one.kind == "stroke":
            continue
        total += len(text)
        if total > MOST_INK:
            close()
            return tuple(inks), False
        open_paths.setdefault(width, []).append(text)
    close()
    return tuple(inks), True


def _paths(drawn: Sequence[Drawn], origin: Point) -> Iterator[tuple[float, str]]:
    """Stroke width (0 for filled) and path data of each object, in whole hundredths of a
    millimetre.
    """
    for first in range(0, len(drawn), _AT_ONCE):
        some = drawn[first : first + _AT_ONCE]
        rings = [_rings(one) for one in some]
        points = np.array([point[:2] for its in rings for ring, _ in its for point in ring])
        sizes = np.array([len(ring) for its in rings for ring, _ in its])
        backwards = iter(_clockwise(points, sizes).tolist())
        numbers = np.rint((points.reshape(-1, 2) - origin) * 100).astype(np.int64).tolist()
        words, at = [f"{x} {y}" for x, y in numbers], 0
        for one, its in zip(some, rings, strict=True):
            text = ""
            for ring, solid in its:
                mine, turned = words[at : at + len(ring)], next(backwards)
                at += len(ring)
                if solid is not None and turned == solid:
                    mine.reverse()
                text += "M" + " ".join(mine) + ("" if solid is None else "Z")
            round_mm = _round_mm(one)
            yield round(round_mm, 3), text + ("h0" if one.kind == "flash" and round_mm else "")


def _round_mm(one: Drawn) -> float:
    """The width of what a round pen draws, 0 for all else."""
    if one.kind == "flash" and one.pen is not None:
        return one.pen.round_mm or 0.0
    return one.width_mm if one.kind == "stroke" and one.width_mm > 0 else 0.0


def _rings(one: Drawn) -> list[tuple[Sequence[Sequence[float]], bool | None]]:
    """The open path of a round pen with None, or closed ones, each with whether it is solid or a
    hole.
    """
    if _round_mm(one) > 0:
        return [(one.path, None)]
    if one.kind == "region":
        return [(_opened(one.path), True)]
    return [
        (_opened(list(ring.coords)), ring is polygon.exterior)
        for polygon in polygons_of(one.shape)
        for ring in (polygon.exterior, *polygon.interiors)
    ]


def _opened(ring: Sequence[Sequence[float]]) -> Sequence[Sequence[float]]:
    return ring[:-1] if len(ring) > 1 and tuple(ring[0][:2]) == tuple(ring[-1][:2]) else ring


def _clockwise(points: NDArray[np.float64], sizes: NDArray[np.int64]) -> NDArray[np.bool_]:
    """Whether each ring of so many points runs clockwise. Solid ones are drawn anticlockwise and
    holes clockwise, so that overlapping shapes add up under the nonzero rule.
    """
    if not len(points):
        return np.zeros(len(sizes), dtype=bool)
    ends = np.cumsum(sizes)
    after = np.arange(1, len(points) + 1)
    after[ends - 1] = ends - sizes
    twice = points[:, 0] * points[after, 1] - points[after, 0] * points[:, 1]
    return np.asarray(np.add.reduceat(twice, ends - sizes) <= 0)


def draft_of(drawn: Iterable[Drawn], plane: Iterable[Point] | None = None) -> Draft:
    """The objects noted for spans; with `plane` the layer is a negative one: dark there except
    where it draws.
    """
    draft = Draft()
    if plane is not None:
        draft.area(True, [list(plane)])
    for one in drawn:
        dark = one.dark if plane is None else not one.dark
        if (round_mm := _round_mm(one)) > 0:
            draft.stroke(dark, one.path, round_mm)
        elif one.kind == "region":
            draft.area(dark, [one.path])
        elif one.stamped:
            (x, y), rings = one.path[0], one.pen.rings if one.pen else []
            draft.area(dark, [[(px + x, py + y) for px, py in ring] for ring in rings])
        else:
            rings = [
                list(ring.coords)[:-1]
                for polygon in polygons_of(one.shape)
                for ring in (polygon.exterior, *polygon.interiors)
            ]
            if rings:
                draft.area(dark, rings)
    return draft
