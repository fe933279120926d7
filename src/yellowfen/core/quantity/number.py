"""Numbers as people type them, and range tests written so that NaN fails too.

Everything that decides what a typed number means lives here: pages, files of settings and scripts
ask `typed_number`. A number has a decimal point or a decimal comma and may have a unit; what could
be meant in two ways is refused, never guessed.
"""

import math
import re

from yellowfen.errors import InvalidValue


def in_range(field: str, value: float, low: float, high: float, unit: str = "") -> float:
    """Return `value` as float when low <= value <= high, else raise InvalidValue with one sentence.

    NaN and infinities fail, since the comparison is stated positively.
    """
    try:
        number = float(value)
    except (TypeError, ValueError):
        raise InvalidValue(field, f"{value!r} is not a number") from None
    if low <= number <= high:
        return number
    tail = f" {unit}" if unit else ""
    raise InvalidValue(
        field, f"{number:g}{tail} is outside {low:g} to {high:g}{tail}; enter a value in that range"
    )


LONGEST = 40
_DIGITS = re.compile(r"[+-]?(?:\d+(?:[.,]\d*)?|[.,]\d+)(?:[eE][+-]?\d{1,2})?", re.ASCII)
_TYPED = re.compile(r"([+-]?[\d.,'’\s]*\d[\d.,]*(?:[eE][+-]?\d{1,2})?)\s*([^\d\s].*)?", re.ASCII)
_EITHER = re.compile(r"[+-]?[1-9]\d{0,2},\d{3}")  # 1,500: a thousand and a half, or one and a half?
_GROUPED = re.compile(r"[+-]?\d+(?:[\s'’]\d+)+(?:[.,]\d*)?|[+-]?\d+[.,]\d+(?:[.,]\d*)+")

# Each unit by the ways people write it: what it measures, and how many of that one's first unit.
_INCH = 25.4
_UNITS: dict[str, tuple[str, float]] = {
    **dict.fromkeys(("mm", "millimetre", "millimeter"), ("length", 1.0)),
    **dict.fromkeys(("cm",), ("length", 10.0)),
    **dict.fromkeys(("m",), ("length", 1000.0)),
    **dict.fromkeys(("um", "micron", "microns"), ("length", 0.001)),
    **dict.fromkeys(("in", "inch", "inches", '"'), ("length", _INCH)),
    **dict.fromkeys(("mil", "mils", "thou"), ("length", _INCH / 1000)),
    **dict.fromkeys(("s", "sec", "secs", "second", "seconds"), ("time", 1.0)),
    "ms": ("time", 0.001),
    **dict.fromkeys(("min", "mins", "minute", "minutes"), ("time", 60.0)),
    **dict.fromkeys(("h", "hr", "hrs", "hour", "hours"), ("time", 3600.0)),
    **dict.fromkeys(("l/min", "lpm", "slpm"), ("flow", 1.0)),
    "cfm": ("flow", 28.316846592),
    "mg": ("mass", 0.001),
    **dict.fromkeys(("g", "gram", "grams"), ("mass", 1.0)),
    "kg": ("mass", 1000.0),
    **dict.fromkeys(("w", "watt", "watts"), ("power", 1.0)),
    "kw": ("power", 1000.0),
    **dict.fromkeys(("a", "ampere", "amperes"), ("current", 1.0)),
    "ma": ("current", 0.001),
    **dict.fromkeys(("v", "volt", "volts"), ("voltage", 1.0)),
    "mv": ("voltage", 0.001),
    "%": ("share", 1.0),
    **dict.fromkeys(("w/m2k", "w/(m2k)"), ("film", 1.0)),
    "mm3": ("volume", 1.0),
}
_SCALES = {"c": "C", "celsius": "C", "f": "F", "fahrenheit": "F", "k": "K", "kelvin": "K"}

# What a field's last letters say of its unit: "width_mm" is in mm. Fields without such an ending
# that have a unit all the same stand below.
_ENDINGS: tuple[tuple[str, str], ...] = (
    ("_w_m2k", "w/m2k"),
    ("_mm3", "mm3"),
    ("_mm", "mm"),
    ("_um", "um"),
    ("_c", "C"),
    ("_k", "K"),
    ("_s", "s"),
    ("_min", "min"),
    ("_h", "h"),
    ("_lpm", "l/min"),
    ("_mg", "mg"),
    ("_g", "g"),
    ("_w", "w"),
    ("_a", "a"),
    ("_deg", "°"),
)
_OF_FIELD = {
    **dict.fromkeys(("pitch", "apart", "land", "thermal", "margin", "length", "typed", "tip"), "mm"),
    **dict.fromkeys(("foil", "wire", "stencil", "shrink", "places"), "mm"),
    **dict.fromkeys(("coverage", "metal", "copper", "humidity", "air_share"), "%"),
    **dict.fromkeys(("grams",), "g"),
    **dict.fromkeys(("seconds",), "s"),
    **dict.fromkeys(("amps",), "a"),
    **dict.fromkeys(("supplies",), "v"),
    **dict.fromkeys(("turn", "lean", "along"), "°"),
    "outlet_offset_c": "K",  # a difference
    "curve": "",
}  # fmt: skip


def unit_of(field: str) -> str:
    """The unit that a field's number is in, by its name: "source.outlet_c" is in "C"; "" for a bare
    number.
    """
    last = field.rsplit(".", 1)[-1]
    if last in _OF_FIELD:
        return _OF_FIELD[last]
    return next((unit for ending, unit in _ENDINGS if last.endswith(ending)), "")


def typed_number(field: str, text: str, unit: str | None = None) -> float:
    """A number typed with a decimal point or comma, with a unit or without, in the field's own unit
    (`unit`: where its name does not tell it): "0,6 in" in a field of mm is 15.24, "400 F" in one of
    °C is 204.4.

    Raises InvalidValue for everything else: words, NaN, infinities, other scripts' digits, texts
    longer than any number, a unit that measures something else, and thousands that could as well be
    decimals ("1,500").
    """
    plain = text.strip()
    shown = repr(plain[:20] + ("…" if len(plain) > 20 else ""))
    if not plain:
        raise InvalidValue(field, "type a number")
    found = _TYPED.fullmatch(plain) if len(plain) <= LONGEST else None
    if not found:
        raise InvalidValue(field, f"{shown} is not a number; type digits")
    digits, written = found[1].strip(), (found[2] or "").strip()
    if _EITHER.fullmatch(digits):
        said = f"type {digits.replace(',', '')} or {float(digits.replace(',', '.')):g}"
        raise InvalidValue(field, f"{shown} can be read in two ways; {said}")
    if _GROUPED.fullmatch(digits):
        said = "type it without marks between thousands, decimals after a point"
        raise InvalidValue(field, f"{shown} can be read in two ways; {said}")
    if not _DIGITS.fullmatch(digits):
        raise InvalidValue(field, f"{shown} is not a number; type digits")
    value = float(digits.replace(",", "."))
    wanted = unit_of(field) if unit is None else unit
    if written:
        value = _converted(field, value, written, wanted=wanted, shown=shown)
    if not math.isfinite(value):
        raise InvalidValue(field, f"{shown} is not a number; type digits")
    return value


def _converted(field: str, value: float, written: str, *, wanted: str, shown: str) -> float:
    word = written.replace("µ", "u").replace("μ", "u").replace("²", "2").replace("³", "3")
    low = word.lower().replace(" ", "").rstrip(".")
    if wanted in ("C", "K"):
        scale = _SCALES.get(low.strip("°").removeprefix("deg"))
        if scale:
            return _celsius(value, scale) if wanted == "C" else _kelvins(value, scale)
    if wanted == "°" and low in ("°", "deg", "degree", "degrees"):
        return value
    known, own = _UNITS.get(low), _UNITS.get(wanted)
    if known is None or own is None or known[0] != own[0]:
        unit = {"C": "°C", "w/m2k": "W/m²K", "um": "µm", "l/min": "L/min", "mm3": "mm³"}.get(
            wanted, wanted.upper() if wanted in ("w", "a", "v") else wanted
        )
        instead = f"give it in {unit}" if unit else "it has no unit"
        raise InvalidValue(field, f"{shown}: {written[:12]!r} does not fit here; {instead}")
    return float(f"{value * known[1] / own[1]:.10g}")


def _celsius(value: float, scale: str) -> float:
    """A temperature in °C."""
    return round({"C": value, "F": (value - 32.0) / 1.8, "K": value - 273.15}[scale], 3)


def _kelvins(value: float, scale: str) -> float:
    """A difference of temperatures in K."""
    return round(value / 1.8, 3) if scale == "F" else value


def typed_numbers(field: str, text: str, unit: str | None = None) -> tuple[float, ...]:
    """Numbers one after the other, parted by spaces, semicolons or lines, each as `typed_number`."""
    pieces = re.split(r"\s*;\s*|\s+(?=[+\-.,\d])", text.strip())
    return tuple(typed_number(field, one, unit) for one in pieces if one)


def typed_whole(field: str, text: str) -> int:
    """A whole number typed, at most a thousand million either way. Raises InvalidValue otherwise."""
    value = typed_number(field, text)
    if abs(value) > 1e9 or value != int(value):
        raise InvalidValue(field, f"{text.strip()[:20]!r} is not a whole number")
    return int(value)
