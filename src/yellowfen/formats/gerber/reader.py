"""Reading RS-274X / X2 (and the older forms real programs wrote) into drawn objects, in millimetres.

Laws: nothing is guessed silently (what is deprecated is read and remarked on); a file that cannot be drawn
faithfully is refused with file and line; time and memory are bounded whatever the file says.
"""

import itertools
import math
import re
from dataclasses import dataclass, field, replace

import shapely
from shapely import affinity
from shapely.geometry import LineString, Polygon
from shapely.geometry.base import BaseGeometry

from yellowfen.errors import UnreadableFile
from yellowfen.formats.gerber.apertures import EQUAL_AREA, ApertureError, Macro, standard
from yellowfen.formats.gerber.layer import Drawn, GerberLayer, combine

MOST_OBJECTS = 400_000
LARGEST_MM = 3000.0
CHORD_MM = 0.003


@dataclass
class _Block:
    """A block aperture being defined or used."""

    drawn: list[Drawn]


@dataclass
class _Pen:
    """An aperture: its shape, and its diameter when it is a plain disc."""

    shape: BaseGeometry
    round_mm: float | None
    block: _Block | None = None


@dataclass
class _State:
    name: str
    unit: float | None = None
    digits: tuple[int, int] | None = None
    decimals: tuple[int, int] = (4, 4)
    trailing: bool = False
    incremental: bool = False
    pens: dict[int, _Pen] = field(default_factory=dict)
    macros: dict[str, Macro] = field(default_factory=dict)
    pen: _Pen | None = None
    x: float = 0.0
    y: float = 0.0
    mode: str = "G01"
    single_quadrant: bool = False
    operation: int = 0
    region: list[list[tuple[float, float]]] | None = None
    dark: bool = True
    mirror: str = "N"
    turn: float = 0.0
    scale: float = 1.0
    targets: list[list[Drawn]] = field(default_factory=lambda: [[]])
    block_codes: list[int] = field(default_factory=list)
    repeat: tuple[int, int, float, float] | None = None
    file_attributes: dict[str, tuple[str, ...]] = field(default_factory=dict)
    object_attributes: dict[str, tuple[str, ...]] = field(default_factory=dict)
    remarks: list[str] = field(default_factory=list)
    ended: bool = False
    objects: int = 0


class _Problem(Exception):
    """Raised inside the reader; given file and line by read_gerber."""


def looks_like_gerber(data: bytes) -> bool:
    """True when the bytes carry a Gerber file's marks near the start."""
    head = data[:20000]
    return b"\0" not in head and bool(re.search(rb"%FS[LTD]?[AI]?|%MO(MM|IN)|G04[^*]*\*|%ADD\d+|%AM|%TF", head))


def read_gerber(data: bytes, name: str) -> GerberLayer:
    """The objects of a Gerber file. Raises UnreadableFile with the line and what to do."""
    if not data.strip():
        raise UnreadableFile(name, "the file is empty; export it again")
    if not looks_like_gerber(data):
        raise UnreadableFile(name, "this is not a Gerber file; leave it out or give the right one")
    state = _State(name)
    line = 1
    try:
        for line, kind, words in _words(data.decode("latin-1")):  # noqa: B007 (the handlers below name the line)
            if state.ended:
                break
            if kind == "extended":
                _extended(state, words)
            else:
                _word(state, words[0])
    except (_Problem, ApertureError) as problem:
        raise UnreadableFile(name, f"{problem}; export the file again or leave it out", line) from None
    except (ValueError, OverflowError, shapely.errors.GEOSException) as problem:
        raise UnreadableFile(name, f"cannot be read here ({str(problem)[:80]}); export the file again or leave it out", line) from None
    if not state.ended:
        raise UnreadableFile(name, "ends before its end mark (M02), so it looks cut off; export or copy it again", line)
    if state.repeat:
        _end_repeat(state)
    return GerberLayer(name, "inch" if state.unit == 25.4 else "mm", tuple(state.targets[0]), state.file_attributes, tuple(state.remarks))


def _words(text: str):  # type: ignore[no-untyped-def]
    """(line, 'extended' | 'word', words) in order. Line numbers count from 1."""
    at, line, end = 0, 1, len(text)
    while at < end:
        char = text[at]
        if char == "%":
            close = text.find("%", at + 1)
            if close < 0:
                raise _Problem("a % block is never closed, so the file looks cut off")
            block = text[at + 1 : close]
            yield line, "extended", [re.sub(r"[\r\n]", "", word) for word in block.split("*")]
            line += block.count("\n")
            at = close + 1
        elif char.isspace() or char == "*":
            line += char == "\n"
            at += 1
        else:
            close = text.find("*", at)
            if close < 0:
                return
            word = text[at:close]
            yield line, "word", [re.sub(r"\s", "", word) if not word.startswith("G04") else word]
            line += word.count("\n")
            at = close + 1


# --- extended commands -------------------------------------------------------------------------------------------


def _extended(state: _State, words: list[str]) -> None:
    head = words[0].strip()
    if head.startswith("AM"):
        state.macros[head[2:].strip()] = Macro([word.strip() for word in words[1:]])
        return
    for word in words:
        word = word.strip()
        if word:
            _EXTENDED.get(word[:2], _unknown)(state, word)


def _unknown(state: _State, word: str) -> None:
    _remark(state, f"command {word[:2]!r} is not known and was passed over")


def _remark(state: _State, text: str) -> None:
    if text not in state.remarks:
        state.remarks.append(text)


def _format(state: _State, word: str) -> None:
    match = re.search(r"X(\d)(\d)Y(\d)(\d)", word)
    if not match:
        raise _Problem("the number format (FS) cannot be understood")
    head = word[2 : match.start()]
    state.digits = (int(match[1]), int(match[3]))
    state.decimals = (int(match[2]), int(match[4]))
    state.trailing = "T" in head
    state.incremental = "I" in head


def _unit(state: _State, word: str) -> None:
    if word[2:4] not in ("MM", "IN"):
        raise _Problem(f"unit {word[2:]!r} is neither MM nor IN")
    state.unit = 1.0 if word[2:4] == "MM" else 25.4


def _aperture(state: _State, word: str) -> None:
    match = re.match(r"ADD(\d+)([A-Za-z_.$][\w.$-]*)(?:,(.*))?$", word)
    if not match:
        raise _Problem(f"the aperture definition {word[:40]!r} cannot be understood")
    if state.unit is None:
        raise _Problem("an aperture is defined before the unit (MOMM or MOIN) is given, so its size is unknown")
    kind, values = match[2], [float(value) for value in re.split(r"[Xx]", match[3])] if match[3] else []
    if kind in ("C", "R", "O", "P"):
        shape = standard(kind, values, state.unit)
        plain = kind == "C" and not (len(values) > 1 and values[1] > 0)
        state.pens[int(match[1])] = _Pen(shape, values[0] * state.unit if plain else None)
    elif kind in state.macros:
        state.pens[int(match[1])] = _Pen(state.macros[kind].build(values, state.unit), None)
    else:
        raise _Problem(f"aperture D{match[1]} uses the macro {kind[:30]!r}, which is not defined")


def _block_aperture(state: _State, word: str) -> None:
    match = re.match(r"ABD(\d+)$", word)
    if match:
        state.block_codes.append(int(match[1]))
        state.targets.append([])
    elif word == "AB" and state.block_codes:
        drawn = state.targets.pop()
        state.pens[state.block_codes.pop()] = _Pen(combine(drawn), None, _Block(drawn))
    else:
        raise _Problem("a block aperture (AB) is opened or closed wrongly")


def _step_repeat(state: _State, word: str) -> None:
    if state.repeat:
        _end_repeat(state)
    match = re.match(r"SR(?:X(\d+))?(?:Y(\d+))?(?:I([-+.\d]+))?(?:J([-+.\d]+))?$", word)
    if match and (match[1] or match[2]):
        unit = _need_unit(state)
        nx, ny = int(match[1] or 1), int(match[2] or 1)
        if nx * ny > 1:
            state.repeat = (nx, ny, float(match[3] or 0) * unit, float(match[4] or 0) * unit)
            state.targets.append([])


def _end_repeat(state: _State) -> None:
    nx, ny, dx, dy = state.repeat or (1, 1, 0.0, 0.0)
    state.repeat = None
    drawn = state.targets.pop()
    if nx * ny * len(drawn) > MOST_OBJECTS:
        raise _Problem(f"repeats to more than {MOST_OBJECTS} objects, which is more than a board has")
    for i in range(nx):
        for j in range(ny):
            for one in drawn:
                _put(state, _moved(one, i * dx, j * dy))


def _moved(one: Drawn, dx: float, dy: float) -> Drawn:
    line = affinity.translate(one.line, dx, dy) if one.line is not None else None
    return replace(one, shape=affinity.translate(one.shape, dx, dy), line=line)


def _polarity(state: _State, word: str) -> None:
    if word[2:3] not in ("D", "C"):
        raise _Problem(f"polarity {word!r} is neither dark nor clear")
    state.dark = word[2] == "D"


def _mirror(state: _State, word: str) -> None:
    state.mirror = word[2:]


def _turn(state: _State, word: str) -> None:
    state.turn = float(word[2:])


def _scale(state: _State, word: str) -> None:
    state.scale = float(word[2:])


def _image_polarity(state: _State, word: str) -> None:
    if word.startswith("IPNEG"):
        raise _Problem("the whole picture is negative (IPNEG), a deprecated form that is not read")


def _file_attribute(state: _State, word: str) -> None:
    key, *values = word[2:].split(",")
    state.file_attributes[key] = tuple(values)


def _object_attribute(state: _State, word: str) -> None:
    key, *values = word[2:].split(",")
    state.object_attributes[key] = tuple(values)


def _delete_attribute(state: _State, word: str) -> None:
    if word[2:]:
        state.object_attributes.pop(word[2:], None)
    else:
        state.object_attributes.clear()


def _deprecated(state: _State, word: str) -> None:
    numbers = [float(n) for n in re.findall(r"[AB]([-+.\d]+)", word)]
    neutral = {"OF": 0.0, "SF": 1.0}.get(word[:2])
    if neutral is not None and any(number != neutral for number in numbers):
        raise _Problem(f"the deprecated command {word[:20]!r} moves or scales the picture and is not read")
    if word[:2] == "IR" and word[2:] not in ("0", ""):
        raise _Problem(f"the deprecated command {word[:20]!r} turns the picture and is not read")
    if word[:2] == "AS" and word not in ("AS", "ASAXBY"):
        raise _Problem(f"the deprecated command {word[:20]!r} swaps the axes and is not read")


_EXTENDED = {
    "FS": _format, "MO": _unit, "AD": _aperture, "AB": _block_aperture, "SR": _step_repeat, "LP": _polarity,
    "LM": _mirror, "LR": _turn, "LS": _scale, "IP": _image_polarity, "TF": _file_attribute, "TO": _object_attribute,
    "TA": lambda state, word: None, "TD": _delete_attribute, "IN": lambda state, word: None, "LN": lambda state, word: None,
    "OF": _deprecated, "SF": _deprecated, "IR": _deprecated, "AS": _deprecated, "MI": _deprecated,
}  # fmt: skip


# --- words -------------------------------------------------------------------------------------------------------


def _word(state: _State, word: str) -> None:
    if word.startswith(("G04", "G4")) and not word.startswith("G4X"):
        _comment(state, word)
        return
    codes = re.findall(r"([GMDXYIJ])([-+.\d]+)", word)
    if not codes:
        if re.match(r"[A-Z]{2}", word):
            _extended(state, [word])
        return
    if "".join(letter + value for letter, value in codes) != word:
        raise _Problem(f"the command {word[:40]!r} cannot be understood")
    coordinates: dict[str, str] = {}
    drew = False
    for letter, value in codes:
        if letter == "G":
            _general(state, int(value))
        elif letter == "M":
            state.ended = state.ended or int(value) in (0, 2, 30)
        elif letter == "D":
            drew = _d_code(state, int(value), coordinates) or drew
        else:
            coordinates[letter] = value
    if coordinates and not drew and not any(letter == "D" for letter, _ in codes):
        _remark(state, "coordinates without an operation code (deprecated) were read with the last one")
        _operate(state, coordinates)


def _comment(state: _State, word: str) -> None:
    match = re.match(r"G0?4\s*#@!\s*T([FOD])(.*)", word)
    if match:
        _EXTENDED["T" + match[1]](state, f"T{match[1]}{match[2].strip()}")


def _general(state: _State, code: int) -> None:
    if code in (1, 2, 3):
        state.mode = f"G0{code}"
    elif code == 36:
        state.region = []
    elif code == 37:
        _close_region(state)
    elif code in (74, 75):
        state.single_quadrant = code == 74
    elif code in (70, 71):
        state.unit = 25.4 if code == 70 else 1.0
    elif code in (90, 91):
        state.incremental = code == 91


def _d_code(state: _State, code: int, coordinates: dict[str, str]) -> bool:
    if code >= 10:
        if code not in state.pens:
            raise _Problem(f"aperture D{code} is used but never defined")
        state.pen = state.pens[code]
        return False
    if code not in (1, 2, 3):
        raise _Problem(f"operation D{code} is not known")
    state.operation = code
    _operate(state, coordinates)
    return True


def _need_unit(state: _State) -> float:
    if state.unit is None:
        raise _Problem("no unit is given before the first drawing command (MOMM or MOIN), so sizes are unknown")
    return state.unit


def _coordinate(state: _State, text: str, axis: int) -> float:
    unit = _need_unit(state)
    if "." in text:
        value = float(text)
    else:
        if state.digits is None:
            raise _Problem("no number format (FS) is given before the first coordinate")
        sign, digits = (-1.0 if text.startswith("-") else 1.0), text.lstrip("+-")
        whole, part = state.digits[axis], state.decimals[axis]
        if state.trailing:
            digits = digits.ljust(whole + part, "0")
        value = sign * int(digits or "0") / 10**part
    value *= unit
    if not abs(value) <= LARGEST_MM:
        raise _Problem(f"a coordinate lies {value:.0f} mm out, beyond any board")
    return value


def _operate(state: _State, coordinates: dict[str, str]) -> None:
    base = (state.x, state.y) if state.incremental else (0.0, 0.0)
    x = base[0] + _coordinate(state, coordinates["X"], 0) if "X" in coordinates else state.x
    y = base[1] + _coordinate(state, coordinates["Y"], 1) if "Y" in coordinates else state.y
    if not (abs(x) <= LARGEST_MM and abs(y) <= LARGEST_MM):
        raise _Problem("a coordinate lies beyond any board")
    offset = (
        _coordinate(state, coordinates["I"], 0) if "I" in coordinates else 0.0,
        _coordinate(state, coordinates["J"], 1) if "J" in coordinates else 0.0,
    )
    if state.operation == 1:
        _draw(state, x, y, offset)
    elif state.operation == 3:
        _flash(state, x, y)
    elif state.region is not None:
        state.region.append([(x, y)])
    state.x, state.y = x, y


def _draw(state: _State, x: float, y: float, offset: tuple[float, float]) -> None:
    points = [(state.x, state.y), (x, y)] if state.mode == "G01" else _arc(state, x, y, offset)
    if state.region is not None:
        if not state.region:
            state.region.append([points[0]])
        state.region[-1].extend(points[1:])
        return
    pen = _need_pen(state)
    line = (
        LineString(points) if points[0] != points[-1] or len(points) > 2 else LineString([points[0], (points[0][0] + 1e-6, points[0][1])])
    )
    if pen.round_mm is not None:
        width = pen.round_mm * state.scale
        shape = line.buffer(max(width, 1e-6) / 2 * EQUAL_AREA, quad_segs=8)
        _put(state, _named(state, Drawn("stroke", shape, state.dark, line, width)))
    else:
        _put(state, _named(state, Drawn("stroke", _swept(_placed_pen(state, pen), points), state.dark, line, 0.0)))


def _swept(shape: BaseGeometry, points: list[tuple[float, float]]) -> BaseGeometry:
    """A convex pen moved along a line: the hull of the pen at both ends, piece by piece."""
    hulls = []
    for (x0, y0), (x1, y1) in itertools.pairwise(points):
        ends = shapely.union_all([affinity.translate(shape, x0, y0), affinity.translate(shape, x1, y1)])
        hulls.append(ends.convex_hull)
    return shapely.union_all(hulls)


def _placed_pen(state: _State, pen: _Pen) -> BaseGeometry:
    """The pen's shape mirrored, turned and scaled as the load commands say."""
    shape = pen.shape
    if state.mirror != "N" and state.mirror:
        shape = affinity.scale(shape, -1 if "X" in state.mirror else 1, -1 if "Y" in state.mirror else 1, origin=(0, 0))
    if state.turn:
        shape = affinity.rotate(shape, state.turn, origin=(0, 0))
    if state.scale != 1.0:
        shape = affinity.scale(shape, state.scale, state.scale, origin=(0, 0))
    return shape


def _need_pen(state: _State) -> _Pen:
    if state.pen is None:
        raise _Problem("something is drawn before an aperture is chosen")
    return state.pen


def _flash(state: _State, x: float, y: float) -> None:
    pen = _need_pen(state)
    if pen.block and any(not one.dark for one in pen.block.drawn):
        for one in pen.block.drawn:
            shape = affinity.translate(_placed_pen(state, _Pen(one.shape, None)), x, y)
            _put(state, _named(state, Drawn("flash", shape, one.dark == state.dark)))
        return
    _put(state, _named(state, Drawn("flash", affinity.translate(_placed_pen(state, pen), x, y), state.dark)))


def _named(state: _State, drawn: Drawn) -> Drawn:
    given = state.object_attributes
    if not given:
        return drawn
    pin = given.get(".P", ())
    return replace(
        drawn,
        ref=(pin[0] if pin else given.get(".C", (None,))[0]) or None,
        pin=pin[1] if len(pin) > 1 else None,
        net=given.get(".N", (None,))[0] or None,
    )


def _put(state: _State, drawn: Drawn) -> None:
    state.objects += 1
    if state.objects > MOST_OBJECTS:
        raise _Problem(f"draws more than {MOST_OBJECTS} objects, which is more than a board has")
    if not drawn.shape.is_empty:
        state.targets[-1].append(drawn)


def _close_region(state: _State) -> None:
    rings = state.region or []
    state.region = None
    for ring in rings:
        if len(ring) >= 3 and len(set(ring)) >= 3:
            shape = Polygon(ring)
            _put(state, _named(state, Drawn("region", shape if shape.is_valid else shape.buffer(0), state.dark)))


def _arc(state: _State, x: float, y: float, offset: tuple[float, float]) -> list[tuple[float, float]]:
    """Points along the arc from the present place to x, y; chords stay within CHORD_MM of the circle."""
    clockwise = state.mode == "G02"
    centre = (
        _single_quadrant_centre(state, x, y, offset, clockwise) if state.single_quadrant else (state.x + offset[0], state.y + offset[1])
    )
    radius = math.hypot(state.x - centre[0], state.y - centre[1])
    start = math.atan2(state.y - centre[1], state.x - centre[0])
    sweep = _sweep(start, math.atan2(y - centre[1], x - centre[0]), clockwise)
    if (x, y) == (state.x, state.y):
        sweep = 0.0 if state.single_quadrant else (-2 * math.pi if clockwise else 2 * math.pi)
    if radius < 1e-9:
        return [(state.x, state.y), (x, y)]
    step = 2 * math.acos(max(0.0, 1 - min(CHORD_MM / radius, 0.2)))
    count = min(max(int(abs(sweep) / step) + 1, 2), 2000)
    middle = [
        (centre[0] + radius * math.cos(start + sweep * i / count), centre[1] + radius * math.sin(start + sweep * i / count))
        for i in range(1, count)
    ]  # fmt: skip
    return [(state.x, state.y), *middle, (x, y)]


def _sweep(start: float, end: float, clockwise: bool) -> float:
    sweep = end - start
    if clockwise:
        return sweep if sweep < 0 else sweep - 2 * math.pi
    return sweep if sweep > 0 else sweep + 2 * math.pi


def _single_quadrant_centre(state: _State, x: float, y: float, offset: tuple[float, float], clockwise: bool) -> tuple[float, float]:
    """Offsets are unsigned in single-quadrant mode: the centre that gives equal radii and at most a quarter turn."""
    best, smallest = (state.x + offset[0], state.y + offset[1]), math.inf
    for sx in (1, -1):
        for sy in (1, -1):
            centre = (state.x + sx * abs(offset[0]), state.y + sy * abs(offset[1]))
            start = math.atan2(state.y - centre[1], state.x - centre[0])
            sweep = abs(_sweep(start, math.atan2(y - centre[1], x - centre[0]), clockwise))
            miss = abs(math.dist(centre, (state.x, state.y)) - math.dist(centre, (x, y)))
            if sweep <= math.pi / 2 + 1e-3 and miss < smallest:
                best, smallest = centre, miss
    return best
