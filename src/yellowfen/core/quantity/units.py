"""Quantities in sentences: a value with its unit, rendered here and nowhere else, so that another
unit for a kind (°F, inch) is a change in one place.
"""

from enum import Enum


class Kind(Enum):
    """A kind of quantity, with the unit in which the program holds and tells it."""

    TEMPERATURE = "°C"
    LENGTH = "mm"
    THICKNESS = "µm"
    TIME = "s"
    MINUTES = "min"
    FLOW = "L/min"
    MASS = "mg"
    GRAMS = "g"


CELSIUS, MM, MICRONS, SECONDS, MINUTES, LPM, MG, GRAMS = (
    Kind.TEMPERATURE,
    Kind.LENGTH,
    Kind.THICKNESS,
    Kind.TIME,
    Kind.MINUTES,
    Kind.FLOW,
    Kind.MASS,
    Kind.GRAMS,
)


def with_unit(value: float, kind: Kind, places: int | str | None = None) -> str:
    """'350 °C', '1.25 mm': so many places after the point, or as many as the value needs, or in a
    format of its own ("+.2f").
    """
    return f"{_digits(value, places)} {kind.value}"


def span_with_unit(low: float, high: float, kind: Kind, places: int | str | None = None) -> str:
    """'57 to 71 s'."""
    return f"{_digits(low, places)} to {_digits(high, places)} {kind.value}"


def _digits(value: float, places: int | str | None) -> str:
    if isinstance(places, str):
        return format(value, places)
    return f"{value:g}" if places is None else f"{value:.{places}f}"
