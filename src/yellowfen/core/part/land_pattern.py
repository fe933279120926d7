"""Lands by counts and distances, for a package that nobody catalogued: how they stand, how many,
how far apart, how large.
"""

from yellowfen.core.part.package import JointKind, Land
from yellowfen.core.quantity.number import in_range
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
    long, wide = (in_range("land", one, 0.05, 40, "mm") for one in size_mm)
    if layout != "two ends":
        in_range("pitch", pitch_mm, 0.2, 20, "mm")
        if wide >= pitch_mm:
            raise InvalidValue(
                "land",
                f"lands {wide:g} mm wide at {pitch_mm:g} mm pitch would touch; measure again",
            )
    if layout in ("two rows", "four rows", "two ends"):
        in_range("apart", apart_mm, 0.3, 100, "mm")
    if layout == "one row":
        lands = _row("left", pins, 1, pitch=pitch_mm, apart=0.0, long=long, wide=wide, joint=joint)
    elif layout == "two ends":
        _needs(pins == 2, "two ends are two lands; write 2")
        lands = [
            Land(
                pin=pin,
                x_mm=sign * apart_mm / 2,
                y_mm=0.0,
                size_x_mm=long,
                size_y_mm=wide,
                kind=joint,
            )
            for pin, sign in (("1", -1), ("2", 1))
        ]
    elif layout == "two rows":
        _needs(pins % 2 == 0, "two rows need an even number of pins")
        half = pins // 2
        lands = [
            *_row(
                "left", half, 1, pitch=pitch_mm, apart=apart_mm, long=long, wide=wide, joint=joint
            ),
            *_row(
                "right",
                half,
                half + 1,
                pitch=pitch_mm,
                apart=apart_mm,
                long=long,
                wide=wide,
                joint=joint,
            ),
        ]
    elif layout == "four rows":
        _needs(pins % 4 == 0, "four rows need a number of pins that four divides")
        side = pins // 4
        lands = [
            land
            for number, where in enumerate(("left", "bottom", "right", "top"))
            for land in _row(
                where,
                side,
                number * side + 1,
                pitch=pitch_mm,
                apart=apart_mm,
                long=long,
                wide=wide,
                joint=joint,
            )
        ]
    elif layout == "grid":
        edge = round(pins**0.5)
        _needs(edge * edge == pins, "a grid is square here: 9, 16, 25 … lands")
        lands = [
            Land(
                pin=f"{_LETTERS[row]}{column + 1}",
                x_mm=(column - (edge - 1) / 2) * pitch_mm,
                y_mm=((edge - 1) / 2 - row) * pitch_mm,
                size_x_mm=long,
                size_y_mm=long,
                kind=joint,
            )
            for row in range(edge)
            for column in range(edge)
        ]
    else:
        raise InvalidValue("layout", f"{layout[:20]!r} is none of {', '.join(LAYOUTS)}")
    if thermal_mm is not None:
        x, y = (in_range("thermal", one, 0.2, 80, "mm") for one in thermal_mm)
        lands.append(
            Land(
                pin=str(pins + 1),
                x_mm=0.0,
                y_mm=0.0,
                size_x_mm=x,
                size_y_mm=y,
                kind=JointKind.THERMAL_PAD,
            )
        )
    return tuple(lands)


_LETTERS = [
    *"ABCDEFGHJKLMNPRTUVWY",
    *(f"A{letter}" for letter in "ABCDEFGHJKLMNPRTUVWY"),
]


def _needs(holds: bool, said: str) -> None:
    if not holds:
        raise InvalidValue("pins", said)


def _row(
    where: str,
    count: int,
    first: int,
    pitch: float,
    apart: float,
    long: float,
    wide: float,
    joint: JointKind,
) -> list[Land]:
    """A row of lands on one side, in counting order."""
    lands = []
    for number in range(count):
        along = ((count - 1) / 2 - number) * pitch
        x, y = {
            "left": (-apart / 2, along),
            "bottom": (-along, -apart / 2),
            "right": (apart / 2, -along),
            "top": (along, apart / 2),
        }[where]
        across = (long, wide) if where in ("left", "right") else (wide, long)
        lands.append(
            Land(
                pin=str(first + number),
                x_mm=x,
                y_mm=y,
                size_x_mm=across[0],
                size_y_mm=across[1],
                kind=joint,
            )
        )
    return lands
