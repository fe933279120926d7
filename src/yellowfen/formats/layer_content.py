"""What a layer is by what it draws, when neither attribute nor name says it.

Rules of thumb (common practice): an outline is a few thin strokes round everything; copper has
lands under holes and tracks; a mask has openings over holes and no tracks; paste has openings but
none over holes; a legend is thin strokes. The side follows from the flashes a layer shares with
layers whose side is known, else it is assumed.
"""

from collections.abc import Mapping, Sequence

import numpy as np
import shapely

from yellowfen.core.board.board import Role
from yellowfen.formats.gerber.layer import GerberLayer

_SIDES = {
    "copper": (Role.COPPER_TOP, Role.COPPER_BOTTOM),
    "mask": (Role.MASK_TOP, Role.MASK_BOTTOM),
    "paste": (Role.PASTE_TOP, Role.PASTE_BOTTOM),
    "legend": (Role.LEGEND_TOP, Role.LEGEND_BOTTOM),
}
_TOP = {Role.COPPER_TOP, Role.MASK_TOP, Role.PASTE_TOP}
_BOTTOM = {Role.COPPER_BOTTOM, Role.MASK_BOTTOM, Role.PASTE_BOTTOM}
Known = Mapping[str, tuple[Role, GerberLayer]]


def role_by_content(
    layer: GerberLayer, known: Known, holes: Sequence[tuple[float, float]], taken: set[Role]
) -> tuple[Role, str]:
    """The most likely role and why; IGNORED when nothing fits."""
    if not layer.drawn:
        return Role.IGNORED, "draws nothing"
    if Role.OUTLINE not in taken and _is_outline(layer, known):
        return Role.OUTLINE, "by its content: thin lines round everything"
    kind, why = _kind(layer, holes)
    if not kind:
        return Role.IGNORED, why
    side, sure = _side(layer, known)
    if kind == "paste" and _wider_than_copper(layer, known):
        kind, why = "mask", "openings a little wider than the copper's pads"
    pair = _SIDES[kind]
    role = pair[0] if side == "top" else pair[1]
    if role in taken:
        role, sure = pair[1 if role is pair[0] else 0], False
    if role in taken:
        return (
            (Role.COPPER_INNER, f"by its content: {why}")
            if kind == "copper"
            else (Role.IGNORED, f"looks like {kind}, of which both sides are there")
        )
    return role, f"by its content: {why}{'' if sure else '; its side is assumed'}"


def _is_outline(layer: GerberLayer, known: Known) -> bool:
    strokes = [one for one in layer.drawn if one.kind == "stroke"]
    if (
        not strokes
        or len(layer.drawn) > 400
        or len(strokes) < 0.8 * len(layer.drawn)
        or max(one.width_mm for one in strokes) > 1.5
    ):
        return False
    own = _box([point for one in strokes for point in one.path])
    others = [
        point
        for role, other in known.values()
        if role is not Role.OUTLINE
        for one in other.drawn[:3000]
        for point in one.path
    ]
    if not others:
        return True
    whole = _box(others)
    around = (
        own[0] <= whole[0] + 0.5
        and own[1] <= whole[1] + 0.5
        and own[2] >= whole[2] - 0.5
        and own[3] >= whole[3] - 0.5
    )
    return bool(around)


def _box(points: Sequence[tuple[float, float]]) -> tuple[float, float, float, float]:
    array = np.asarray(points)
    return (*array.min(axis=0), *array.max(axis=0))


def _kind(layer: GerberLayer, holes: Sequence[tuple[float, float]]) -> tuple[str, str]:
    flashes = [one.path[0] for one in layer.drawn if one.kind == "flash" and one.dark]
    strokes = layer.counts["stroke"]
    regions = layer.counts["region"]
    drilled = _shared(holes, flashes)
    areas = len(flashes) + regions
    if drilled > 0.4 and strokes > 0.25 * areas:
        return "copper", "tracks, and lands under the holes"
    if drilled > 0.25:
        return "mask", "openings over holes, hardly any lines"
    if areas and strokes <= 0.5 * areas:
        return "paste", "openings, none over holes"
    if strokes > 3 * max(areas, 1):
        return "legend", "lines and hardly any pads"
    if areas and not holes:
        return "copper", "pads and tracks"
    return "", "what it draws fits no kind of layer"


def _wider_than_copper(layer: GerberLayer, known: Known) -> bool:
    """True when most flashes are wider than the copper flashed in the same place: a mask, where
    paste would be as wide or narrower.
    """
    copper = [
        one
        for role, other in known.values()
        if role in (Role.COPPER_TOP, Role.COPPER_BOTTOM)
        for one in other.drawn
        if one.kind == "flash" and one.pen
    ]
    mine = [one for one in layer.drawn if one.kind == "flash" and one.pen and one.dark][:3000]
    if not copper or not mine:
        return False
    tree = shapely.STRtree(shapely.points(np.array([one.path[0] for one in copper])))
    which, what = tree.query_nearest(
        shapely.points(np.array([one.path[0] for one in mine])),
        max_distance=0.06,
        all_matches=False,
    )
    ratios = [
        mine[i].pen.shape.area / copper[k].pen.shape.area
        for i, k in zip(which.tolist(), what.tolist(), strict=True)
    ]
    return len(ratios) > 0.5 * len(mine) and float(np.median(ratios)) > 1.03


def _side(layer: GerberLayer, known: Known) -> tuple[str, bool]:
    flashes = [one.path[0] for one in layer.drawn if one.kind == "flash"]
    score = {"top": 0.0, "bottom": 0.0}
    for role, other in known.values():
        side = "top" if role in _TOP else "bottom" if role in _BOTTOM else ""
        if side and flashes:
            score[side] = max(
                score[side],
                _shared(flashes, [one.path[0] for one in other.drawn if one.kind == "flash"]),
            )
    return ("bottom" if score["bottom"] > score["top"] else "top"), abs(
        score["top"] - score["bottom"]
    ) > 0.1


def _shared(points: Sequence[tuple[float, float]], among: Sequence[tuple[float, float]]) -> float:
    """Share of the points that have one of the others within 0.06 mm."""
    if not points or not among:
        return 0.0
    near, _ = shapely.STRtree(shapely.points(np.asarray(among))).query_nearest(
        shapely.points(np.asarray(points[:3000])), max_distance=0.06
    )
    return len(set(near.tolist())) / min(len(points), 3000)
