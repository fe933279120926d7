"""Range tests for plain numbers. Written so that NaN fails too."""

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
