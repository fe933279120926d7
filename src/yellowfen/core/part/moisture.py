"""How long a part may lie unsealed before water in its body bursts it in the heat."""

from dataclasses import dataclass

from yellowfen.core.part.package import Package


@dataclass(frozen=True)
class FloorLife:
    """A moisture class with the hours it may lie open at up to 30 °C and 60 % relative humidity;
    None: unlimited.
    """

    name: str
    hours: float | None
    bake_first: bool
    assumed: bool


# Published: IPC/JEDEC J-STD-033, floor life at ≤ 30 °C, 60 % RH.
FLOOR_LIFE_H: dict[str, float | None] = {
    "1": None,
    "2": 8760.0,
    "2a": 672.0,
    "3": 168.0,
    "4": 72.0,
    "5": 48.0,
    "5a": 24.0,
    "6": 0.0,
}
_DRY = (
    "chip",
    "chip array",
    "can",
    "inductor",
    "crystal",
    "tantalum",
    "connector",
    "USB socket",
    "flat-cable connector",
    "switch",
    "diode",
)
USUAL_CLASS = "3"


def floor_life_of(package: Package) -> FloorLife | None:
    """How long a part may lie open; None for bodies that water does not burst.

    A moulded body whose class nobody gave is taken as class 3 (common practice: most are) and the
    answer says `assumed`.
    """
    if package.moisture:
        return FloorLife(
            package.moisture, FLOOR_LIFE_H[package.moisture], package.moisture == "6", False
        )
    if package.family in _DRY or (package.family == "own" and package.limit_why == "ceramic body"):
        return None
    return FloorLife(USUAL_CLASS, FLOOR_LIFE_H[USUAL_CLASS], False, True)
