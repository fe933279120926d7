"""The board's shape from its outline lines, and outline lines that were drawn on layers where they
do not belong.
"""

import itertools
from collections.abc import Sequence

import numpy as np
import shapely
from shapely.geometry import Polygon, box

from yellowfen.core.board.board import Finding, Role
from yellowfen.formats.board_set import FileSet, extent_of
from yellowfen.formats.gerber.apertures import polygons_of
from yellowfen.formats.gerber.layer import Drawn

NEAR_EDGE_MM = 0.3
_DRAWN_ROLES = (
    Role.COPPER_TOP,
    Role.COPPER_BOTTOM,
    Role.MASK_TOP,
    Role.MASK_BOTTOM,
    Role.PASTE_TOP,
    Role.PASTE_BOTTOM,
)


def board_shape(found: FileSet) -> Polygon:
    """Closed from the outline layer's lines, else from a frame drawn on another layer, else the box
    around copper; said if not the first.
    """
    shape = closed(found.drawn(Role.OUTLINE))
    if shape is not None:
        return shape
    if Role.OUTLINE in found.gerbers:
        extent = extent_of(found.drawn(Role.OUTLINE))
        if extent is not None and extent[2] - extent[0] > 2 and extent[3] - extent[1] > 2:
            found.findings.append(
                Finding("outline", "its lines do not close; the box around them is used")
            )
            return box(*extent)
    for role in (*_DRAWN_ROLES, Role.COPPER_INNER, Role.LEGEND_TOP, Role.LEGEND_BOTTOM):
        frame = _frame_on(found, role)
        if frame is not None:
            found.findings.append(
                Finding("outline", f"no outline layer was found; the frame drawn on {role} is used")
            )
            return frame
    extents = [extent for role in _DRAWN_ROLES if (extent := _flashed_extent(found.drawn(role)))]
    low, high = (
        np.min([one[:2] for one in extents], axis=0),
        np.max([one[2:] for one in extents], axis=0),
    )
    found.findings.append(
        Finding("outline", "no outline layer was found; the box around the copper and 1 mm is used")
    )
    return box(*low, *high).buffer(1.0, join_style="mitre")


def _flashed_extent(drawn: list[Drawn]) -> tuple[float, float, float, float] | None:
    """The box around everything drawn, pens included."""
    if not drawn:
        return None
    rough = extent_of(drawn)
    if rough is None:
        return None
    if len(drawn) < 4000:
        bounds = np.array([one.shape.bounds for one in drawn])
        return (*bounds[:, :2].min(axis=0), *bounds[:, 2:].max(axis=0))
    return rough


def _frame_on(found: FileSet, role: Role) -> Polygon | None:
    """A closed line round everything that a layer draws."""
    drawn = found.drawn(role)
    thin = [one for one in drawn if one.kind == "stroke" and one.dark and one.width_mm < 1.0]
    rest = [one for one in drawn if one.kind != "stroke"]
    extent = extent_of(drawn)
    if extent is None or sum(len(one.path) - 1 for one in thin) < 4 or not rest:
        return None
    reach = 0.6
    around = [
        one
        for one in thin
        if all(
            min(abs(x - extent[0]), abs(x - extent[2])) < reach
            or min(abs(y - extent[1]), abs(y - extent[3])) < reach
            for x, y in one.path
        )
    ]
    if not 4 <= sum(len(one.path) - 1 for one in around) <= 2000:
        return None
    shape = closed(around)
    whole = (extent[2] - extent[0]) * (extent[3] - extent[1])
    return shape if shape is not None and shape.area > 0.75 * whole > 50 else None


def closed(drawn: Sequence[Drawn]) -> Polygon | None:
    """The shape that lines close, cut-outs taken away; None when they do not close."""
    lines = [one.path for one in drawn if one.kind == "stroke" and len(one.path) > 1]
    if len(lines) > 20_000:
        return None
    regions = [one.shape for one in drawn if one.kind == "region"]
    for snap in (0.005, 0.05, 0.15):
        if not lines:
            break
        noded = shapely.node(
            shapely.set_precision(shapely.MultiLineString([list(line) for line in lines]), snap)
        )
        polygons = polygons_of(shapely.polygonize([noded]))
        if polygons and (shape := _largest_with_cutouts(polygons, _box_area(lines))) is not None:
            return shape
    return (
        _largest_with_cutouts([piece for region in regions for piece in polygons_of(region)])
        if regions
        else None
    )


def _box_area(lines: Sequence[Sequence[tuple[float, float]]]) -> float:
    points = np.array([point for line in lines for point in line])
    return float(np.prod(points.max(axis=0) - points.min(axis=0)))


def _largest_with_cutouts(polygons: list[Polygon], whole_box: float = 0.0) -> Polygon | None:
    """The largest shape less its cut-outs; None when it is but a small part of the box round all
    lines.
    """
    largest = max(polygons, key=lambda polygon: Polygon(polygon.exterior).area)
    if largest.area < 4 or largest.area < 0.3 * whole_box:
        return None
    whole = Polygon(largest.exterior)
    cutouts = [Polygon(ring) for ring in largest.interiors if Polygon(ring).area > 3]
    result = whole.difference(shapely.union_all(cutouts)) if cutouts else whole
    return max(polygons_of(result), key=lambda polygon: polygon.area)


def kept_of(found: FileSet, label: str, drawn: Sequence[Drawn], shape: Polygon) -> list[Drawn]:
    """A layer's objects without a repeated outline; worked out once for each layer and said once."""
    if label not in found.kept:
        found.kept[label], repeated = without_outline(list(drawn), shape)
        if repeated:
            kind = label.split()[0]
            found.findings.append(
                Finding(
                    label,
                    f"{repeated} lines repeat the board's outline and were not counted as {kind}",
                )
            )
    return found.kept[label]


def without_outline(drawn: list[Drawn], shape: Polygon) -> tuple[list[Drawn], int]:
    """A layer's objects without strokes that only repeat the board's outline, and how many those
    were.

    They count as a repeated outline when together they run along half of the board's edge or more.
    """
    strokes = [
        (index, one)
        for index, one in enumerate(drawn)
        if one.kind == "stroke" and 0 < one.width_mm < 1.5
    ]
    if not strokes or not _reaches_round([one for _, one in strokes], shape.bounds):
        return drawn, 0
    edge = shape.boundary
    rim = edge.buffer(NEAR_EDGE_MM)
    shapely.prepare(rim)
    counts = np.array([len(one.path) for _, one in strokes])
    ends = np.array([point for _, one in strokes for point in one.path])
    starts = np.cumsum(counts) - counts
    middles = (ends + np.roll(ends, -1, axis=0)) / 2
    middles[starts + counts - 1] = ends[starts + counts - 1]
    near = shapely.contains_xy(rim, ends[:, 0], ends[:, 1]) & shapely.contains_xy(
        rim, middles[:, 0], middles[:, 1]
    )
    along = [
        stroke
        for stroke, on_edge in zip(strokes, np.logical_and.reduceat(near, starts), strict=True)
        if on_edge
    ]
    length = sum(
        np.hypot(bx - ax, by - ay)
        for _, one in along
        for (ax, ay), (bx, by) in itertools.pairwise(one.path)
    )
    if length < 0.5 * edge.length:
        return drawn, 0
    gone = {index for index, _ in along}
    return [one for index, one in enumerate(drawn) if index not in gone], sum(
        len(one.path) - 1 for _, one in along
    )


def _reaches_round(strokes: list[Drawn], bounds: tuple[float, float, float, float]) -> bool:
    """Whether lines come near the board's box on at least three sides, as a repeated outline would."""
    xs = [point[0] for one in strokes for point in one.path]
    ys = [point[1] for one in strokes for point in one.path]
    reach = 2 * NEAR_EDGE_MM
    sides = (min(xs) - bounds[0], min(ys) - bounds[1], bounds[2] - max(xs), bounds[3] - max(ys))
    return sum(side < reach for side in sides) >= 3
