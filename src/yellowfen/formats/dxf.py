"""Drawings for cutters and drawing programs: closed and open polylines and circles on named layers,
millimetres, R12 text form.

The oldest form every cutter reads; 200 lines of a library would not read better than these, and
would be 58 MB.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field

from yellowfen.core.board.board import Point


@dataclass
class Dxf:
    """A drawing being made. Layer names are capitals, digits and underscores."""

    lines: list[str] = field(default_factory=list)
    layers: dict[str, int] = field(default_factory=dict)

    def polyline(self, layer: str, points: Sequence[Point], closed: bool = False) -> None:
        """A line through points."""
        self._layer(layer)
        self._put(0, "POLYLINE", 8, layer, 66, 1, 10, 0.0, 20, 0.0, 30, 0.0, 70, int(closed))
        for x, y in points:
            self._put(0, "VERTEX", 8, layer, 10, x, 20, y, 30, 0.0)
        self._put(0, "SEQEND", 8, layer)

    def circle(self, layer: str, x: float, y: float, radius: float) -> None:
        self._layer(layer)
        self._put(0, "CIRCLE", 8, layer, 10, x, 20, y, 30, 0.0, 40, radius)

    def _layer(self, name: str) -> None:
        self.layers.setdefault(name, len(self.layers) + 1)

    def _put(self, *pairs: object) -> None:
        for code, value in zip(pairs[::2], pairs[1::2], strict=True):
            self.lines += [f"{code:>3}", f"{value:.5f}" if isinstance(value, float) else str(value)]

    def to_bytes(self) -> bytes:
        """The whole file; units are millimetres."""
        body, self.lines = self.lines, []
        self._put(
            0,
            "SECTION",
            2,
            "HEADER",
            9,
            "$ACADVER",
            1,
            "AC1009",
            9,
            "$INSUNITS",
            70,
            4,
            9,
            "$MEASUREMENT",
            70,
            1,
            0,
            "ENDSEC",
        )
        self._put(0, "SECTION", 2, "TABLES", 0, "TABLE", 2, "LAYER", 70, len(self.layers))
        for name, colour in self.layers.items():
            self._put(0, "LAYER", 2, name, 70, 0, 62, colour, 6, "CONTINUOUS")
        self._put(0, "ENDTAB", 0, "ENDSEC", 0, "SECTION", 2, "ENTITIES")
        head, self.lines = self.lines, body
        return ("\r\n".join([*head, *body, "  0", "ENDSEC", "  0", "EOF"]) + "\r\n").encode("ascii")


def rings(drawing: Dxf, layer: str, found: Iterable[Sequence[Point]]) -> None:
    """Closed polylines."""
    for ring in found:
        drawing.polyline(layer, ring, closed=True)
