"""A layer's objects as ink for the plan and as spans of copper.

Nothing is united here: what overlaps is simply drawn twice.
"""

from collections.abc import Iterable, Sequence

import numpy as np

from yellowfen.core.board.board import Ink, Point
from yellowfen.core.board.spans import Draft
from yellowfen.formats.gerber.apertures import polygons_of
from yellowfen.formats.gerber.layer import Drawn

MOST_INK = 800_000


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

    for one in drawn:
        if one.dark == clear:
            close()
            clear = not one.dark
        width, text = _path(one, origin)
        if round_pens_only and not width and one.kind == "stroke":
            continue
        total += len(text)
        if total > MOST_INK:
            close()
            return tuple(inks), False
        open_paths.setdefault(width, []).append(text)
    close()
    return tuple(inks), True


def _path(one: Drawn, origin: Point) -> tuple[float, str]:
    """Stroke width (0 for filled) and path data of one object."""
    if one.kind == "stroke" and one.width_mm > 0:
        return round(one.width_mm, 3), _line(one.path, origin)
    if one.kind == "flash" and one.pen is not None and one.pen.round_mm is not None:
        return round(one.pen.round_mm, 3), _line(one.path, origin) + "h0"
    if one.kind == "region":
        return 0.0, _ring(one.path, origin, True)
    return 0.0, "".join(
        _ring(ring.coords, origin, ring is polygon.exterior)
        for polygon in polygons_of(one.shape)
        for ring in (polygon.exterior, *polygon.interiors)
    )


def _line(points: Iterable[Sequence[float]], origin: Point) -> str:
    """An open path in whole hundredths of a millimetre."""
    ox, oy = origin
    return "M" + " ".join(
        [f"{round((point[0] - ox) * 100)} {round((point[1] - oy) * 100)}" for point in points]
    )


def _ring(points: Iterable[Sequence[float]], origin: Point, solid: bool) -> str:
    """A closed path, anticlockwise when solid and clockwise when a hole, so that overlapping shapes
    add up under the nonzero rule.
    """
    ring = np.array(points)[:, :2]
    if len(ring) > 1 and (ring[0] == ring[-1]).all():
        ring = ring[:-1]
    after = np.roll(ring, -1, axis=0)
    if (float((ring[:, 0] * after[:, 1] - after[:, 0] * ring[:, 1]).sum()) > 0) != solid:
        ring = ring[::-1]
    flat = np.rint((ring - origin) * 100).astype(np.int64).ravel().tolist()
    return "M" + " ".join(map(str, flat)) + "Z"


def draft_of(drawn: Iterable[Drawn], plane: Iterable[Point] | None = None) -> Draft:
    """The objects noted for spans; with `plane` the layer is a negative one: dark there except
    where it draws.
    """
    draft = Draft()
    if plane is not None:
        draft.area(True, [list(plane)])
    for one in drawn:
        dark = one.dark if plane is None else not one.dark
        if one.kind == "stroke" and one.width_mm > 0:
            draft.stroke(dark, one.path, one.width_mm)
        elif one.kind == "flash" and one.pen is not None and one.pen.round_mm is not None:
            draft.stroke(dark, one.path, one.pen.round_mm)
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
