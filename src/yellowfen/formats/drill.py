"""Reading Excellon / XNC drill files: holes, G85 slots and routed slots, in millimetres."""

import math
import re
from dataclasses import dataclass

from yellowfen.errors import UnreadableFile


@dataclass(frozen=True)
class DrillHit:
    """A hole; x2, y2 the other end when it is a slot. `plated` None when the file does not say."""

    x_mm: float
    y_mm: float
    drill_mm: float
    plated: bool | None
    x2_mm: float | None = None
    y2_mm: float | None = None


@dataclass(frozen=True)
class DrillFile:
    """All hits of one file and what was assumed while reading."""

    name: str
    hits: tuple[DrillHit, ...]
    remarks: tuple[str, ...]


def looks_like_drill(data: bytes) -> bool:
    """True for a header M48, or tool sizes with coordinates."""
    head = data[:8000]
    return b"\0" not in head and bool(re.search(rb"^M48|^T\d+(F\d+)?(S\d+)?C[\d.]+", head, re.MULTILINE))


class _Reader:
    def __init__(self, name: str) -> None:
        self.name = name
        self.unit: float | None = None
        self.leading_kept = True
        self.digits: tuple[int, int] | None = None
        self.tools: dict[int, tuple[float, bool | None]] = {}
        self.tool: int | None = None
        self.plated: bool | None = None
        self.x = self.y = 0.0
        self.routing = False
        self.down = False
        self.hits: list[DrillHit] = []
        self.remarks: list[str] = []

    def line(self, text: str, number: int) -> None:
        if text.startswith(";"):
            self._comment(text)
        elif re.match(r"(INCH|METRIC)", text):
            self._units(text)
        elif text in ("M71", "M72"):
            self.unit = 1.0 if text == "M71" else 25.4
        elif match := re.match(r"T(\d+)(?=.*C([\d.]+))", text):
            self.tools[int(match[1])] = (float(match[2]), self.plated)
        elif match := re.fullmatch(r"T(\d+).*", text):
            self.tool = int(match[1])
        elif match := re.match(r"G0?0(?=[XY])", text):
            self.routing, self.down = True, False
            self._move(text[match.end() :], number)
        elif match := re.match(r"(?:G0?[123])(?=[XY])", text):
            self._route(text[match.end() :], number)
        elif text in ("M15", "M16", "M17"):
            self.down = text == "M15"
        elif text in ("G05", "G5"):
            self.routing = False
        elif re.match(r"[XY]", text):
            self._hit(text, number)

    def _comment(self, text: str) -> None:
        if match := re.search(r"FILE_FORMAT=(\d):(\d)", text):
            self.digits = (int(match[1]), int(match[2]))
        upper = text.upper()
        if "NONPLATED" in upper or "NON_PLATED" in upper or "NPTH" in upper:
            self.plated = False
        elif "PLATED" in upper or ",PTH" in upper:
            self.plated = True

    def _units(self, text: str) -> None:
        self.unit = 25.4 if text.startswith("INCH") else 1.0
        self.leading_kept = "TZ" not in text
        if match := re.search(r",(0+)\.(0+)", text):
            self.digits = (len(match[1]), len(match[2]))

    def _number(self, text: str, number: int) -> float:
        if self.unit is None:
            raise UnreadableFile(self.name, "gives no unit (INCH or METRIC) before its first hole; export it again", number)
        if "." in text:
            value = float(text)
        else:
            whole, part = self.digits or ((2, 4) if self.unit == 25.4 else (3, 3))
            digits = text.lstrip("+-")
            padded = digits.ljust(whole + part, "0") if self.leading_kept else digits.rjust(whole + part, "0")
            value = float(padded) / 10 ** (len(padded) - whole if self.leading_kept else part)
            value = -value if text.startswith("-") else value
        value *= self.unit
        if not abs(value) < 3000:
            raise UnreadableFile(self.name, f"a hole lies {value:.0f} mm out, beyond any board; check the number format", number)
        return value

    def _place(self, text: str, number: int) -> tuple[float, float]:
        x = re.search(r"X([-+.\d]+)", text)
        y = re.search(r"Y([-+.\d]+)", text)
        return (self._number(x[1], number) if x else self.x), (self._number(y[1], number) if y else self.y)

    def _move(self, text: str, number: int) -> None:
        self.x, self.y = self._place(text, number)

    def _size(self, number: int) -> tuple[float, bool | None]:
        if self.tool not in self.tools:
            raise UnreadableFile(
                self.name, f"tool T{self.tool if self.tool is not None else '?'} is used but its size is not given", number
            )
        size, plated = self.tools[self.tool]
        return size * (self.unit or 1.0), plated

    def _hit(self, text: str, number: int) -> None:
        if self.routing:
            self._route(text, number)
            return
        first, _, second = text.partition("G85")
        self._move(first, number)
        drill, plated = self._size(number)
        if second:
            start = (self.x, self.y)
            self._move(second, number)
            self.hits.append(DrillHit(*start, drill, plated, self.x, self.y))
        else:
            self.hits.append(DrillHit(self.x, self.y, drill, plated))

    def _route(self, text: str, number: int) -> None:
        start = (self.x, self.y)
        self._move(text, number)
        if self.down and math.dist(start, (self.x, self.y)) > 0:
            drill, plated = self._size(number)
            self.hits.append(DrillHit(*start, drill, plated, self.x, self.y))


def read_drill(data: bytes, name: str) -> DrillFile:
    """Holes of an Excellon file; raises UnreadableFile with line and reason."""
    if not data.strip():
        raise UnreadableFile(name, "the file is empty; export it again")
    reader = _Reader(name)
    lines = data.decode("latin-1").splitlines()
    ended = False
    for number, raw in enumerate(lines, 1):
        text = raw.strip()
        if text in ("M30", "M00"):
            ended = True
            break
        try:
            reader.line(text, number)
        except ValueError as problem:
            raise UnreadableFile(name, f"cannot be understood ({str(problem)[:60]})", number) from None
        if len(reader.hits) > 100_000:
            raise UnreadableFile(name, "has more than 100000 holes, which is more than a board has", number)
    if not ended:
        reader.remarks.append("has no end mark (M30); the holes that are there were read")
    return DrillFile(name, tuple(reader.hits), tuple(reader.remarks))
