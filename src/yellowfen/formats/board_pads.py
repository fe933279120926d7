"""Pads and paste openings: copper that the mask leaves open, worked out opening by opening, never layer by layer."""

import math
from collections import defaultdict
from collections.abc import Sequence

import numpy as np
import shapely
from shapely.geometry import Polygon
from shapely.geometry.base import BaseGeometry

from yellowfen.core.board.board import Finding, Opening, Pad, Point, Role
from yellowfen.core.quantity.wording import counted
from yellowfen.formats.board_set import FileSet
from yellowfen.formats.board_shape import kept_of
from yellowfen.formats.gerber.apertures import EMPTY, polygons_of
from yellowfen.formats.gerber.layer import Drawn, capsules, combine

SMALLEST_PAD_MM2 = 0.004
_SIDES = (
    ("top", Role.COPPER_TOP, Role.MASK_TOP, Role.PASTE_TOP),
    ("bottom", Role.COPPER_BOTTOM, Role.MASK_BOTTOM, Role.PASTE_BOTTOM),
)


def pads_of(found: FileSet, shape: Polygon, origin: Point) -> tuple[list[Pad], list[Opening]]:
    """Pads and paste openings of both sides in board millimetres."""
    pads: list[Pad] = []
    openings: list[Opening] = []
    drills = [
        shapely.Point(hit.x_mm, hit.y_mm).buffer(hit.drill_mm / 2 * 0.9, quad_segs=4) for _, drill in found.drills for hit in drill.hits
    ]
    holes = shapely.STRtree(drills)
    for side, copper_role, mask_role, paste_role in _SIDES:
        paste = paste_openings(found, paste_role, shape)
        copper = kept_of(found, str(copper_role), found.drawn(copper_role), shape) if copper_role in found.gerbers else None
        pieces = _exposed(found, copper, mask_role, paste, shape)
        pasted = shapely.STRtree(paste)
        solderable = [piece for piece in pieces if len(pasted.query(piece, predicate="intersects")) or not _drilled(piece, drills, holes)]
        over, below = _paste_over(solderable, paste, pasted)
        openings += [_opening(piece, side, origin, None if k is None else len(pads) + k) for piece, k in zip(paste, below, strict=True)]
        pads += _as_pads(solderable, over, side, copper or [], origin)
    return pads, openings


def _opening(piece: Polygon, side: str, origin: Point, pad: int | None) -> Opening:
    first, second, angle = _measure(piece)
    return Opening(
        side,
        ring_of(piece.exterior, origin, 0.001, 5),  # they are written out again, so their areas must hold
        round(piece.area, 5),
        round(piece.length, 4),
        round(first, 4),
        round(second, 4),
        round(angle, 2),
        pad,
    )


def _paste_over(pads: list[Polygon], paste: list[Polygon], pasted: shapely.STRtree) -> tuple[np.ndarray, list[int | None]]:
    """Area of paste over each pad, and for each opening the pad that it covers most of."""
    over = np.zeros(len(pads))
    below: list[int | None] = [None] * len(paste)
    if not pads or not paste:
        return over, below
    which, what = pasted.query(np.asarray(pads, dtype=object), predicate="intersects")
    shared = shapely.area(shapely.intersection(np.asarray(pads, dtype=object)[which], np.asarray(paste, dtype=object)[what]))
    np.add.at(over, which, shared)
    for index in np.argsort(shared):
        below[int(what[index])] = int(which[index])
    return over, below


def paste_openings(found: FileSet, role: Role, board: Polygon) -> list[Polygon]:
    """Openings of a paste layer, without lines that repeat the board's outline and without what lies beyond the board."""
    if role not in found.gerbers:
        return []
    pieces = polygons_of(combine(kept_of(found, str(role), found.drawn(role), board)))
    width, height = board.bounds[2] - board.bounds[0], board.bounds[3] - board.bounds[1]

    def is_frame(piece: Polygon) -> bool:
        w, h = piece.bounds[2] - piece.bounds[0], piece.bounds[3] - piece.bounds[1]
        thin = piece.area < 0.12 * w * h or min(w, h) < 0.6
        return bool(thin and (w > 0.85 * width or h > 0.85 * height))

    kept = [piece for piece in pieces if not is_frame(piece)]
    if len(kept) < len(pieces):
        found.findings.append(
            Finding(
                str(role), f"{counted(len(pieces) - len(kept), 'line frame', 'line frames')} round the board's outline not counted as paste"
            )
        )
    inside = [piece for piece, on in zip(kept, shapely.intersects(kept, board), strict=True) if on] if kept else []
    if len(inside) < len(kept):
        found.findings.append(
            Finding(str(role), f"{counted(len(kept) - len(inside), 'shape')} beyond the board's edge not counted as paste")
        )
    return inside


def _exposed(found: FileSet, copper: list[Drawn] | None, mask_role: Role, paste: list[Polygon], board: Polygon) -> list[Polygon]:
    mask = _mask_openings(found, mask_role, board)
    if copper is not None and mask is not None:
        return copper_under(copper, mask)
    if mask is not None:
        return mask
    if paste or copper is None:
        return paste
    return [piece for one in copper if one.kind == "flash" and one.dark for piece in polygons_of(one.shape)]


def _mask_openings(found: FileSet, role: Role, board: Polygon) -> list[Polygon] | None:
    """Openings of a mask layer; a layer that draws the mask itself, not its openings, is turned round."""
    if role not in found.gerbers:
        return None
    picture = combine(kept_of(found, str(role), found.drawn(role), board))
    if any(layer.negative for layer in found.gerbers[role]):
        picture = board.difference(picture)
    pieces = polygons_of(picture)
    if any(piece.area > 0.6 * board.area and len(piece.interiors) > 3 for piece in pieces):
        found.findings.append(Finding(str(role), "it draws the mask, not its openings; it was turned round"))
        pieces = polygons_of(board.difference(picture))
    return pieces


def copper_under(copper: Sequence[Drawn], openings: Sequence[Polygon]) -> list[Polygon]:
    """The pieces of copper within each opening; only what lies near an opening is worked out."""
    if not len(openings) or not copper:
        return []
    near: dict[int, list[tuple[int, BaseGeometry, bool]]] = defaultdict(list)
    tree = shapely.STRtree(openings)
    for order, shape, opening, dark in (*_lines_near(copper, tree), *_others_near(copper, tree)):
        near[opening].append((order, shape, dark))
    pieces: list[Polygon] = []
    for number, opening in enumerate(openings):
        found = _copper_in(opening, sorted(near[number], key=lambda one: one[0])) if number in near else EMPTY
        pieces += [piece for piece in polygons_of(found) if piece.area > SMALLEST_PAD_MM2]
    return pieces


_Near = list[tuple[int, BaseGeometry, int, bool]]


def _lines_near(copper: Sequence[Drawn], tree: shapely.STRtree) -> _Near:
    """(order, shape, opening, dark) of every straight bit of a round pen's line that comes near an opening."""
    rows = [(*one.path[k], *one.path[k + 1], one.width_mm, order) for order, one in enumerate(copper)
            if one.kind == "stroke" and one.width_mm > 0 for k in range(len(one.path) - 1)]  # fmt: skip
    if not rows:
        return []
    bits = np.array(rows)
    half = bits[:, 4] / 2
    low, high = np.minimum(bits[:, :2], bits[:, 2:4]), np.maximum(bits[:, :2], bits[:, 2:4])
    which, openings = tree.query(shapely.box(low[:, 0] - half, low[:, 1] - half, high[:, 0] + half, high[:, 1] + half))
    used, back = np.unique(which, return_inverse=True)
    shapes = capsules(bits[used, :4], bits[used, 4])
    orders = bits[which, 5].astype(int)
    return [(int(order), shapes[at], int(opening), copper[order].dark) for order, at, opening in zip(orders, back, openings, strict=True)]


def _others_near(copper: Sequence[Drawn], tree: shapely.STRtree) -> _Near:
    """The same for flashes, regions and lines of other pens."""
    others = [(order, one) for order, one in enumerate(copper) if not (one.kind == "stroke" and one.width_mm > 0)]
    which, openings = tree.query(_boxes([one for _, one in others]))
    found: _Near = []
    for index, opening in zip(which.tolist(), openings.tolist(), strict=True):
        order, one = others[index]
        found.append((order, _clipped(one, tree.geometries[opening]), opening, one.dark))
    return found


def _copper_in(opening: Polygon, near: Sequence[tuple[int, BaseGeometry, bool]]) -> BaseGeometry:
    """Shapes in drawing order, cut to an opening and put together."""
    bounds = opening.bounds
    box_like = opening.area > 0.9999 * (bounds[2] - bounds[0]) * (bounds[3] - bounds[1])
    total: BaseGeometry = EMPTY
    run: list[BaseGeometry] = []
    for _, shape, dark in near:
        part = shapely.clip_by_rect(shape, *bounds) if box_like else shape.intersection(opening)
        if part.is_empty:
            continue
        if dark:
            run.append(part)
        else:
            total, run = _joined(total, run).difference(part), []
    return _joined(total, run)


def _joined(total: BaseGeometry, run: list[BaseGeometry]) -> BaseGeometry:
    parts = [part for part in (total, *run) if not part.is_empty]
    try:
        return parts[0] if len(parts) == 1 else shapely.union_all(parts) if parts else EMPTY
    except shapely.errors.GEOSException:  # a clipped shape may touch itself
        return shapely.union_all(shapely.make_valid(parts))


def _clipped(one: Drawn, opening: Polygon) -> BaseGeometry:
    """A shape cut to the opening's neighbourhood first when it is a large one (planes have thousands of corners)."""
    shape = one.shape
    if len(one.path) < 60:
        return shape
    x0, y0, x1, y1 = opening.bounds
    return shapely.make_valid(shapely.clip_by_rect(shape, x0 - 0.1, y0 - 0.1, x1 + 0.1, y1 + 0.1))


def _boxes(drawn: Sequence[Drawn]) -> np.ndarray:
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


def _drilled(piece: Polygon, drills: list[BaseGeometry], tree: shapely.STRtree) -> bool:
    """True for the bare land of a hole: the hole takes a good part of it."""
    taken = sum(drills[i].area for i in tree.query(piece) if piece.intersects(drills[i]))
    whole = Polygon(piece.exterior).area
    return bool((taken > 0.12 * whole and whole < 40) or (taken > 0 and whole < 1.0))


_Names = tuple[shapely.STRtree, list[Drawn]]


def _names(copper: Sequence[Drawn]) -> _Names:
    """Flashes and regions that carry a part, a pin or a net, by their middles."""
    named = [one for one in copper if one.given and one.kind != "stroke" and (one.ref or one.net)]
    points = [shapely.Point(one.path[0]) if one.kind == "flash" else one.shape.representative_point() for one in named]
    return shapely.STRtree(points), named


_Place = tuple[float, float, float, float, float]


def _as_pads(pieces: list[Polygon], over: np.ndarray, side: str, copper: Sequence[Drawn], origin: Point) -> list[Pad]:
    tree, named = _names(copper)
    given: dict[int, Drawn] = {}
    if named:
        which, what = tree.query(np.asarray(pieces, dtype=object), predicate="intersects")
        for piece, index in zip(which.tolist(), what.tolist(), strict=True):
            if piece not in given or named[index].pin:
                given[piece] = named[index]
    flashed = _flashed(pieces, copper)
    return [_pad(piece, side, float(over[index]), origin, given.get(index), flashed.get(index)) for index, piece in enumerate(pieces)]


def _flashed(pieces: list[Polygon], copper: Sequence[Drawn]) -> dict[int, _Place]:
    """Pads flashed as such and of no plain shape now: middle, sizes, angle of the flash, which a bared bit of track does not move."""
    flashes = [one for one in copper if one.kind == "flash" and one.dark and one.pen is not None and one.pen.inner is None]
    if not flashes or not pieces:
        return {}
    tree = shapely.STRtree(shapely.points(np.array([one.path[0] for one in flashes])))
    which, what = tree.query(np.asarray(pieces, dtype=object), predicate="intersects")
    box = shapely.bounds(np.asarray(pieces, dtype=object))
    plain = shapely.area(pieces) > 0.98 * (box[:, 2] - box[:, 0]) * (box[:, 3] - box[:, 1])
    found: dict[int, tuple[float, _Place]] = {}
    measured: dict[int, _Place] = {}
    for piece, index in zip(which.tolist(), what.tolist(), strict=True):
        pen = flashes[index].pen
        if pen is None or plain[piece] or not 0.6 * pieces[piece].area <= pen.shape.area <= 1.02 * pieces[piece].area:
            continue
        if id(pen) not in measured:
            measured[id(pen)] = (pen.shape.centroid.x, pen.shape.centroid.y, *_measure(pen.shape))
        dx, dy, *sizes = measured[id(pen)]
        if piece not in found or pen.shape.area > found[piece][0]:
            x, y = flashes[index].path[0]
            found[piece] = (pen.shape.area, (x + dx, y + dy, sizes[0], sizes[1], sizes[2]))
    return {piece: place for piece, (_, place) in found.items()}


def _pad(piece: Polygon, side: str, paste_mm2: float, origin: Point, named: Drawn | None, flashed: _Place | None) -> Pad:
    x, y, first, second, angle = flashed or (piece.centroid.x, piece.centroid.y, *_measure(piece))
    return Pad(side, round(x - origin[0], 4), round(y - origin[1], 4), round(first, 4), round(second, 4),
               round(angle, 2), round(piece.area, 5), round(paste_mm2, 5), ring_of(piece.exterior, origin),
               named.ref if named else None, named.pin if named else None, named.net if named else None)  # fmt: skip


def _measure(piece: Polygon) -> tuple[float, float, float]:
    """Size along and across, and the angle nearest to the x axis, of the smallest rectangle round a shape."""
    x0, y0, x1, y1 = piece.bounds
    if piece.area > 0.98 * (x1 - x0) * (y1 - y0):
        return x1 - x0, y1 - y0, 0.0
    corners = list(piece.minimum_rotated_rectangle.exterior.coords)
    (ax, ay), (bx, by), (cx, cy) = corners[0], corners[1], corners[2]
    first, second = math.dist((ax, ay), (bx, by)), math.dist((bx, by), (cx, cy))
    angle = math.degrees(math.atan2(by - ay, bx - ax)) % 180
    if abs(angle - 90) < 45:
        angle, first, second = (angle - 90) % 180, second, first
    return first, second, 0.0 if angle > 179.5 or angle < 0.5 else angle


def ring_of(ring: BaseGeometry, origin: Point, within_mm: float = 0.01, digits: int = 3) -> tuple[Point, ...]:
    """A ring in board millimetres, not closed, simplified to within a distance."""
    plain = ring.simplify(within_mm)
    return tuple((round(x - origin[0], digits), round(y - origin[1], digits)) for x, y in list(plain.coords)[:-1])
