"""Reading Excellon / XNC drill files: holes, G85 slots and routed slots with arcs, in millimetres.

Many programs leave out what the numbers mean. Law: what the file does not say is assumed aloud (a
remark), and `read_drill` takes a judge that may choose between the possible meanings by where the
holes would fall.
"""

import itertools
import math
import re
from collections.abc import Callable
from dataclasses import dataclass, replace

from yellowfen.core.quantity.units import MM, with_unit
from yellowfen.errors import UnreadableFile
from yellowfen.formats.gerber.arcs import arc_points
from yellowfen.formats.gerber.layer import GerberLayer
from yellowfen.formats.text import decoded

MOST_HOLES = 100_000
LARGEST_TOOL = 500.0  # mm or inch, as the file has it


@dataclass(frozen=True, kw_only=True)
class DrillHit:
    """A hole; x2, y2 the other end when it is a slot. `plated` None when the file does not say."""

    x_mm: float
    y_mm: float
    drill_mm: float
    plated: bool | None
    x2_mm: float | None = None
    y2_mm: float | None = None


@dataclass(frozen=True, kw_only=True)
class DrillFile:
    """All hits of one file, what was assumed while reading, and the copper layers it joins where it
    says so.
    """

    name: str
    hits: tuple[DrillHit, ...]
    remarks: tuple[str, ...]
    unit: str = "mm"
    layers: tuple[int, int] | None = None


@dataclass(frozen=True)
class NumberForm:
    """What bare digits mean: mm per unit, digits before and after the point, whether leading zeros
    are kept.
    """

    unit: float
    whole: int
    part: int
    leading_kept: bool

    def in_words(self) -> str:
        unit = "inch" if self.unit == 25.4 else "mm"
        return f"{unit}, {self.whole}.{self.part} digits, {'leading' if self.leading_kept else 'trailing'} zeros kept"


def looks_like_drill(data: bytes) -> bool:
    """True for a header M48, or tool sizes with coordinates."""
    head = data[:8000]
    return b"\0" not in head and bool(
        re.search(rb"^\s*M48|^\s*T\d+(F\d+)?(S\d+)?C[\d.]+|^%\s*\r?\n\s*T0?1\b", head, re.MULTILINE)
    )


class _Reader:
    """One pass over the file under what is known of its number form."""

    def __init__(self, name: str, forced: NumberForm | None) -> None:
        self.name = name
        self.forced = forced
        self.unit: float | None = forced.unit if forced else None
        self.leading_kept: bool | None = forced.leading_kept if forced else None
        self.digits: tuple[int, int] | None = (forced.whole, forced.part) if forced else None
        self.bare = False
        self.tools: dict[int, tuple[float, bool | None]] = {}
        self.tool: int | None = None
        self.plated: bool | None = None
        self.file_plated: bool | None = None
        self.layers: tuple[int, int] | None = None
        self.x = self.y = 0.0
        self.relative = False
        self.routing = False
        self.down = True
        self.hits: list[DrillHit] = []

    def line(self, text: str, number: int) -> None:
        """Take one line in. Raises UnreadableFile for one that makes no sense."""
        if text[:1] in ("X", "Y"):  # what most lines are
            self._hit(text, number)
        elif text.startswith(";"):
            self._comment(text)
        elif re.match(r"(INCH|METRIC)\b", text):
            self._units(text)
        elif text in ("M71", "M72"):
            self._set_unit(1.0 if text == "M71" else 25.4)
        elif text in ("G90", "G91", "ICI,ON", "ICI,OFF", "ICI"):
            self.relative = text in ("G91", "ICI,ON", "ICI")
        elif match := re.match(r"T(\d+)(?=.*C([\d.]+)\s*(mm|in(?:ch)?|\")?)", text):
            if match[3]:
                self._set_unit(1.0 if match[3] == "mm" else 25.4)
            size = float(match[2])
            if not size < LARGEST_TOOL:
                said = f"tool T{int(match[1])} is {size:.3g} wide, which no hole of a board is"
                raise UnreadableFile(self.name, said, number)
            self.tools[int(match[1])] = (size, self.plated)
            if not re.search(r"C[\d.]+.*[XY]", text) and self.hits:
                self.tool = int(match[1])
        elif match := re.fullmatch(r"T(\d+)(.*)", text):
            self.tool = int(match[1])
            if re.match(r"[XY]", match[2]):
                self._hit(match[2], number)
        elif match := re.match(r"G0?0(?=[XY])", text):
            self.routing, self.down = True, True
            self._move(text[match.end() :], number)
        elif match := re.match(r"G0?([123])(?=[XY])", text):
            self._route(text[match.end() :], number, int(match[1]))
        elif text in ("M15", "M16", "M17"):
            self.down = text == "M15"
        elif text in ("G05", "G5", "G81"):
            self.routing = False
        elif match := re.match(r"R(\d+)(M02)?(?=[XY])", text):
            self._again(int(match[1]), text[match.end() :], number)

    def _set_unit(self, unit: float) -> None:
        if self.forced is None:
            self.unit = unit

    def _comment(self, text: str) -> None:
        if self.forced is None and (match := re.search(r"FILE_FORMAT=(\d):(\d)", text)):
            self.digits = (int(match[1]), int(match[2]))
        if self.forced is None and (
            match := re.search(r"FORMAT=\{(\d|-):(\d|-)/ *(\w+) */ *(\w+) */ *([\w ]+)\}", text)
        ):
            self.digits = (
                (int(match[1]), int(match[2]))
                if match[1] != "-" and match[2] != "-"
                else self.digits
            )
            self._set_unit(25.4 if match[4].lower().startswith("inch") else 1.0)
            self.leading_kept = "suppress leading" not in match[5].lower()
        if match := re.search(
            r"TF\.FileFunction,(Plated|NonPlated|MixedPlating),(\d+),(\d+)", text
        ):
            self.layers = (int(match[2]), int(match[3]))
            self.file_plated = {"Plated": True, "NonPlated": False}.get(match[1])
            return
        upper = text.upper()
        if (
            "NONPLATED" in upper
            or "NON_PLATED" in upper
            or "NPTH" in upper
            or "NON-PLATED" in upper
        ):
            self.plated = False
        elif "PLATED" in upper or ",PTH" in upper:
            self.plated = True

    def _units(self, text: str) -> None:
        if self.forced is not None:
            return
        self.unit = 25.4 if text.startswith("INCH") else 1.0
        if "TZ" in text or "LZ" in text:
            self.leading_kept = "TZ" not in text
        if match := re.search(r",(0+)\.(0+)", text):
            self.digits = (len(match[1]), len(match[2]))

    def _number(self, text: str, number: int) -> float:
        if self.unit is None:
            raise UnreadableFile(
                self.name,
                "gives no unit (INCH or METRIC) before its first hole; export it again",
                number,
            )
        if "." in text:
            value = float(text)
        else:
            self.bare = True
            whole, part = self.digits or ((2, 4) if self.unit == 25.4 else (3, 3))
            digits = text.lstrip("+-")
            kept = self.leading_kept is not False
            padded = digits.ljust(whole + part, "0") if kept else digits.rjust(whole + part, "0")
            value = float(padded) / 10 ** (len(padded) - whole if kept else part)
            value = -value if text.startswith("-") else value
        value *= self.unit
        if not abs(value) < 3000:
            raise UnreadableFile(
                self.name,
                f"a hole lies {with_unit(value, MM, 0)} out, beyond any board; check the number format",
                number,
            )
        return value

    def _place(self, text: str, number: int) -> tuple[float, float]:
        found = dict(re.findall(r"([XY])([-+.\d]+)", text))
        base = (self.x, self.y) if self.relative else (0.0, 0.0)
        x = base[0] + self._number(found["X"], number) if "X" in found else self.x
        y = base[1] + self._number(found["Y"], number) if "Y" in found else self.y
        return x, y

    def _move(self, text: str, number: int) -> None:
        self.x, self.y = self._place(text, number)

    def _size(self, number: int) -> tuple[float, bool | None]:
        if self.tool not in self.tools:
            raise UnreadableFile(
                self.name,
                f"tool T{self.tool if self.tool is not None else '?'} is used but its size is not given",
                number,
            )
        size, plated = self.tools[self.tool]
        return size * (self.unit or 1.0), self.file_plated if plated is None else plated

    def _hit(self, text: str, number: int) -> None:
        if self.routing:
            self._route(text, number, 1)
            return
        first, _, second = text.partition("G85")
        self._move(first, number)
        drill, plated = self._size(number)
        if second:
            x, y = self.x, self.y
            self._move(second, number)
            self.hits.append(
                DrillHit(x_mm=x, y_mm=y, drill_mm=drill, plated=plated, x2_mm=self.x, y2_mm=self.y)
            )
        else:
            self.hits.append(DrillHit(x_mm=self.x, y_mm=self.y, drill_mm=drill, plated=plated))

    def _again(self, times: int, text: str, number: int) -> None:
        """The last hole repeated at an even step."""
        if not self.hits or times > 10_000:
            raise UnreadableFile(
                self.name, "repeats a hole wrongly (R command); export it again", number
            )
        was, self.relative = self.relative, True
        for _ in range(times):
            self._move(text, number)
            drill, plated = self._size(number)
            self.hits.append(DrillHit(x_mm=self.x, y_mm=self.y, drill_mm=drill, plated=plated))
        self.relative = was

    def _route(self, text: str, number: int, mode: int) -> None:
        start = (self.x, self.y)
        self._move(text, number)
        end = (self.x, self.y)
        full_circle = mode != 1 and re.search(r"[IJ]", text)
        if not self.down or (start == end and not full_circle):
            return
        drill, plated = self._size(number)
        path = [start, end] if mode == 1 else self._arc(text, number, start, end, mode == 2)
        for (x0, y0), (x1, y1) in itertools.pairwise(path):
            self.hits.append(
                DrillHit(x_mm=x0, y_mm=y0, drill_mm=drill, plated=plated, x2_mm=x1, y2_mm=y1)
            )

    def _arc(
        self,
        text: str,
        number: int,
        start: tuple[float, float],
        end: tuple[float, float],
        clockwise: bool,
    ) -> list[tuple[float, float]]:
        """A routed arc by radius (A) or centre offset (I, J)."""
        given = {
            axis: self._number(value, number)
            for axis, value in re.findall(r"([AIJ])([-+.\d]+)", text)
        }
        offset = (
            _centre_offset(start, end, given["A"], clockwise)
            if "A" in given
            else (given.get("I", 0.0), given.get("J", 0.0))
        )
        path = arc_points(start, end, offset, clockwise, False)
        return path[:: max(1, len(path) // 12)] + (
            [end] if (len(path) - 1) % max(1, len(path) // 12) else []
        )


def _centre_offset(
    start: tuple[float, float], end: tuple[float, float], radius: float, clockwise: bool
) -> tuple[float, float]:
    """From start to the centre of the arc of at most half a turn with that radius."""
    dx, dy = end[0] - start[0], end[1] - start[1]
    chord = math.hypot(dx, dy)
    if chord == 0:
        raise ValueError("an arc given by its radius ends where it began")
    rise = math.sqrt(max(radius**2 - chord**2 / 4, 0.0)) * (1 if clockwise else -1)
    return dx / 2 + rise * dy / chord, dy / 2 - rise * dx / chord


def drill_of(layer: GerberLayer) -> DrillFile:
    """Holes of a drill file in Gerber form: flashes of round pens are holes, drawn lines are slots."""
    plated = {"plated": True, "nonplated": False}.get(layer.function[0] if layer.function else "")
    hits: list[DrillHit] = []
    others = 0
    for one in layer.drawn:
        if one.kind == "flash" and one.pen is not None and one.pen.round_mm:
            hits.append(
                DrillHit(
                    x_mm=one.path[0][0],
                    y_mm=one.path[0][1],
                    drill_mm=round(one.pen.round_mm, 4),
                    plated=plated,
                )
            )
        elif one.kind == "stroke" and one.width_mm > 0:
            hits += [
                DrillHit(
                    x_mm=a[0],
                    y_mm=a[1],
                    drill_mm=round(one.width_mm, 4),
                    plated=plated,
                    x2_mm=b[0],
                    y2_mm=b[1],
                )
                for a, b in itertools.pairwise(one.path)
            ]
        else:
            others += 1
    numbers = [int(word) for word in layer.function[1:3] if word.isascii() and word.isdigit()]
    remarks = (
        *layer.remarks,
        *(
            (f"{others} shapes that are neither round holes nor slots were left out",)
            if others
            else ()
        ),
    )
    return DrillFile(
        name=layer.name,
        hits=tuple(hits),
        remarks=remarks,
        unit=layer.unit,
        layers=(numbers[0], numbers[1]) if len(numbers) == 2 else None,
    )


Judge = Callable[[DrillFile], float]


def read_drill(data: bytes, name: str, judge: Judge | None = None) -> DrillFile:
    """Holes of an Excellon file; raises UnreadableFile with line and reason.

    `judge` scores where the holes fall; it is asked only when the file leaves the meaning of its
    digits open.
    """
    if not data.strip():
        raise UnreadableFile(name, "the file is empty; export it again")
    text = decoded(data)
    reader = _Reader(name, None)
    problem: UnreadableFile | None = None
    try:
        plain, ended = _read(reader, text)
    except UnreadableFile as caught:
        problem = caught
        if reader.unit is not None or judge is None:
            raise
    if problem is None and not (
        reader.bare and (reader.digits is None or reader.leading_kept is None) and judge
    ):
        return _with_end(plain, ended)
    best, form = _best_reading(text, name, reader, judge) if judge else (None, None)
    if best is None:
        if problem:
            raise problem
        return _with_end(plain, ended)
    if problem is None and judge and judge(plain) >= judge(best):
        return _with_end(plain, ended)
    said = f"does not say how its numbers are to be read; {form.in_words() if form else ''} puts its holes on the copper and was taken"
    return replace(best, remarks=(*best.remarks, said))


def _best_reading(
    text: str, name: str, reader: _Reader, judge: Judge
) -> tuple[DrillFile | None, NumberForm | None]:
    units = [reader.unit] if reader.unit else [1.0, 25.4]
    forms = [
        NumberForm(unit, whole, part, kept)
        for unit in units
        for whole, part in ((2, 4), (3, 3), (2, 3), (4, 2), (3, 2), (2, 5))
        for kept in ((True, False) if reader.leading_kept is None else (reader.leading_kept,))
    ]
    best: tuple[float, DrillFile | None, NumberForm | None] = (0.0, None, None)
    for form in forms:
        try:
            found, _ = _read(_Reader(name, form), text)
        except UnreadableFile:
            continue
        score = judge(found)
        if score > best[0]:
            best = (score, found, form)
    return best[1], best[2]


def _read(reader: _Reader, text: str) -> tuple[DrillFile, bool]:
    ended = False
    for number, raw in enumerate(text.splitlines(), 1):
        line = raw.strip()
        if line in ("M30", "M00"):
            ended = True
            break
        try:
            reader.line(line, number)
        except (ValueError, OverflowError) as problem:
            raise UnreadableFile(
                reader.name, f"cannot be understood ({str(problem)[:60]})", number
            ) from None
        if len(reader.hits) > MOST_HOLES:
            raise UnreadableFile(
                reader.name,
                f"has more than {MOST_HOLES} holes, which is more than a board has",
                number,
            )
    return DrillFile(
        name=reader.name,
        hits=tuple(reader.hits),
        remarks=(),
        unit="inch" if reader.unit == 25.4 else "mm",
        layers=reader.layers,
    ), ended


def _with_end(found: DrillFile, ended: bool) -> DrillFile:
    if ended:
        return found
    return replace(
        found, remarks=(*found.remarks, "has no end mark (M30); the holes that are there were read")
    )
