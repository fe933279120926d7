"""What a Gerber file draws: objects in order, and the picture they add up to.

A real layer holds tens of thousands of objects, so their shapes are made only when asked for, many
at once.
"""

import math
from collections import Counter
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property, lru_cache
from typing import Any

import numpy as np
import shapely
from shapely import affinity
from shapely.geometry import LineString, Polygon
from shapely.geometry.base import BaseGeometry

from yellowfen.core.board.join import plain_ref
from yellowfen.formats.gerber.apertures import EMPTY, polygons_of

Point = tuple[float, float]
MANY = 2000  # shapes that meet others, from which on they are united group by group
# Bits of a half disc at a stroke's end, by the stroke's width (mm): its polygon stays within 3 µm
# of the circle.
_CAPS = ((0.6, 12), (2.5, 24), (12.0, 48), (math.inf, 120))


@lru_cache(maxsize=8)
def _cap(bits: int) -> tuple[Any, Any]:
    """A half disc of unit radius as a polygon of equal area: its end points on the circle, the
    others a little outside. (out, across).
    """
    turn = math.pi / bits
    sine = math.sin(turn)
    beyond = (-sine + math.sqrt(sine**2 + (bits - 2) * sine * math.pi)) / ((bits - 2) * sine)
    angle = math.pi / 2 - np.arange(bits + 1) * turn
    reach = np.full(bits + 1, beyond)
    reach[[0, -1]] = 1.0
    return np.cos(angle) * reach, np.sin(angle) * reach


class Pen:
    """An aperture: its shape at the origin, its diameter when it is a plain disc, its function by
    attribute.
    """

    __slots__ = ("_rings", "bounds", "function", "inner", "round_mm", "shape")

    def __init__(
        self,
        shape: BaseGeometry,
        round_mm: float | None = None,
        function: str = "",
        inner: "list[Drawn] | None" = None,
    ) -> None:
        self.shape = shape
        self.bounds = shape.bounds
        self.round_mm = round_mm
        self.function = function
        self.inner = inner
        self._rings: list[list[Point]] | None = None

    @property
    def rings(self) -> list[list[Point]]:
        """The shape's rings, outer and inner, not closed."""
        if self._rings is None:
            self._rings = [
                list(ring.coords)[:-1]
                for piece in polygons_of(self.shape)
                for ring in (piece.exterior, *piece.interiors)
            ]
        return self._rings


class Drawn:
    """One object.

    `kind` is flash, stroke or region; `path` its points (a flash has one, a region its contour).

    `width_mm` is set for strokes of a round pen; `given` holds the object attributes that stood
    when it was drawn.
    """

    __slots__ = ("_shape", "dark", "given", "kind", "path", "pen", "width_mm")

    def __init__(
        self,
        kind: str,
        dark: bool,
        path: Sequence[Point],
        pen: Pen | None,
        width_mm: float = 0.0,
        given: Mapping[str, tuple[str, ...]] | None = None,
        shape: BaseGeometry | None = None,
    ) -> None:
        self.kind = kind
        self.dark = dark
        self.path = path
        self.pen = pen
        self.width_mm = width_mm
        self.given = given
        self._shape = shape

    @property
    def shape(self) -> BaseGeometry:
        """The object's area."""
        if self._shape is None:
            self._shape = self._make()
        return self._shape

    @property
    def stamped(self) -> bool:
        """True for a flash that is its pen's shape moved to its place, and no more."""
        return (
            self.kind == "flash"
            and self.pen is not None
            and not self.pen.inner
            and not self.pen.shape.is_empty
        )

    def _make(self) -> BaseGeometry:
        if self.kind == "region":
            ring = Polygon(self.path)
            return ring if ring.is_valid else ring.buffer(0)
        if self.kind == "stroke":
            return _stroke_shape(self.path, self.width_mm)
        return affinity.translate(self.pen.shape, *self.path[0]) if self.pen else EMPTY

    @property
    def line(self) -> LineString | None:
        """The middle line of a stroke."""
        if self.kind != "stroke":
            return None
        return LineString(
            self.path
            if self.path[0] != self.path[-1] or len(self.path) > 2
            else [self.path[0], (self.path[0][0] + 1e-6, self.path[0][1])]
        )

    def _attribute(self, key: str, place: int = 0) -> str | None:
        values = self.given.get(key, ()) if self.given else ()
        return (values[place] or None) if len(values) > place else None

    @property
    def ref(self) -> str | None:
        name = self._attribute(".P") or self._attribute(".C")
        return plain_ref(name) if name else None

    @property
    def pin(self) -> str | None:
        return self._attribute(".P", 1)

    @property
    def net(self) -> str | None:
        return self._attribute(".N")

    def _like(self, path: Sequence[Point], shape: BaseGeometry | None) -> "Drawn":
        return Drawn(
            self.kind,
            self.dark,
            path,
            pen=self.pen,
            width_mm=self.width_mm,
            given=self.given,
            shape=shape,
        )

    def moved(self, dx: float, dy: float) -> "Drawn":
        """The same object elsewhere."""
        shape = affinity.translate(self._shape, dx, dy) if self._shape is not None else None
        path = [(x + dx, y + dy) for x, y in self.path]
        return self._like(path, shape)

    def mapped(self, place: tuple[float, ...], form: tuple[float, ...]) -> "Drawn":
        """The object under affine maps (a b d e x y as shapely has them): `place` for its points,
        `form` for its pen.
        """
        a, b, d, e, x0, y0 = place
        path = [(a * x + b * y + x0, d * x + e * y + y0) for x, y in self.path]
        if self.kind == "flash" and self.pen:
            return Drawn(
                "flash",
                self.dark,
                path,
                pen=Pen(affinity.affine_transform(self.pen.shape, form), None, self.pen.function),
                width_mm=0.0,
                given=self.given,
            )
        shape = (
            affinity.affine_transform(self._shape, place)
            if self.kind == "stroke" and self.width_mm <= 0 and self._shape is not None
            else None
        )
        return self._like(path, shape)


def _stroke_shape(path: Sequence[Point], width_mm: float) -> BaseGeometry:
    pieces = capsules(
        np.array([(*path[i], *path[i + 1]) for i in range(len(path) - 1)], dtype=float),
        np.full(len(path) - 1, width_mm),
    )
    return pieces[0] if len(pieces) == 1 else shapely.union_all(pieces)


def capsules(ends: Any, widths: Any) -> Any:
    """Round-ended strokes as polygons whose area is right: `ends` (n, 4) x0 y0 x1 y1 and `widths`
    (n,), mm.
    """
    widths = np.maximum(np.asarray(widths, dtype=float), 1e-6)
    made = np.empty(len(widths), dtype=object)
    above = 0.0
    for width, bits in _CAPS:
        mine = (widths > above) & (widths <= width)
        if mine.any():
            made[mine] = _capsules(ends[mine], widths[mine] / 2, bits)
        above = width
    return made


def _capsules(ends: Any, half: Any, bits: int) -> Any:
    start, stop = ends[:, :2], ends[:, 2:]
    along = stop - start
    length = np.hypot(along[:, 0], along[:, 1])
    unit = np.where(
        length[:, None] > 1e-9, along / np.maximum(length, 1e-9)[:, None], np.array([1.0, 0.0])
    )
    side = np.stack([-unit[:, 1], unit[:, 0]], axis=1)
    out, across = _cap(bits)
    cap = out[None, :, None] * unit[:, None, :] + across[None, :, None] * side[:, None, :]
    ring = np.concatenate(
        [stop[:, None] + half[:, None, None] * cap, start[:, None] - half[:, None, None] * cap],
        axis=1,
    )
    return shapely.polygons(np.concatenate([ring, ring[:, :1]], axis=1))


@dataclass(frozen=True, kw_only=True)
class GerberLayer:
    """A file's objects in drawing order, its unit and its file attributes.

    `negative` marks a picture that is dark where nothing was drawn (a deprecated form for planes).
    """

    name: str
    unit: str
    drawn: tuple[Drawn, ...]
    attributes: dict[str, tuple[str, ...]] = field(default_factory=dict)
    remarks: tuple[str, ...] = ()
    negative: bool = False

    @cached_property
    def picture(self) -> BaseGeometry:
        """The union of dark objects less the clear ones drawn after them."""
        total = combine(self.drawn)
        return (
            shapely.box(*total.bounds).difference(total)
            if self.negative and not total.is_empty
            else total
        )

    @property
    def function(self) -> tuple[str, ...]:
        """The words of the file's function attribute, small letters."""
        return tuple(word.strip().lower() for word in self.attributes.get(".FileFunction", ()))

    @cached_property
    def counts(self) -> Counter[str]:
        """Dark objects by kind; lines that go on from one another count one by one."""
        found: Counter[str] = Counter()
        for one in self.drawn:
            if one.dark:
                found[one.kind] += max(len(one.path) - 1, 1) if one.kind == "stroke" else 1
        return found


def shapes_of(drawn: Sequence[Drawn]) -> list[BaseGeometry]:
    """The objects' shapes; plain strokes are made in one go."""
    plain = [
        one for one in drawn if one._shape is None and one.kind == "stroke" and len(one.path) == 2
    ]
    if plain:
        made = capsules(
            np.array([(*one.path[0], *one.path[1]) for one in plain]),
            np.array([one.width_mm for one in plain]),
        )
        for one, shape in zip(plain, made, strict=True):
            one._shape = shape
    stamps: dict[int, list[Drawn]] = {}
    for one in drawn:
        if one._shape is None and one.kind == "flash" and one.pen is not None:
            stamps.setdefault(id(one.pen), []).append(one)
    for stamped in stamps.values():
        _stamp(stamped)
    return [one.shape for one in drawn]


def _stamp(flashes: Sequence[Drawn]) -> None:
    """Shapes of flashes of one pen, made in one go where the pen is a polygon without holes."""
    pen = flashes[0].pen
    if (
        pen is None
        or not isinstance(pen.shape, Polygon)
        or pen.shape.is_empty
        or pen.shape.interiors
    ):
        return
    ring = np.array(pen.shape.exterior.coords)
    made = shapely.polygons(ring[None] + np.array([one.path[0] for one in flashes])[:, None])
    for one, shape in zip(flashes, made, strict=True):
        one._shape = shape


def combine(drawn: Iterable[Drawn]) -> BaseGeometry:
    """Dark adds, clear removes what was drawn before it; runs of one polarity are joined at once."""
    objects = list(drawn)
    shapes = shapes_of(objects)
    total: Any = EMPTY
    run: list[BaseGeometry] = []
    dark = True
    for one, shape in zip(objects, shapes, strict=True):
        if one.dark != dark:
            total, run, dark = _apply(total, run, dark), [], one.dark
        run.append(shape)
    return _apply(total, run, dark)


def _apply(total: BaseGeometry, run: list[BaseGeometry], dark: bool) -> BaseGeometry:
    if not run:
        return total
    joined = _united(run)
    result = (
        (joined if total.is_empty else total.union(joined)) if dark else total.difference(joined)
    )
    return _together(polygons_of(result))


def _united(shapes: list[BaseGeometry]) -> BaseGeometry:
    """The union; shapes that touch no other one are kept as they are, since overlaying thousands of
    them is slow; of many that meet, those that do are overlaid group by group.
    """
    tree = shapely.STRtree(shapes)
    which, others = tree.query(shapes, predicate="intersects")
    met = np.zeros(len(shapes), dtype=bool)
    met[which[which != others]] = True
    if not met.any():
        return _together([piece for shape in shapes for piece in polygons_of(shape)])
    meeting = [shape for shape, meets in zip(shapes, met, strict=True) if meets]
    unite = shapely.disjoint_subset_union_all if len(meeting) > MANY else shapely.union_all
    together = unite(meeting)
    alone = [
        piece
        for shape, meets in zip(shapes, met, strict=True)
        if not meets
        for piece in polygons_of(shape)
    ]
    return _together([*polygons_of(together), *alone])


def _together(pieces: list[Polygon]) -> BaseGeometry:
    """Polygons that do not overlap, as one shape."""
    return shapely.multipolygons(pieces) if pieces else EMPTY
