"""Lands by counts and distances, for a package that nobody catalogued: how they stand, how many,
how far apart, how large.
"""

from collections.abc import Callable
from typing import NamedTuple

from yellowfen.core.part.package import JointKind, Land
from yellowfen.core.quantity.number import in_range
from yellowfen.core.quantity.units import MM, with_unit
from yellowfen.errors import InvalidValue

LAYOUTS = ("one row", "two rows", "four rows", "grid", "two ends")
MOST_PINS = 1000


def lands_by_count(
    layout: str,
    pins: int,
    pitch_mm: float,
    apart_mm: float,
    size_mm: tuple[float, float],
    joint: JointKind,
    thermal_mm: tuple[float, float] | None = None,
) -> tuple[Land, ...]:
    """Lands counted anticlockwise from the upper left, as pins are.

    `apart_mm` lies between the middles of opposite rows (of both ends); `size_mm` is (along the
    lead, across it); `thermal_mm` a pad beneath the middle. Raises InvalidValue for what cannot be
    laid out: four rows of a number that four does not divide, lands wider than the pitch.
    """
    in_range("pins", pins, 2, MOST_PINS)
    if layout not in _MADE:
        raise InvalidValue("layout", f"{layout[:20]!r} is none of {', '.join(LAYOUTS)}")
    long, wide = (in_range("land", one, 0.05, 40, "mm") for one in size_mm)
    if layout != "two ends":
        in_range("pitch", pitch_mm, 0.2, 20, "mm")
        if wide >= pitch_mm:
            raise InvalidValue(
                "land",
                f"lands {with_unit(wide, MM)} wide at {with_unit(pitch_mm, MM)} pitch would touch; measure again",
            )
    if layout in ("two rows", "four rows", "two ends"):
        in_range("apart", apart_mm, 0.3, 100, "mm")
    lands = _MADE[layout](
        _Lands(pins=pins, pitch=pitch_mm, apart=apart_mm, long=long, wide=wide, joint=joint)
    )
    if thermal_mm is None:
        return tuple(lands)
    x, y = (in_range("thermal", one, 0.2, 80, "mm") for one in thermal_mm)
    beneath = Land(
        pin=str(pins + 1),
        x_mm=0.0,
        y_mm=0.0,
        size_x_mm=x,
        size_y_mm=y,
        kind=JointKind.THERMAL_PAD,
    )
    return (*lands, beneath)


class _Lands(NamedTuple):
    """What a layout is made of, mm."""

    pins: int
    pitch: float
    apart: float
    long: float
    wide: float
    joint: JointKind


_LETTERS = [
    *"ABCDEFGHJKLMNPRTUVWY",
    *(f"A{letter}" for letter in "ABCDEFGHJKLMNPRTUVWY"),
]


def _needs(holds: bool, said: str) -> None:
    if not holds:
        raise InvalidValue("pins", said)


def _land(of: _Lands, pin: str, x: float, y: float, upright: bool = False) -> Land:
    """A land at a place; `upright` where its lead runs along y."""
    across = (of.wide, of.long) if upright else (of.long, of.wide)
    return Land(pin=pin, x_mm=x, y_mm=y, size_x_mm=across[0], size_y_mm=across[1], kind=of.joint)


def _row(of: _Lands, where: str, count: int, first: int) -> list[Land]:
    """A row of lands on one side, in counting order."""
    lands = []
    for number in range(count):
        along = ((count - 1) / 2 - number) * of.pitch
        x, y = {
            "left": (-of.apart / 2, along),
            "bottom": (-along, -of.apart / 2),
            "right": (of.apart / 2, -along),
            "top": (along, of.apart / 2),
        }[where]
        lands.append(_land(of, str(first + number), x, y, where in ("bottom", "top")))
    return lands


def _one_row(of: _Lands) -> list[Land]:
    return _row(of._replace(apart=0.0), "left", of.pins, 1)


def _two_ends(of: _Lands) -> list[Land]:
    _needs(of.pins == 2, "two ends are two lands; write 2")
    return [_land(of, pin, sign * of.apart / 2, 0.0) for pin, sign in (("1", -1), ("2", 1))]


def _two_rows(of: _Lands) -> list[Land]:
    _needs(of.pins % 2 == 0, "two rows need an even number of pins")
    half = of.pins // 2
    return [*_row(of, "left", half, 1), *_row(of, "right", half, half + 1)]


def _four_rows(of: _Lands) -> list[Land]:
    _needs(of.pins % 4 == 0, "four rows need a number of pins that four divides")
    side = of.pins // 4
    return [
        land
        for number, where in enumerate(("left", "bottom", "right", "top"))
        for land in _row(of, where, side, number * side + 1)
    ]


def _grid(of: _Lands) -> list[Land]:
    edge = round(of.pins**0.5)
    _needs(edge * edge == of.pins, "a grid is square here: 9, 16, 25 … lands")
    square, middle = of._replace(wide=of.long), (edge - 1) / 2
    return [
        _land(
            square,
            f"{_LETTERS[row]}{column + 1}",
            (column - middle) * of.pitch,
            (middle - row) * of.pitch,
        )
        for row in range(edge)
        for column in range(edge)
    ]


_MADE: dict[str, Callable[[_Lands], list[Land]]] = {
    "one row": _one_row,
    "two ends": _two_ends,
    "two rows": _two_rows,
    "four rows": _four_rows,
    "grid": _grid,
}
