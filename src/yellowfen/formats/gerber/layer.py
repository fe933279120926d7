"""What a Gerber file draws: objects in order, and the picture they add up to."""

from dataclasses import dataclass, field
from functools import cached_property
from typing import Any

import shapely
from shapely.geometry.base import BaseGeometry

from yellowfen.formats.gerber.apertures import EMPTY, polygons_of


@dataclass(frozen=True)
class Drawn:
    """One object. `line` and `width_mm` are set for strokes of a round pen; `ref`, `pin`, `net` come from attributes."""

    kind: str
    shape: BaseGeometry
    dark: bool = True
    line: BaseGeometry | None = None
    width_mm: float = 0.0
    ref: str | None = None
    pin: str | None = None
    net: str | None = None


@dataclass(frozen=True)
class GerberLayer:
    """A file's objects in drawing order, its unit and its file attributes."""

    name: str
    unit: str
    drawn: tuple[Drawn, ...]
    attributes: dict[str, tuple[str, ...]] = field(default_factory=dict)
    remarks: tuple[str, ...] = ()

    @cached_property
    def picture(self) -> BaseGeometry:
        """The union of dark objects less the clear ones drawn after them."""
        return combine(self.drawn)

    def count(self, kind: str) -> int:
        return sum(1 for one in self.drawn if one.kind == kind and one.dark)


def combine(drawn: tuple[Drawn, ...] | list[Drawn]) -> BaseGeometry:
    """Dark adds, clear removes what was drawn before it; runs of one polarity are joined at once."""
    total: Any = EMPTY
    run: list[BaseGeometry] = []
    dark = True
    for one in drawn:
        if one.dark != dark:
            total, run, dark = _apply(total, run, dark), [], one.dark
        run.append(one.shape)
    return _apply(total, run, dark)


def _apply(total: BaseGeometry, run: list[BaseGeometry], dark: bool) -> BaseGeometry:
    if not run:
        return total
    joined = shapely.union_all(run)
    result = (joined if total.is_empty else total.union(joined)) if dark else total.difference(joined)
    return shapely.MultiPolygon(polygons_of(result))
