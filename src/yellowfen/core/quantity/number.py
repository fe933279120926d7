"""Numbers as people type them, and range tests written so that NaN fails too."""

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
_TYPED = re.compile(r"[+-]?(?:\d+(?:[.,]\d*)?|[.,]\d+)(?:[eE][+-]?\d{1,2})?", re.ASCII)


def typed_number(field: str, text: str) -> float:
    """A number typed with point or comma, in plain digits. Raises InvalidValue for everything else:
    words, NaN, infinities, other scripts' digits, and texts longer than any number.
    """
    plain = text.strip()
    if len(plain) <= LONGEST and _TYPED.fullmatch(plain):
        value = float(plain.replace(",", "."))
        if math.isfinite(value):
            return value
    shown = plain[:20] + ("…" if len(plain) > 20 else "")
    said = f"{shown!r} is not a number; type digits" if plain else "type a number"
    raise InvalidValue(field, said)


def typed_whole(field: str, text: str) -> int:
    """A whole number typed, at most a thousand million either way. Raises InvalidValue otherwise."""
    value = typed_number(field, text)
    if abs(value) > 1e9 or value != int(value):
        raise InvalidValue(field, f"{text.strip()[:20]!r} is not a whole number")
    return int(value)
