"""Pads and paste openings: copper that the mask leaves open, worked out opening by opening, never
layer by layer.
"""

from collections.abc import Sequence
from dataclasses import replace

import numpy as np
import shapely
from shapely.geometry import Polygon

from yellowfen.core.board.board import Finding, Opening, Pad, Point, Role
from yellowfen.core.quantity.wording import counted
from yellowfen.core.source.mark import Mark, constant
from yellowfen.formats.board_set import FileSet
from yellowfen.formats.board_shape import kept_of
from yellowfen.formats.gerber.apertures import polygons_of
from yellowfen.formats.gerber.layer import Drawn, combine, shapes_of
from yellowfen.formats.pad_shapes import as_shapes, copper_under, places_of, rings_of

SMALLEST_OPENING_MM2 = 2e-4
OPENINGS_LESS_MM = constant(
    "openings_less",
    0.05,
    "mm",
    mark=Mark.COMMON_PRACTICE,
    source="apertures a little smaller than their pads on all sides",
    affects="apertures made from pads where there is no paste layer",
)
_SIDES = (
    ("top", Role.COPPER_TOP, Role.MASK_TOP, Role.PASTE_TOP),
    ("bottom", Role.COPPER_BOTTOM, Role.MASK_BOTTOM, Role.PASTE_BOTTOM),
)


def pads_of(
    found: FileSet, shape: Polygon, origin: Point
) -> tuple[list[Pad], list[Opening], list[Pad]]:
    """(pads, paste openings, lands of holes) of both sides in board millimetres. A bare land round
    a hole is no pad: nothing is reflowed there; the iron finds it under its part.
    """
    pads: list[Pad] = []
    lands: list[Pad] = []
    openings: list[Opening] = []
    drills = _drills(found)
    holes = shapely.STRtree(drills)
    for side, copper_role, mask_role, paste_role in _SIDES:
        paste = paste_openings(found, paste_role, shape)
        copper = (
            kept_of(found, str(copper_role), found.drawn(copper_role), shape)
            if copper_role in found.gerbers
            else None
        )
        pieces = _exposed(found, copper, mask_role, paste, shape)
        pasted = shapely.STRtree(paste)
        wet = np.isin(
            np.arange(len(pieces)), pasted.query(as_shapes(pieces), predicate="intersects")[0]
        )
        bare = ~wet & (_drilled(pieces, drills, holes) | _round_holes(pieces, copper or []))
        solderable = [piece for piece, out in zip(pieces, bare, strict=True) if not out]
        drilled = [piece for piece, out in zip(pieces, bare, strict=True) if out]
        over, below = _paste_over(solderable, paste, pasted)
        openings += _openings(
            paste, side, origin, [None if k is None else len(pads) + k for k in below]
        )
        pads += _as_pads(solderable, over, side, copper or [], origin)
        lands += _as_pads(drilled, np.zeros(len(drilled)), side, copper or [], origin)
    return pads, openings, lands


def _drills(found: FileSet) -> np.ndarray:
    """Holes and slots a little smaller than drilled, a slot from end to end."""
    hits = np.array(
        [
            (
                *(hit.x_mm, hit.y_mm),
                *(
                    hit.x_mm if hit.x2_mm is None else hit.x2_mm,
                    hit.y_mm if hit.y2_mm is None else hit.y2_mm,
                ),
                hit.drill_mm,
            )
            for _, drill in found.drills
            for hit in drill.hits
        ]
    ).reshape(-1, 5)
    slots = (hits[:, :2] != hits[:, 2:4]).any(axis=1)
    middles = shapely.points(hits[:, :2])
    middles[slots] = shapely.linestrings(hits[slots][:, :4].reshape(-1, 2, 2))
    return np.asarray(shapely.buffer(middles, hits[:, 4] / 2 * 0.9, quad_segs=4))


def _openings(
    paste: Sequence[Polygon], side: str, origin: Point, below: Sequence[int | None]
) -> list[Opening]:
    """Openings in board millimetres.

    Their rings are fine: they are written out again, so their areas must hold.
    """
    sizes, areas, lengths = (
        places_of(paste)[:, 2:].round(4).tolist(),
        shapely.area(paste).round(5).tolist(),
        shapely.length(paste).round(4).tolist(),
    )
    return [
        Opening(
            side=side,
            ring=ring,
            area_mm2=area,
            perimeter_mm=length,
            size_x_mm=first,
            size_y_mm=second,
            angle_deg=round(angle, 2),
            pad=pad,
            inner=tuple(rings_of(list(piece.interiors), origin, 0.001, 5)),
        )
        for piece, ring, area, length, (first, second, angle), pad in zip(
            paste, rings_of(paste, origin, 0.001, 5), areas, lengths, sizes, below, strict=True
        )
    ]


def _paste_over(
    pads: list[Polygon], paste: list[Polygon], pasted: shapely.STRtree
) -> tuple[np.ndarray, list[int | None]]:
    """Area of paste over each pad, and for each opening the pad that it covers most of."""
    over = np.zeros(len(pads))
    below: list[int | None] = [None] * len(paste)
    if not pads or not paste:
        return over, below
    which, what = pasted.query(as_shapes(pads), predicate="intersects")
    metal, cut = as_shapes(pads)[which], as_shapes(paste)[what]
    beyond = ~shapely.covers(metal, cut)
    shared = shapely.area(cut)
    shared[beyond] = shapely.area(shapely.intersection(metal[beyond], cut[beyond]))
    np.add.at(over, which, shared)
    for index in np.argsort(shared):
        below[int(what[index])] = int(which[index])
    return over, below


def paste_openings(found: FileSet, role: Role, board: Polygon) -> list[Polygon]:
    """Openings of a paste layer, without lines that repeat the board's outline and without what
    lies beyond the board.
    """
    if role not in found.gerbers:
        return []
    pieces = polygons_of(combine(kept_of(found, str(role), found.drawn(role), board)))
    width, height = board.bounds[2] - board.bounds[0], board.bounds[3] - board.bounds[1]

    box = shapely.bounds(as_shapes(pieces))
    w, h = box[:, 2] - box[:, 0], box[:, 3] - box[:, 1]
    thin = (shapely.area(as_shapes(pieces)) < 0.12 * w * h) | (np.minimum(w, h) < 0.6)
    frame = thin & ((w > 0.85 * width) | (h > 0.85 * height))
    kept = [piece for piece, out in zip(pieces, frame, strict=True) if not out]
    _say_odd_openings(kept, role, found)
    kept = [piece for piece in kept if piece.area >= SMALLEST_OPENING_MM2]
    if len(kept) < len(pieces):
        found.findings.append(
            Finding(
                str(role),
                f"{counted(len(pieces) - len(kept), 'line frame', 'line frames')} round the board's outline not counted as paste",
            )
        )
    inside = (
        [piece for piece, on in zip(kept, shapely.intersects(kept, board), strict=True) if on]
        if kept
        else []
    )
    if len(inside) < len(kept):
        found.findings.append(
            Finding(
                str(role),
                f"{counted(len(kept) - len(inside), 'shape')} beyond the board's edge not counted as paste",
            )
        )
    return inside


def openings_from_pads(pads: Sequence[Pad]) -> tuple[list[Pad], list[Opening]]:
    """(pads with their paste, openings) where no layer draws any: over every pad of a part, a
    little smaller all round; of pads too small for that, as large as they are.
    """
    mine = [index for index, pad in enumerate(pads) if pad.ref]
    shapes = []
    for index in mine:
        whole = Polygon(pads[index].ring)
        less = whole.buffer(-OPENINGS_LESS_MM, join_style="mitre")
        fits = isinstance(less, Polygon) and less.area > 0.4 * whole.area
        shapes.append(less if fits else whole)
    found: list[Opening] = []
    printed = list(pads)
    for side in ("top", "bottom"):
        chosen = [k for k, index in enumerate(mine) if pads[index].side == side]
        under = [mine[k] for k in chosen]
        made = _openings([shapes[k] for k in chosen], side, (0.0, 0.0), under) if chosen else []
        found += made
        for one in made:
            if one.pad is not None:
                printed[one.pad] = replace(printed[one.pad], paste_mm2=one.area_mm2)
    return printed, found


def _say_odd_openings(pieces: Sequence[Polygon], role: Role, found: FileSet) -> None:
    """Openings without ground, which are left out, and rings, whose middle no foil would hold."""
    empty = sum(piece.area < SMALLEST_OPENING_MM2 for piece in pieces)
    if empty:
        said = f"{counted(empty, 'aperture')} without any area left out"
        found.findings.append(Finding(str(role), said))
    rings = sum(len(piece.interiors) > 0 and piece.area >= SMALLEST_OPENING_MM2 for piece in pieces)
    if rings:
        said = f"{counted(rings, 'aperture is a ring', 'apertures are rings')}, whose middle nothing would hold in the stencil; divide each with webs"
        found.findings.append(Finding(str(role), said))


def _exposed(
    found: FileSet,
    copper: list[Drawn] | None,
    mask_role: Role,
    paste: list[Polygon],
    board: Polygon,
) -> list[Polygon]:
    mask = _mask_openings(found, mask_role, board)
    if copper is not None and mask is not None:
        return copper_under(copper, mask)
    if mask is not None:
        return mask
    if paste or copper is None:
        return paste
    flashes = [one for one in copper if one.kind == "flash" and one.dark]
    return [piece for shape in shapes_of(flashes) for piece in polygons_of(shape)]


def _mask_openings(found: FileSet, role: Role, board: Polygon) -> list[Polygon] | None:
    """Openings of a mask layer; a layer that draws the mask itself, not its openings, is turned
    round.
    """
    if role not in found.gerbers:
        return None
    picture = combine(kept_of(found, str(role), found.drawn(role), board))
    if any(layer.negative for layer in found.gerbers[role]):
        picture = board.difference(picture)
    pieces = polygons_of(picture)
    if any(piece.area > 0.6 * board.area and len(piece.interiors) > 3 for piece in pieces):
        found.findings.append(
            Finding(str(role), "it draws the mask, not its openings; it was inverted")
        )
        pieces = polygons_of(board.difference(picture))
    return pieces


def _drilled(pieces: Sequence[Polygon], drills: np.ndarray, tree: shapely.STRtree) -> np.ndarray:
    """True for the bare lands of holes: the hole takes a good part of one."""
    which, what = tree.query(as_shapes(pieces), predicate="intersects")
    taken = np.bincount(which, shapely.area(drills)[what], len(pieces))
    whole = shapely.area(shapely.polygons(shapely.get_exterior_ring(as_shapes(pieces))))
    return np.asarray((taken > 0.12 * whole) & (whole < 40) | (taken > 0) & (whole < 1.0))


def _round_holes(pieces: Sequence[Polygon], copper: Sequence[Drawn]) -> np.ndarray:
    """True for what the layer itself calls the land of a component's hole, wherever the holes are
    told, if at all.
    """
    called = [one.path[0] for one in copper if one.dark and _hole_of(one) == "ComponentPad"]
    found = np.zeros(len(pieces), dtype=bool)
    if called and len(pieces):
        tree = shapely.STRtree(shapely.points(np.array(called)))
        found[tree.query(as_shapes(pieces), predicate="intersects")[0]] = True
    return found


def _hole_of(one: Drawn) -> str:
    """What the layer calls a flash that lies round a hole; empty for any other object."""
    if one.kind != "flash" or one.pen is None:
        return ""
    return one.pen.function if one.pen.function in ("ComponentPad", "ViaPad") else ""


def holes_untold(found: FileSet) -> list[Finding]:
    """What to know where the layers speak of holes and no file drills any."""
    outer = [*found.drawn(Role.COPPER_TOP), *found.drawn(Role.COPPER_BOTTOM)]
    places = {one.path[0] for one in outer if _hole_of(one)}
    if found.drills or not places:
        return []
    said = f"no drill file is among them, and by the layers' own words {counted(len(places), 'hole is', 'holes are')} missing; add it: heat and nets go through them"
    return [Finding("drill", said)]


_Names = tuple[shapely.STRtree, list[Drawn]]


def _names(copper: Sequence[Drawn]) -> _Names:
    """Flashes and regions that carry a part, a pin or a net, by their middles."""
    named = [one for one in copper if one.given and one.kind != "stroke" and (one.ref or one.net)]
    points = [
        shapely.Point(one.path[0]) if one.kind == "flash" else one.shape.representative_point()
        for one in named
    ]
    return shapely.STRtree(points), named


def _as_pads(
    pieces: list[Polygon], over: np.ndarray, side: str, copper: Sequence[Drawn], origin: Point
) -> list[Pad]:
    if not pieces:
        return []
    tree, named = _names(copper)
    given: dict[int, Drawn] = {}
    if named:
        which, what = tree.query(as_shapes(pieces), predicate="intersects")
        for piece, index in zip(which.tolist(), what.tolist(), strict=True):
            if piece not in given or named[index].pin:
                given[piece] = named[index]
    flashed = _flashed(pieces, copper)
    others = [index for index in range(len(pieces)) if index not in flashed]
    places = np.empty((len(pieces), 5))
    places[others] = places_of([pieces[index] for index in others])
    places[list(flashed)] = np.array(list(flashed.values())).reshape(-1, 5)
    places[:, :2] -= origin
    sizes, areas = places.round(4).tolist(), shapely.area(pieces).round(5).tolist()
    pads = []
    for index, ring in enumerate(rings_of(pieces, origin)):
        x, y, first, second, angle = sizes[index]
        owner = given.get(index)
        pads.append(
            Pad(
                side=side,
                x_mm=x,
                y_mm=y,
                size_x_mm=first,
                size_y_mm=second,
                angle_deg=round(angle, 2),
                area_mm2=areas[index],
                paste_mm2=round(float(over[index]), 5),
                ring=ring,
                ref=owner.ref if owner else None,
                pin=owner.pin if owner else None,
                net=owner.net if owner else None,
            )
        )
    return pads


def _flashed(pieces: list[Polygon], copper: Sequence[Drawn]) -> dict[int, list[float]]:
    """Pads flashed as such and of no plain shape now: middle, sizes, angle of the flash, which a
    bared bit of track does not move.
    """
    flashes = [
        one
        for one in copper
        if one.kind == "flash" and one.dark and one.pen is not None and one.pen.inner is None
    ]
    if not flashes or not pieces:
        return {}
    tree = shapely.STRtree(shapely.points(np.array([one.path[0] for one in flashes])))
    which, what = tree.query(as_shapes(pieces), predicate="intersects")
    box = shapely.bounds(as_shapes(pieces))
    plain = shapely.area(pieces) > 0.98 * (box[:, 2] - box[:, 0]) * (box[:, 3] - box[:, 1])
    found: dict[int, tuple[float, list[float]]] = {}
    measured: dict[int, list[float]] = {}
    for piece, index in zip(which.tolist(), what.tolist(), strict=True):
        pen = flashes[index].pen
        if (
            pen is None
            or plain[piece]
            or not 0.6 * pieces[piece].area <= pen.shape.area <= 1.02 * pieces[piece].area
        ):
            continue
        if id(pen) not in measured:
            measured[id(pen)] = places_of([pen.shape])[0].tolist()
        dx, dy, *sizes = measured[id(pen)]
        if piece not in found or pen.shape.area > found[piece][0]:
            x, y = flashes[index].path[0]
            found[piece] = (pen.shape.area, [x + dx, y + dy, *sizes])
    return {piece: place for piece, (_, place) in found.items()}
