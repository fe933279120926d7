"""Reading RS-274X, X2, X3 (and the older forms real programs wrote) into drawn objects, in
millimetres.

Laws: nothing is guessed silently (what is deprecated is read and remarked on); a file that cannot
be drawn faithfully is refused with file, line and column; time and memory are bounded whatever the
file says. Nearly all of a real file is coordinates, so those are read by one pattern in one loop
(`_coordinates`).
"""

import itertools
import math
import re
from collections.abc import Mapping
from dataclasses import dataclass, field

import shapely
from shapely import affinity
from shapely.geometry.base import BaseGeometry

from yellowfen.errors import UnreadableFile
from yellowfen.formats.gerber.apertures import ApertureError, Macro, standard
from yellowfen.formats.gerber.arcs import arc_points
from yellowfen.formats.gerber.layer import Drawn, GerberLayer, Pen, combine
from yellowfen.formats.text import decoded, is_text, place_of

MOST_OBJECTS = 400_000
MOST_POINTS = 4_000_000
LARGEST_MM = 3000.0
LONGEST_CHAIN = 33
Point = tuple[float, float]


@dataclass(kw_only=True)
class _Image:
    """Deprecated commands that move the whole picture."""

    offset: Point = (0.0, 0.0)
    scale: Point = (1.0, 1.0)
    mirror: tuple[bool, bool] = (False, False)
    turn: float = 0.0
    swapped: bool = False
    negative: bool = False


@dataclass(kw_only=True)
class _State:
    name: str
    text: str
    at: int = 0
    unit: float | None = None
    digits: tuple[int, int] | None = None
    decimals: tuple[int, int] = (4, 4)
    trailing: bool = False
    incremental: bool = False
    pens: dict[int, Pen] = field(default_factory=dict)
    placed: dict[tuple[int, str, float, float], Pen] = field(default_factory=dict)
    macros: dict[str, Macro] = field(default_factory=dict)
    pen: Pen | None = None
    x: float = 0.0
    y: float = 0.0
    mode: int = 1
    single_quadrant: bool = False
    operation: int = 0
    region: list[list[Point]] | None = None
    dark: bool = True
    mirror: str = "N"
    turn: float = 0.0
    scale: float = 1.0
    targets: list[list[Drawn]] = field(default_factory=lambda: [[]])
    block_codes: list[int] = field(default_factory=list)
    repeat: tuple[int, int, float, float] | None = None
    file_attributes: dict[str, tuple[str, ...]] = field(default_factory=dict)
    given: Mapping[str, tuple[str, ...]] = field(default_factory=dict)
    function: str = ""
    remarks: list[str] = field(default_factory=list)
    image: _Image = field(default_factory=_Image)
    ended: bool = False
    objects: int = 0
    points: int = 0


class _Problem(Exception):
    """Raised inside the reader; given file and place by read_gerber."""


def looks_like_gerber(data: bytes) -> bool:
    """True when the bytes carry a Gerber file's marks near the start."""
    head = data[:20000]
    if head.startswith((b"\xff\xfe", b"\xfe\xff")):
        head = decoded(data[:40000]).encode("utf-8")
    marks = rb"%FS[LTD]?[AI]?|%MO(MM|IN)|G04[^*]*\*|%ADD\d+|%AM\w|%TF|^(G5[45])?D1\d\*"
    return b"\0" not in head and bool(re.search(marks, head, re.MULTILINE))


def read_gerber(data: bytes, name: str) -> GerberLayer:
    """The objects of a Gerber file. Raises UnreadableFile with line, column and what to do."""
    if not data.strip():
        raise UnreadableFile(name, "the file is empty; export it again")
    if not is_text(data) or not looks_like_gerber(data):
        raise UnreadableFile(name, "this is not a Gerber file; leave it out or give the right one")
    state = _State(name=name, text=decoded(data))
    at = 0
    try:
        while at < len(state.text) and not state.ended:
            state.at = at
            at = _next(state, at)
        state.at = at
        if not state.ended:
            raise _Problem("ends before its end mark (M02), so it looks cut off")
        if state.repeat:
            _end_repeat(state)
    except (_Problem, ApertureError) as problem:
        raise UnreadableFile(
            name,
            f"{problem}; export the file again or leave it out",
            *place_of(state.text, state.at),
        ) from None
    except (ValueError, OverflowError, IndexError, shapely.errors.GEOSException) as problem:
        said = f"cannot be read here ({str(problem)[:80]}); export the file again or leave it out"
        raise UnreadableFile(name, said, *place_of(state.text, state.at)) from None
    drawn = _imaged(state, state.targets[0])
    unit = "inch" if state.unit == 25.4 else "mm"
    return GerberLayer(
        name=name,
        unit=unit,
        drawn=tuple(drawn),
        attributes=state.file_attributes,
        remarks=tuple(state.remarks),
        negative=state.image.negative,
    )


def _next(state: _State, at: int) -> int:
    """Deal with the command at a place of the text; returns the place after it."""
    text = state.text
    char = text[at]
    if char == "%":
        close = text.find("%", at + 1)
        if close < 0:
            raise _Problem("a % block is never closed, so the file looks cut off")
        _extended(state, [re.sub(r"[\r\n]", "", word) for word in text[at + 1 : close].split("*")])
        return close + 1
    if char in "*\r\n\t ":
        return at + 1
    if char in "XYGD" and (after := _coordinates(state, at)) > at:
        return after
    close = text.find("*", at)
    if close < 0:
        return len(text)
    word = text[at:close]
    _word(state, word if word.startswith("G04") else re.sub(r"\s", "", word))
    return close + 1


# --- the loop over coordinates
# ------------------------------------------------------------------------------------

_COORDINATE = re.compile(
    r"\s*(?:G0?([123]))?(?:X([+-]?\d+))?(?:Y([+-]?\d+))?(?:I([+-]?\d+))?(?:J([+-]?\d+))?D0?([123])\*"
)


def _coordinates(state: _State, at: int) -> int:
    """Draw as many plain coordinate commands as follow; returns the place after them (the same
    place if there is none).
    """
    if state.unit is None or state.digits is None or state.incremental or state.trailing:
        return at
    if state.mode == 1 and (run := _RUN.match(state.text, at)):
        return _straight_run(state, at, run.end())
    match = _COORDINATE.match
    text, region = state.text, state.region
    per_x, per_y = state.unit / 10 ** state.decimals[0], state.unit / 10 ** state.decimals[1]
    x, y, mode = state.x, state.y, state.mode
    chain: list[Point] | None = None  # the path of a stroke that the next line may go on with
    plain_pen = state.pen is not None and state.pen.round_mm is not None and region is None
    while found := match(text, at):
        state.at = at
        mode_code, x_text, y_text, i_text, j_text, operation = found.groups()
        if mode_code:
            mode = int(mode_code)
        to_x = int(x_text) * per_x if x_text else x
        to_y = int(y_text) * per_y if y_text else y
        if not (-LARGEST_MM <= to_x <= LARGEST_MM and -LARGEST_MM <= to_y <= LARGEST_MM):
            raise _Problem(
                f"a coordinate lies {max(abs(to_x), abs(to_y)):.0f} mm out, beyond any board"
            )
        if operation == "1":
            if mode == 1 and chain is not None and len(chain) < LONGEST_CHAIN:
                chain.append((to_x, to_y))
                x, y, at = to_x, to_y, found.end()
                continue
            if mode == 1:
                path = [(x, y), (to_x, to_y)]
            else:
                offset = (
                    int(i_text) * per_x if i_text else 0.0,
                    int(j_text) * per_y if j_text else 0.0,
                )
                path = arc_points((x, y), (to_x, to_y), offset, mode == 2, state.single_quadrant)
            if region is None:
                _stroke(state, path)
                chain = path if plain_pen and mode == 1 else None
            else:
                if not region:
                    region.append([path[0]])
                region[-1].extend(path[1:])
                _count(state, len(path))
        elif operation == "3":
            _flash(state, to_x, to_y)
            chain = None
        else:
            chain = None
            if region is not None:
                region.append([(to_x, to_y)])
        x, y = to_x, to_y
        at = found.end()
        state.operation = int(operation)
    state.x, state.y, state.mode = x, y, mode
    return at


_RUN = re.compile(r"(?:\s*(?:X[+-]?\d+)?(?:Y[+-]?\d+)?D0?[123]\*){6,}+")
_POINT = re.compile(r"(?:X([+-]?\d+))?(?:Y([+-]?\d+))?D0?([123])\*")
_DEEDS = re.compile("(2*)(1*)(3*)")


def _straight_run(state: _State, at: int, end: int) -> int:
    """Draw a run of straight coordinate commands; what most files mostly consist of, so its numbers
    are read all at once, and its moves, lines and flashes taken run by run.
    """
    assert state.unit is not None
    per_x, per_y = state.unit / 10 ** state.decimals[0], state.unit / 10 ** state.decimals[1]
    across, up, deeds = zip(*_POINT.findall(state.text, at, end), strict=True)
    x, y = state.x, state.y
    xs = [x := int(text) * per_x if text else x for text in across]
    ys = [y := int(text) * per_y if text else y for text in up]
    if not all(-LARGEST_MM <= far <= LARGEST_MM for far in (min(xs), max(xs), min(ys), max(ys))):
        raise _too_far(state, at, end, xs, ys)
    places = list(zip(xs, ys, strict=True))
    before, first = (state.x, state.y), 0
    for moves, lines, flashes in _DEEDS.findall("".join(deeds)):
        if moves:
            if state.region is not None:
                state.region += [[place] for place in places[first : first + len(moves)]]
            first += len(moves)
            before = places[first - 1]
        if lines:
            _lines(state, before, places[first : first + len(lines)])
            first += len(lines)
            before = places[first - 1]
        if flashes:
            _flashes(state, places[first : first + len(flashes)])
            first += len(flashes)
            before = places[first - 1]
    _count(state, len(places))
    state.x, state.y, state.operation = x, y, int(deeds[-1])
    return end


def _lines(state: _State, start: Point, places: list[Point]) -> None:
    """Straight lines from a point on: of a region's contour, or with the pen, long ones in pieces."""
    region, pen = state.region, state.pen
    if region is not None:
        if not region:
            region.append([start])
        region[-1] += places
    elif pen is None or pen.round_mm is None:
        for one, other in itertools.pairwise((start, *places)):
            _stroke(state, [one, other])
    else:
        width, given = pen.round_mm * state.scale or 1e-6, state.given or None
        path = [start, *places]
        for first in range(0, len(places), LONGEST_CHAIN - 1):
            piece = path[first : first + LONGEST_CHAIN]
            _put(state, Drawn("stroke", state.dark, piece, pen=pen, width_mm=width, given=given))


def _flashes(state: _State, places: list[Point]) -> None:
    stamp, given = _plain_stamp(state), state.given or None
    for place in places:
        if stamp is None:
            _flash(state, *place)
        else:
            _put(state, Drawn("flash", state.dark, [place], pen=stamp, width_mm=0.0, given=given))


def _too_far(state: _State, at: int, end: int, xs: list[float], ys: list[float]) -> _Problem:
    """The problem of the first coordinate beyond any board, with the reader standing at it."""
    far = [max(abs(x), abs(y)) for x, y in zip(xs, ys, strict=True)]
    index = next(index for index, one in enumerate(far) if not one <= LARGEST_MM)
    state.at = next(itertools.islice(_POINT.finditer(state.text, at, end), index, None)).start()
    return _Problem(f"a coordinate lies {far[index]:.0f} mm out, beyond any board")


def _count(state: _State, points: int) -> None:
    state.points += points
    if state.points > MOST_POINTS:
        raise _Problem(f"draws more than {MOST_POINTS} points, which is more than a board has")


# --- extended commands
# -------------------------------------------------------------------------------------------


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
    _remark(state, f"command {word[:2]!r} is not known and was ignored")


def _remark(state: _State, text: str) -> None:
    if text not in state.remarks and len(state.remarks) < 20:
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
        raise _Problem(
            "an aperture is defined before the unit (MOMM or MOIN) is given, so its size is unknown"
        )
    kind, values = (
        match[2],
        [float(value) for value in re.split(r"[Xx]", match[3])] if match[3] else [],
    )
    if kind in ("C", "R", "O", "P"):
        shape = standard(kind, values, state.unit)
        plain = kind == "C" and not (len(values) > 1 and values[1] > 0)
        state.pens[int(match[1])] = Pen(
            shape, values[0] * state.unit if plain else None, state.function
        )
    elif kind in state.macros:
        state.pens[int(match[1])] = Pen(
            state.macros[kind].build(values, state.unit), None, state.function
        )
    else:
        raise _Problem(f"aperture D{match[1]} uses the macro {kind[:30]!r}, which is not defined")


def _block_aperture(state: _State, word: str) -> None:
    match = re.match(r"ABD(\d+)$", word)
    if match:
        state.block_codes.append(int(match[1]))
        state.targets.append([])
    elif word == "AB" and state.block_codes:
        drawn = state.targets.pop()
        state.pens[state.block_codes.pop()] = Pen(combine(drawn), None, state.function, drawn)
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
            dx, dy = (float(match[k] or 0) * unit for k in (3, 4))
            if not max(abs(dx), abs(dy)) <= LARGEST_MM:
                raise _Problem(f"repeats at steps of {max(dx, dy):.3g} mm, beyond any board")
            state.repeat = (nx, ny, dx, dy)
            state.targets.append([])


def _end_repeat(state: _State) -> None:
    nx, ny, dx, dy = state.repeat or (1, 1, 0.0, 0.0)
    state.repeat = None
    if len(state.targets) < 2:
        raise _Problem("a step and repeat (SR) is closed wrongly")
    drawn = state.targets.pop()
    if not drawn:
        return
    if nx * ny * len(drawn) > MOST_OBJECTS:
        raise _Problem(
            f"repeats to more than {MOST_OBJECTS} objects, which is more than a board has"
        )
    for i in range(nx):
        for j in range(ny):
            for one in drawn:
                _count(state, len(one.path))
                _put(state, one.moved(i * dx, j * dy))


def _polarity(state: _State, word: str) -> None:
    if word[2:3] not in ("D", "C"):
        raise _Problem(f"polarity {word!r} is neither dark nor clear")
    state.dark = word[2] == "D"


def _mirror(state: _State, word: str) -> None:
    state.mirror = word[2:] or "N"


def _turn(state: _State, word: str) -> None:
    state.turn = _finite(word[2:])


def _scale(state: _State, word: str) -> None:
    state.scale = _finite(word[2:])
    if not 0 < state.scale < 1000:
        raise _Problem(f"a scale of {word[2:]} cannot be drawn")


def _finite(text: str) -> float:
    value = float(text)
    if not math.isfinite(value):
        raise _Problem(f"{text[:20]!r} is not a finite number")
    return value


def _file_attribute(state: _State, word: str) -> None:
    key, *values = word[2:].split(",")
    state.file_attributes[key] = tuple(map(_unescaped, values))


def _object_attribute(state: _State, word: str) -> None:
    key, *values = word[2:].split(",")
    state.given = {**state.given, key: tuple(map(_unescaped, values))}


def _aperture_attribute(state: _State, word: str) -> None:
    key, *values = word[2:].split(",")
    if key == ".AperFunction":
        state.function = values[0] if values else ""


def _unescaped(text: str) -> str:
    return re.sub(r"\\u([0-9a-fA-F]{4})", lambda match: chr(int(match[1], 16)), text).strip()


def _delete_attribute(state: _State, word: str) -> None:
    key = word[2:]
    if not key or key == ".AperFunction":
        state.function = ""
    state.given = {name: values for name, values in state.given.items() if key and name != key}


def _image_command(state: _State, word: str) -> None:
    """Deprecated: IP, OF, SF, MI, IR, AS act on the whole picture, wherever in the file they stand."""
    values = {axis: _finite(number) for axis, number in re.findall(r"([AB])([-+.\d]+)", word)}
    image, head = state.image, word[:2]
    before = (image.offset, image.scale, image.mirror, image.turn, image.swapped, image.negative)
    if head == "IP":
        image.negative = word.startswith("IPNEG")
    elif head == "OF":
        unit = _need_unit(state)
        image.offset = (values.get("A", 0.0) * unit, values.get("B", 0.0) * unit)
    elif head == "SF":
        image.scale = (values.get("A", 1.0), values.get("B", 1.0))
    elif head == "MI":
        image.mirror = (values.get("A", 0) == 1, values.get("B", 0) == 1)
    elif head == "IR":
        image.turn = _finite(word[2:] or "0")
    elif head == "AS":
        image.swapped = word == "ASAYBX"
    if before != (
        image.offset,
        image.scale,
        image.mirror,
        image.turn,
        image.swapped,
        image.negative,
    ):
        _remark(
            state,
            f"the deprecated command {word[:20]!r} changes the whole picture; it was followed",
        )


def _imaged(state: _State, drawn: list[Drawn]) -> list[Drawn]:
    """The objects under the deprecated whole-picture commands: axes swapped, mirrored, scaled,
    moved, turned.
    """
    image = state.image
    if (image.offset, image.scale, image.mirror, image.turn, image.swapped) == (
        (0.0, 0.0),
        (1.0, 1.0),
        (False, False),
        0.0,
        False,
    ):
        return drawn
    turn = math.radians(image.turn)
    mirror = (-1.0 if image.mirror[0] else 1.0, -1.0 if image.mirror[1] else 1.0)
    a, b, d, e = (
        (0.0, mirror[0], mirror[1], 0.0) if image.swapped else (mirror[0], 0.0, 0.0, mirror[1])
    )
    sx, sy = image.scale
    cos, sin = math.cos(turn), math.sin(turn)

    def turned(a: float, b: float, d: float, e: float) -> tuple[float, float, float, float]:
        return cos * a - sin * d, cos * b - sin * e, sin * a + cos * d, sin * b + cos * e

    ox, oy = image.offset
    place = (*turned(sx * a, sx * b, sy * d, sy * e), cos * ox - sin * oy, sin * ox + cos * oy)
    form = (*turned(a, b, d, e), 0.0, 0.0)
    return [one.mapped(place, form) for one in drawn]


def _passed(state: _State, word: str) -> None:
    """Names and the like: they draw nothing."""


_EXTENDED = {
    "FS": _format,
    "MO": _unit,
    "AD": _aperture,
    "AB": _block_aperture,
    "SR": _step_repeat,
    "LP": _polarity,
    "LM": _mirror,
    "LR": _turn,
    "LS": _scale,
    "TF": _file_attribute,
    "TO": _object_attribute,
    "TA": _aperture_attribute,
    "TD": _delete_attribute,
    "IN": _passed,
    "LN": _passed,
    "IP": _image_command,
    "OF": _image_command,
    "SF": _image_command,
    "IR": _image_command,
    "AS": _image_command,
    "MI": _image_command,
}


# --- words
# -------------------------------------------------------------------------------------------------------


def _word(state: _State, word: str) -> None:
    if word.startswith(("G04", "G4")) and not word.startswith("G4X"):
        _comment(state, word)
        return
    codes = re.findall(r"([GMDXYIJN])([-+.\d]+)", word)
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
        elif letter != "N":
            coordinates[letter] = value
    if coordinates and not drew and not any(letter == "D" for letter, _ in codes):
        _remark(
            state, "coordinates without an operation code (deprecated) were read with the last one"
        )
        _operate(state, coordinates)


def _comment(state: _State, word: str) -> None:
    match = re.match(r"G0?4\s*#@!\s*T([FODA])(.*)", word)
    if match:
        _EXTENDED["T" + match[1]](state, f"T{match[1]}{match[2].strip()}")


def _general(state: _State, code: int) -> None:
    if code in (1, 2, 3):
        state.mode = code
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
        raise _Problem(
            "no unit is given before the first drawing command (MOMM or MOIN), so sizes are unknown"
        )
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


def _draw(state: _State, x: float, y: float, offset: Point) -> None:
    here, there = (state.x, state.y), (x, y)
    path = (
        [here, there]
        if state.mode == 1
        else arc_points(here, there, offset, state.mode == 2, state.single_quadrant)
    )
    if state.region is None:
        _stroke(state, path)
        return
    if not state.region:
        state.region.append([here])
    state.region[-1].extend(path[1:])
    _count(state, len(path))


def _stroke(state: _State, path: list[Point]) -> None:
    pen = _need_pen(state)
    _count(state, len(path))
    if pen.round_mm is not None:
        _put(
            state,
            Drawn(
                "stroke",
                state.dark,
                path,
                pen=pen,
                width_mm=pen.round_mm * state.scale or 1e-6,
                given=state.given or None,
            ),
        )
    else:
        swept = _swept(_placed_pen(state, pen).shape, path)
        if not swept.is_empty:
            _put(
                state,
                Drawn(
                    "stroke",
                    state.dark,
                    path,
                    pen=pen,
                    width_mm=0.0,
                    given=state.given or None,
                    shape=swept,
                ),
            )


def _swept(shape: BaseGeometry, points: list[Point]) -> BaseGeometry:
    """A convex pen moved along a line: the hull of the pen at both ends, piece by piece."""
    hulls = []
    for (x0, y0), (x1, y1) in itertools.pairwise(points):
        ends = shapely.union_all(
            [affinity.translate(shape, x0, y0), affinity.translate(shape, x1, y1)]
        )
        hulls.append(ends.convex_hull)
    return shapely.union_all(hulls)


def _placed_pen(state: _State, pen: Pen) -> Pen:
    """The pen mirrored, turned and scaled as the load commands say."""
    if state.mirror == "N" and not state.turn and state.scale == 1.0:
        return pen
    key = (id(pen), state.mirror, state.turn, state.scale)
    if key not in state.placed:
        round_mm = None if pen.round_mm is None else pen.round_mm * state.scale
        state.placed[key] = Pen(_formed(state, pen.shape), round_mm, pen.function, pen.inner)
    return state.placed[key]


def _formed(state: _State, shape: BaseGeometry) -> BaseGeometry:
    if state.mirror != "N":
        shape = affinity.scale(
            shape, -1 if "X" in state.mirror else 1, -1 if "Y" in state.mirror else 1, origin=(0, 0)
        )
    if state.turn:
        shape = affinity.rotate(shape, state.turn, origin=(0, 0))
    return (
        affinity.scale(shape, state.scale, state.scale, origin=(0, 0))
        if state.scale != 1.0
        else shape
    )


def _need_pen(state: _State) -> Pen:
    if state.pen is None:
        raise _Problem("something is drawn before an aperture is chosen")
    return state.pen


def _flash(state: _State, x: float, y: float) -> None:
    pen = _need_pen(state)
    if pen.inner and any(not one.dark for one in pen.inner):
        for one in pen.inner:
            shape = affinity.translate(_formed(state, one.shape), x, y)
            _put(
                state,
                Drawn(
                    "flash",
                    one.dark == state.dark,
                    [(x, y)],
                    pen=pen,
                    width_mm=0.0,
                    given=state.given or None,
                    shape=shape,
                ),
            )
        return
    placed = _placed_pen(state, pen)
    if not placed.shape.is_empty:
        _put(
            state,
            Drawn(
                "flash", state.dark, [(x, y)], pen=placed, width_mm=0.0, given=state.given or None
            ),
        )


def _plain_stamp(state: _State) -> Pen | None:
    """The pen as it flashes now, where a flash is that pen and nothing else."""
    if state.pen is None or (state.pen.inner and any(not one.dark for one in state.pen.inner)):
        return None
    placed = _placed_pen(state, state.pen)
    return None if placed.shape.is_empty else placed


def _put(state: _State, drawn: Drawn) -> None:
    state.objects += 1
    if state.objects > MOST_OBJECTS:
        raise _Problem(f"draws more than {MOST_OBJECTS} objects, which is more than a board has")
    state.targets[-1].append(drawn)


def _close_region(state: _State) -> None:
    rings = state.region or []
    state.region = None
    for ring in rings:
        if len(ring) >= 3 and len(set(ring)) >= 3:
            _put(
                state,
                Drawn(
                    "region", state.dark, ring, pen=None, width_mm=0.0, given=state.given or None
                ),
            )
