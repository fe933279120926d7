"""Shapes of pads worked out many at once: the copper within openings, rings and sizes.

Thousands of single calls would be the import's time.
"""

import math
from collections.abc import Sequence
from itertools import pairwise
from typing import Any

import numpy as np
import shapely
from numpy.typing import NDArray
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from yellowfen.core.board.board import Point
from yellowfen.formats.gerber.apertures import EMPTY, polygons_of
from yellowfen.formats.gerber.layer import Drawn, capsules, shapes_of

SMALLEST_PAD_MM2 = 0.004
_LONG_PATH = 60
_Numbers = NDArray[np.float64]
_Shapes = NDArray[np.object_]


def as_shapes(shapes: Sequence[BaseGeometry]) -> _Shapes:
    """An array of geometries (n,)."""
    out = np.empty(len(shapes), dtype=object)
    out[:] = shapes
    return out


def copper_under(copper: Sequence[Drawn], openings: Sequence[Polygon]) -> list[Polygon]:
    """The pieces of copper within each opening; only what lies near an opening is worked out."""
    if not len(openings) or not copper:
        return []
    tree = shapely.STRtree(openings)
    found = [_lines_near(copper, tree), _others_near(copper, tree)]
    order, opening = (np.concatenate([one[k] for one in found]).astype(np.int64) for k in (0, 2))
    shapes = np.concatenate([one[1] for one in found])
    rank = np.lexsort((order, opening))
    order, opening, shapes = order[rank], opening[rank], shapes[rank]
    dark = np.array([one.dark for one in copper])[order]
    parts = _cut(shapes, opening, as_shapes(openings))
    kept = ~shapely.is_empty(parts)
    return _put_together(parts[kept], opening[kept], dark[kept])


def _put_together(
    parts: _Shapes, opening: NDArray[np.int64], dark: NDArray[np.bool_]
) -> list[Polygon]:
    """Pieces of copper, opening by opening, from cut shapes in drawing order.

    Openings with dark shapes only are united in a few calls.
    """
    if not len(parts):
        return []
    starts = np.flatnonzero(np.concatenate([[True], opening[1:] != opening[:-1]]))
    counts = np.diff(np.concatenate([starts, [len(parts)]]))
    plain = np.logical_and.reduceat(dark, starts)
    whole = np.empty(len(starts), dtype=object)
    alone = plain & (counts == 1)
    whole[alone] = parts[starts[alone]]
    for count in np.unique(counts[plain & ~alone]).tolist():
        mine = np.flatnonzero(plain & (counts == count))
        whole[mine] = _united(parts[starts[mine][:, None] + np.arange(count)])
    for k in np.flatnonzero(~plain).tolist():
        run = slice(starts[k], starts[k] + counts[k])
        whole[k] = _in_order(parts[run], dark[run])
    pieces, _ = shapely.get_parts(whole, return_index=True)
    if not (shapely.get_type_id(pieces) == shapely.GeometryType.POLYGON).all():
        pieces = as_shapes([polygon for piece in pieces for polygon in polygons_of(piece)])
    return list(pieces[shapely.area(pieces) > SMALLEST_PAD_MM2])


def _united(rows: _Shapes) -> _Shapes:
    """The union of each row (n, k) of shapes."""
    try:
        return np.asarray(shapely.union_all(rows, axis=1), dtype=object)
    except shapely.errors.GEOSException:  # a cut shape may touch itself
        return np.asarray(shapely.union_all(shapely.make_valid(rows), axis=1), dtype=object)


def _in_order(parts: _Shapes, dark: NDArray[np.bool_]) -> BaseGeometry:
    """Shapes added and taken away as they were drawn."""
    total: BaseGeometry = EMPTY
    edges = [0, *(np.flatnonzero(dark[1:] != dark[:-1]) + 1).tolist(), len(parts)]
    for start, stop in pairwise(edges):
        run = _united(parts[None, start:stop])[0]
        total = total.union(run) if dark[start] else total.difference(run)
    return total


def _cut(shapes: _Shapes, which: NDArray[np.int64], openings: _Shapes) -> _Shapes:
    """Each shape cut to its opening; what lies within a rectangular opening stays as it is."""
    bounds = shapely.bounds(openings)
    boxes = shapely.area(openings) > 0.9999 * (bounds[:, 2] - bounds[:, 0]) * (
        bounds[:, 3] - bounds[:, 1]
    )
    own, room = shapely.bounds(shapes), bounds[which]
    inside = (
        boxes[which]
        & (own[:, :2] >= room[:, :2]).all(axis=1)
        & (own[:, 2:] <= room[:, 2:]).all(axis=1)
    )
    cut = shapes.copy()
    beyond = np.flatnonzero(boxes[which] & ~inside)
    cut[beyond] = _clipped(shapes[beyond], room[beyond])
    others = np.flatnonzero(~boxes[which])
    if len(others):
        cut[others] = shapely.intersection(shapes[others], openings[which[others]])
    return cut


def _clipped(shapes: _Shapes, rooms: _Numbers) -> _Shapes:
    """Each shape within its own rectangle (n, 4). Rectangles of one size are laid on one place, so
    that one call clips all of theirs: boards have few sizes of pads and tens of thousands of pads.
    """
    low = rooms[:, :2]
    sizes, kind = np.unique((rooms[:, 2:] - low).round(9), axis=0, return_inverse=True)
    moved = _moved(shapes, -low)
    for k, (width, height) in enumerate(sizes.tolist()):
        mine = kind.ravel() == k
        moved[mine] = shapely.clip_by_rect(moved[mine], 0.0, 0.0, width, height)
    return _moved(moved, low)


def _moved(shapes: _Shapes, by: _Numbers) -> _Shapes:
    """Each shape moved by its own step (n, 2)."""
    points, which = shapely.get_coordinates(shapes, return_index=True)
    return np.asarray(shapely.set_coordinates(shapes.copy(), points + by[which]), dtype=object)


_Near = tuple[NDArray[np.int64], _Shapes, NDArray[np.int64]]


def _lines_near(copper: Sequence[Drawn], tree: shapely.STRtree) -> _Near:
    """(order, shape, opening) of every straight bit of a round pen's line that comes near an
    opening.
    """
    lines = [
        (order, one)
        for order, one in enumerate(copper)
        if one.kind == "stroke" and one.width_mm > 0
    ]
    if not lines:
        return np.zeros(0, np.int64), as_shapes([]), np.zeros(0, np.int64)
    points = np.array([point for _, one in lines for point in one.path])
    sizes = np.array([len(one.path) for _, one in lines])
    starts = np.ones(len(points), dtype=bool)
    starts[np.cumsum(sizes) - 1] = False
    at = np.flatnonzero(starts)
    orders = np.repeat([order for order, _ in lines], sizes - 1)
    bits = np.column_stack(
        [points[at], points[at + 1], np.repeat([one.width_mm for _, one in lines], sizes - 1)]
    )
    half = bits[:, 4] / 2
    low, high = np.minimum(bits[:, :2], bits[:, 2:4]), np.maximum(bits[:, :2], bits[:, 2:4])
    which, openings = tree.query(
        shapely.box(low[:, 0] - half, low[:, 1] - half, high[:, 0] + half, high[:, 1] + half)
    )
    used, back = np.unique(which, return_inverse=True)
    return orders[which], capsules(bits[used, :4], bits[used, 4])[back], openings


def _others_near(copper: Sequence[Drawn], tree: shapely.STRtree) -> _Near:
    """The same for flashes, regions and lines of other pens; large ones are cut to the opening's
    neighbourhood first.
    """
    others = np.array(
        [
            order
            for order, one in enumerate(copper)
            if not (one.kind == "stroke" and one.width_mm > 0)
        ],
        dtype=np.int64,
    )
    which, openings = tree.query(_boxes([copper[order] for order in others.tolist()]))
    used, back = np.unique(which, return_inverse=True)
    shapes = as_shapes(shapes_of([copper[order] for order in others[used].tolist()]))[back]
    long = np.array(
        [len(copper[order].path) >= _LONG_PATH for order in others[used].tolist()], dtype=bool
    )[back]
    for k in np.flatnonzero(long).tolist():
        x0, y0, x1, y1 = tree.geometries[openings[k]].bounds
        shapes[k] = shapely.make_valid(
            shapely.clip_by_rect(shapes[k], x0 - 0.1, y0 - 0.1, x1 + 0.1, y1 + 0.1)
        )
    return others[which], shapes, openings


def _boxes(drawn: Sequence[Drawn]) -> _Shapes:
    """Boxes around objects that are no lines of a round pen, mm."""
    bounds = np.empty((len(drawn), 4))
    for index, one in enumerate(drawn):
        if one.kind == "flash" and one.pen is not None:
            (x, y), low = one.path[0], one.pen.bounds
            bounds[index] = (x + low[0], y + low[1], x + low[2], y + low[3])
        elif one.kind == "region":
            xs, ys = zip(*one.path, strict=True)
            bounds[index] = (min(xs), min(ys), max(xs), max(ys))
        else:
            bounds[index] = one.shape.bounds
    return np.asarray(shapely.box(bounds[:, 0], bounds[:, 1], bounds[:, 2], bounds[:, 3]))


def places_of(shapes: Sequence[Polygon]) -> _Numbers:
    """Middle x, y, size along and across, and the angle nearest to the x axis of the smallest
    rectangle round each shape (n, 5).
    """
    every = as_shapes(shapes)
    bounds, middles = shapely.bounds(every), shapely.get_coordinates(shapely.centroid(every))
    size = bounds[:, 2:] - bounds[:, :2]
    out = np.concatenate([middles, size, np.zeros((len(every), 1))], axis=1)
    for k in np.flatnonzero(shapely.area(every) <= 0.98 * size[:, 0] * size[:, 1]).tolist():
        out[k, 2:] = _turned(every[k])
    return out


def _turned(piece: Polygon) -> tuple[float, float, float]:
    corners = list(piece.minimum_rotated_rectangle.exterior.coords)
    (ax, ay), (bx, by), (cx, cy) = corners[0], corners[1], corners[2]
    first, second = math.dist((ax, ay), (bx, by)), math.dist((bx, by), (cx, cy))
    angle = math.degrees(math.atan2(by - ay, bx - ax)) % 180
    if abs(angle - 90) < 45:
        angle, first, second = (angle - 90) % 180, second, first
    return first, second, 0.0 if angle > 179.5 or angle < 0.5 else angle


def _simplified(rings: NDArray[Any], within_mm: float) -> NDArray[Any]:
    """Rings within a distance of these; the slow way, that keeps a ring a ring, only where the
    quick one spoils it.
    """
    quick = np.asarray(shapely.simplify(rings, within_mm, preserve_topology=False))
    spoilt = (shapely.get_num_coordinates(quick) < 4) | ~shapely.is_simple(quick)
    quick[spoilt] = shapely.simplify(rings[spoilt], within_mm)
    return quick


def rings_of(
    shapes: Sequence[BaseGeometry], origin: Point, within_mm: float = 0.01, digits: int = 3
) -> list[tuple[Point, ...]]:
    """Outer rings in board millimetres, not closed, simplified to within a distance.

    `shapes` are polygons or rings.
    """
    if not len(shapes):
        return []
    every = as_shapes(shapes)
    areas = shapely.get_type_id(every) == shapely.GeometryType.POLYGON
    every[areas] = shapely.get_exterior_ring(every[areas])
    points, which = shapely.get_coordinates(_simplified(every, within_mm), return_index=True)
    pairs = list(map(tuple, (points - np.asarray(origin)).round(digits).tolist()))
    edges = np.concatenate([[0], np.cumsum(np.bincount(which, minlength=len(every)))]).tolist()
    return [tuple(pairs[start : stop - 1]) for start, stop in pairwise(edges)]
