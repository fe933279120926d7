"""Aperture shapes: the standard circle, rectangle, obround and polygon, and macros, as shapely
geometry in mm.

Circles are polygons of equal area (not inscribed), so opening areas come out right.
"""

import math
import re
from collections.abc import Callable, Sequence
from typing import Any

import shapely
from shapely import affinity
from shapely.geometry import MultiPolygon, Point, Polygon, box
from shapely.geometry.base import BaseGeometry

_SEGMENTS = 64
EQUAL_AREA = math.sqrt(math.pi / (_SEGMENTS / 2 * math.sin(2 * math.pi / _SEGMENTS)))
EMPTY = Polygon()
LARGEST = 5000.0  # in file units: more than a panel in millimetres


class ApertureError(ValueError):
    """An aperture that cannot be built; the reader adds file and line."""


def circle(diameter: float, x: float = 0.0, y: float = 0.0) -> BaseGeometry:
    """A disc of that diameter (mm); empty at zero."""
    if diameter <= 0:
        return EMPTY
    return Point(x, y).buffer(diameter / 2 * EQUAL_AREA, quad_segs=_SEGMENTS // 4)


def rectangle(width: float, height: float) -> BaseGeometry:
    return (
        box(-width / 2, -height / 2, width / 2, height / 2) if width > 0 and height > 0 else EMPTY
    )


def obround(width: float, height: float) -> BaseGeometry:
    """A rectangle with round short ends."""
    short = min(width, height)
    run = (max(width, height) - short) / 2
    ends = ((-run, 0.0), (run, 0.0)) if width >= height else ((0.0, -run), (0.0, run))
    return shapely.union_all(
        [
            circle(short, *ends[0]),
            circle(short, *ends[1]),
            rectangle(
                width - (short if width >= height else 0), height - (short if height > width else 0)
            ),
        ]
    )


def polygon(diameter: float, vertices: int, rotation_deg: float = 0.0) -> BaseGeometry:
    """A regular polygon inscribed in a circle of that diameter, first vertex on +x before rotation.

    Raises ApertureError for other than 3 to 12 corners.
    """
    if not 3 <= vertices <= 12:
        raise ApertureError(f"a polygon aperture has 3 to 12 corners, not {vertices}")
    turn = math.radians(rotation_deg)
    corner = [turn + 2 * math.pi * i / vertices for i in range(vertices)]
    return Polygon([(diameter / 2 * math.cos(a), diameter / 2 * math.sin(a)) for a in corner])


def standard(kind: str, sizes: Sequence[float], unit: float) -> BaseGeometry:
    """A C, R, O or P aperture from its parameters in file units; `unit` is mm per file unit.

    Raises ApertureError for sizes that are missing, negative or beyond any board.
    """
    need = {"C": 1, "R": 2, "O": 2, "P": 2}[kind]
    if len(sizes) < need:
        raise ApertureError(f"aperture of kind {kind} needs {need} sizes, found {len(sizes)}")
    if not all(math.isfinite(size) for size in sizes) or any(
        size < 0 for size in sizes[: need if kind != "P" else 1]
    ):
        raise ApertureError("an aperture size is negative or not a number")
    if not all(size <= LARGEST for size in sizes):
        raise ApertureError("an aperture size is beyond any board")
    mm = [size * unit for size in sizes]
    if kind == "C":
        shape, hole = circle(mm[0]), mm[1:]
    elif kind == "R":
        shape, hole = rectangle(mm[0], mm[1]), mm[2:]
    elif kind == "O":
        shape, hole = obround(mm[0], mm[1]), mm[2:]
    else:
        shape, hole = polygon(mm[0], int(sizes[1]), sizes[2] if len(sizes) > 2 else 0.0), mm[3:]
    if not hole or hole[0] <= 0:
        return shape
    cut = rectangle(hole[0], hole[1]) if len(hole) > 1 and hole[1] > 0 else circle(hole[0])
    return shape.difference(cut)


class Macro:
    """An aperture macro: primitives and variable definitions, built with actual parameters."""

    def __init__(self, blocks: Sequence[str]) -> None:
        self.blocks = [block for block in blocks if block and not block.startswith("0")]
        if len(self.blocks) > 5000:
            raise ApertureError("an aperture macro has more than 5000 parts")

    def build(self, parameters: Sequence[float], unit: float) -> BaseGeometry:
        """The shape for these parameters. Raises ApertureError for one that is beyond any board."""
        variables = {index + 1: value for index, value in enumerate(parameters)}
        shape: BaseGeometry = EMPTY
        dark: list[BaseGeometry] = []
        for block in self.blocks:
            assignment = re.fullmatch(r"\$(\d+)=(.+)", block)
            if assignment:
                variables[int(assignment[1])] = evaluate(assignment[2], variables)
                continue
            fields = block.split(",")
            code = int(float(fields[0])) if re.fullmatch(r"\d+(\.0*)?", fields[0]) else -1
            values = [evaluate(field, variables) for field in fields[1:]]
            if not all(abs(value) <= LARGEST for value in values):
                raise ApertureError("a size in an aperture macro is beyond any board")
            piece, exposed = _primitive(code, values, unit)
            if exposed:
                dark.append(piece)
            else:
                shape = shapely.union_all([shape, *dark]).difference(piece)
                dark = []
        return shapely.union_all([shape, *dark]) if dark else shape


def evaluate(text: str, variables: dict[int, float]) -> float:
    """A macro's arithmetic: + - x / ( ) and $n, with the usual precedence.

    Raises ApertureError for what is no arithmetic.
    """
    tokens = re.findall(r"\$\d+|\d+\.?\d*(?:[eE][+-]?\d+)?|\.\d+|[-+xX/()]", text)
    if "".join(tokens) != re.sub(r"\s", "", text) or not tokens or len(tokens) > 400:
        raise ApertureError(f"cannot work out the macro expression {text[:40]!r}")
    try:
        value, rest = _sum(tokens, variables)
    except (IndexError, ZeroDivisionError, RecursionError):
        raise ApertureError(f"cannot work out the macro expression {text[:40]!r}") from None
    if rest or not math.isfinite(value):
        raise ApertureError(f"cannot work out the macro expression {text[:40]!r}")
    return value


def _sum(tokens: list[str], variables: dict[int, float]) -> tuple[float, list[str]]:
    value, tokens = _product(tokens, variables)
    while tokens and tokens[0] in "+-":
        right, rest = _product(tokens[1:], variables)
        value, tokens = (value + right if tokens[0] == "+" else value - right), rest
    return value, tokens


def _product(tokens: list[str], variables: dict[int, float]) -> tuple[float, list[str]]:
    value, tokens = _atom(tokens, variables)
    while tokens and tokens[0] in "xX/":
        right, rest = _atom(tokens[1:], variables)
        value, tokens = (value / right if tokens[0] == "/" else value * right), rest
    return value, tokens


def _atom(tokens: list[str], variables: dict[int, float]) -> tuple[float, list[str]]:
    head, rest = tokens[0], tokens[1:]
    if head in "+-":
        value, rest = _atom(rest, variables)
        return (-value if head == "-" else value), rest
    if head == "(":
        value, rest = _sum(rest, variables)
        if rest[0] != ")":
            raise IndexError
        return value, rest[1:]
    return (variables.get(int(head[1:]), 0.0) if head.startswith("$") else float(head)), rest


def _turned(shape: BaseGeometry, degrees: float) -> BaseGeometry:
    return affinity.rotate(shape, degrees, origin=(0, 0)) if degrees else shape


def _circle(p: list[float], unit: float) -> BaseGeometry:
    return _turned(circle(p[0] * unit, p[1] * unit, p[2] * unit), p[3] if len(p) > 3 else 0.0)


def _vector_line(p: list[float], unit: float) -> BaseGeometry:
    width, x0, y0, x1, y1 = (value * unit for value in p[:5])
    line = shapely.LineString([(x0, y0), (x1, y1)]).buffer(width / 2, cap_style="flat")
    return _turned(line, p[5] if len(p) > 5 else 0.0)


def _centre_line(p: list[float], unit: float) -> BaseGeometry:
    moved = affinity.translate(rectangle(p[0] * unit, p[1] * unit), p[2] * unit, p[3] * unit)
    return _turned(moved, p[4] if len(p) > 4 else 0.0)


def _lower_left_line(p: list[float], unit: float) -> BaseGeometry:
    x, y, w, h = p[2] * unit, p[3] * unit, p[0] * unit, p[1] * unit
    return _turned(box(x, y, x + w, y + h), p[4] if len(p) > 4 else 0.0)


def _outline(p: list[float], unit: float) -> BaseGeometry:
    corners = int(p[0]) + 1
    if not 3 <= corners <= 20000 or len(p) < 1 + 2 * corners:
        raise ApertureError("a macro outline has too few corners")
    ring = [(p[1 + 2 * i] * unit, p[2 + 2 * i] * unit) for i in range(corners)]
    return _turned(Polygon(ring).buffer(0), p[1 + 2 * corners] if len(p) > 1 + 2 * corners else 0.0)


def _regular(p: list[float], unit: float) -> BaseGeometry:
    shape = affinity.translate(polygon(p[3] * unit, int(p[0])), p[1] * unit, p[2] * unit)
    return _turned(shape, p[4] if len(p) > 4 else 0.0)


def _moire(p: list[float], unit: float) -> BaseGeometry:
    x, y, outer, ring, gap, most, hair, length = (
        *(value * unit for value in p[:5]),
        p[5],
        p[6] * unit,
        p[7] * unit,
    )
    pieces = [rectangle(length, hair), rectangle(hair, length)]
    for _ in range(min(int(most), 100)):
        if outer <= 0:
            break
        pieces.append(circle(outer).difference(circle(outer - 2 * ring)))
        outer -= 2 * (ring + gap)
    return _turned(affinity.translate(shapely.union_all(pieces), x, y), p[8] if len(p) > 8 else 0.0)


def _thermal(p: list[float], unit: float) -> BaseGeometry:
    x, y, outer, inner, gap = (value * unit for value in p[:5])
    ring = circle(outer).difference(circle(inner))
    cross = rectangle(2 * outer, gap).union(rectangle(gap, 2 * outer))
    return _turned(affinity.translate(ring.difference(cross), x, y), p[5] if len(p) > 5 else 0.0)


_WITH_EXPOSURE: dict[int, Callable[[list[float], float], BaseGeometry]] = {
    1: _circle,
    2: _vector_line,
    20: _vector_line,
    21: _centre_line,
    22: _lower_left_line,
    4: _outline,
    5: _regular,
}
_ALWAYS_DARK: dict[int, Callable[[list[float], float], BaseGeometry]] = {6: _moire, 7: _thermal}


def _primitive(code: int, values: list[float], unit: float) -> tuple[BaseGeometry, bool]:
    try:
        if code in _ALWAYS_DARK:
            return _ALWAYS_DARK[code](values, unit), True
        return _WITH_EXPOSURE[code](values[1:], unit), values[0] != 0
    except KeyError:
        raise ApertureError(f"unknown macro primitive {code}") from None
    except (IndexError, ValueError) as error:
        raise ApertureError(f"macro primitive {code} lacks values ({error})") from None


def polygons_of(shape: BaseGeometry) -> list[Any]:
    """The polygons of a geometry, empties and lines dropped."""
    if isinstance(shape, Polygon):
        return [] if shape.is_empty else [shape]
    if isinstance(shape, MultiPolygon):
        parts = shapely.get_parts(shape)
        return list(parts[~shapely.is_empty(parts)])
    if hasattr(shape, "geoms"):
        return [piece for part in shape.geoms for piece in polygons_of(part)]
    return []
