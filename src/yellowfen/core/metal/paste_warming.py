"""How long a jar or syringe of paste takes to come to the room's temperature: a short cylinder in
still air.

Model: conduction in the paste, air and radiation outside, the wall as a resistance and as added
heat; the product of the series solutions of a long cylinder and of a plate (Incropera & DeWitt,
transient conduction). Laws: a small one is lumped, exp(-t/τ); the middle lags the outside; closer
to the room never sooner.
"""

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache

from yellowfen.core.metal.alloy import SOLDER_CP_J_KGK
from yellowfen.core.metal.paste import Paste
from yellowfen.core.quantity.number import in_range
from yellowfen.core.quantity.units import MINUTES, with_unit
from yellowfen.core.source.mark import Mark, constant
from yellowfen.errors import InvalidValue

GLOW_W_M2K = constant(
    "container_glow",
    5.5,
    "W/m²·K",
    mark=Mark.FROM_MEMORY,
    source="radiation at room temperature, emissivity 0.95",
    affects="warm-up of paste",
)
AIR_UPRIGHT = constant(
    "still_air_upright",
    1.42,
    "W/m²K·(m/K)^¼",
    mark=Mark.FROM_MEMORY,
    source="Holman, simplified equations for air, upright cylinder (from memory)",
    affects="warm-up of paste",
)
AIR_LYING = constant(
    "still_air_lying",
    1.32,
    "W/m²K·(m/K)^¼",
    mark=Mark.FROM_MEMORY,
    source="Holman, simplified equations for air, lying cylinder (from memory)",
    affects="warm-up of paste",
)
MEAN_K = 8.0  # between container and room while it counts; a quarter power, so it matters little
PASTE_W_MK = constant(
    "paste_conductivity",
    1.5,
    "W/m·K",
    mark=Mark.FROM_MEMORY,
    source="half metal balls in flux: 1 to 4",
    affects="warm-up of paste",
)
VEHICLE_J_KGK = constant(
    "vehicle_specific_heat",
    2000.0,
    "J/kg·K",
    mark=Mark.FROM_MEMORY,
    source="rosin and solvents",
    affects="warm-up of paste",
)
PLASTIC_J_KGK = constant(
    "plastic_specific_heat",
    1900.0,
    "J/kg·K",
    mark=Mark.FROM_MEMORY,
    source="polypropylene",
    affects="warm-up of paste",
)
PLASTIC_W_MK = constant(
    "plastic_conductivity",
    0.2,
    "W/m·K",
    mark=Mark.FROM_MEMORY,
    source="polypropylene",
    affects="warm-up of paste",
)
USUAL_RULE_H = constant(
    "makers_warm_up",
    4.0,
    "h",
    mark=Mark.COMMON_PRACTICE,
    source="makers of paste say four hours and more, whatever the size",
    affects="warm-up of paste",
)
_TERMS = 8
# Inner diameter (mm) of syringe barrels by capacity up to (cm³) [from memory].
_BARRELS = ((3, 8.7), (5, 12.4), (10, 15.9), (30, 22.5), (1e9, 26.0))


@dataclass(frozen=True, kw_only=True)
class Container:
    """Paste as a cylinder in a plastic wall: inner diameter and filled height (mm), paste and wall
    mass (g), wall thickness (mm).

    A `standing` one passes no heat through its bottom; another lies, free on all sides.
    """

    diameter_mm: float
    height_mm: float
    paste_g: float
    wall_mm: float
    wall_g: float
    standing: bool = False

    def __post_init__(self) -> None:
        in_range("diameter_mm", self.diameter_mm, 3, 300, "mm")
        in_range("height_mm", self.height_mm, 2, 600, "mm")
        in_range("paste_g", self.paste_g, 0.2, 10_000, "g")
        in_range("wall_mm", self.wall_mm, 0, 20, "mm")
        in_range("wall_g", self.wall_g, 0, 5000, "g")


def container_of(kind: str, grams: float, paste: Paste) -> Container:
    """The usual container of so much paste: a jar about as high as wide, a syringe, a cartridge.

    Raises InvalidValue for other kinds.
    """
    in_range("grams", grams, 0.5, 5000, "g")
    volume = grams / paste.density_g_cm3 * 1000  # mm³
    if kind == "jar":
        diameter, wall = (4 * volume / (math.pi * 0.8)) ** (1 / 3), 2.0
    elif kind in ("syringe", "cartridge"):
        diameter, wall = (
            next(width for capacity, width in _BARRELS if volume / 1000 <= capacity),
            1.2,
        )
    else:
        raise InvalidValue("container", f"{kind[:20]!r} is not a jar, syringe or cartridge")
    height = volume / (math.pi / 4 * diameter**2)
    area = math.pi * diameter * height + math.pi / 2 * diameter**2
    return Container(
        diameter_mm=diameter,
        height_mm=height,
        paste_g=grams,
        wall_mm=wall,
        wall_g=area * wall * 0.9e-3,
        standing=kind == "jar",
    )


def heat_j_k(container: Container, paste: Paste) -> float:
    """Heat capacity of paste and wall, J/K."""
    per_kg = paste.metal_share * SOLDER_CP_J_KGK + (1 - paste.metal_share) * VEHICLE_J_KGK
    return 1e-3 * (container.paste_g * per_kg + container.wall_g * PLASTIC_J_KGK)


def outside_w_m2k(container: Container) -> float:
    """From paste to room through wall, air and radiation, W/m²K."""
    if container.standing:
        air = AIR_UPRIGHT * (MEAN_K / (container.height_mm * 1e-3)) ** 0.25
    else:
        air = AIR_LYING * (MEAN_K / (container.diameter_mm * 1e-3)) ** 0.25
    return 1.0 / (1.0 / (float(air) + GLOW_W_M2K) + container.wall_mm * 1e-3 / PLASTIC_W_MK)


def time_constant_s(container: Container, paste: Paste) -> float:
    """Of the lumped body: heat capacity over what its free faces pass."""
    d, h = container.diameter_mm * 1e-3, container.height_mm * 1e-3
    return heat_j_k(container, paste) / (
        outside_w_m2k(container)
        * (math.pi * d * h + math.pi / 4 * d**2 * (1 if container.standing else 2))
    )


def cold_left(container: Container, paste: Paste, seconds: float) -> float:
    """Share of the first difference to the room that the coldest spot still has (1 at first, 0 in
    the end): the middle, or the bottom's.
    """
    in_range("seconds", seconds, 0, 1e7, "s")
    radius, half = (
        container.diameter_mm * 0.5e-3,
        container.height_mm * (1e-3 if container.standing else 0.5e-3),
    )
    volume = math.pi * radius**2 * container.height_mm * 1e-3
    diffusivity = PASTE_W_MK * volume / heat_j_k(container, paste)
    h = outside_w_m2k(container)
    wide, flat = diffusivity * seconds / radius**2, diffusivity * seconds / half**2
    return min(
        1.0,
        cylinder_middle(h * radius / PASTE_W_MK, wide) * plate_middle(h * half / PASTE_W_MK, flat),
    )


def seconds_until(container: Container, paste: Paste, share: float) -> float:
    """When the middle has only that share (0.001 to 0.999) of the first difference left."""
    in_range("share", share, 0.001, 0.999)
    low, high = 0.0, 20 * time_constant_s(container, paste)
    for _ in range(50):
        middle = (low + high) / 2
        low, high = (middle, high) if cold_left(container, paste, middle) > share else (low, middle)
    return high


@dataclass(frozen=True, kw_only=True)
class WarmUp:
    """Hours out of the cold: until the middle is within `within_k` of the room, until nothing in it
    is below the dew point (plus 1 K), and the makers' rule.
    """

    near_h: float
    within_k: float
    dry_h: float
    dew_c: float
    rule_h: float = USUAL_RULE_H

    @property
    def words(self) -> str:
        """How long it stands closed, as every page says it."""
        if not math.isfinite(self.open_h):
            return "the room's dew point is too close: dew would form whenever it is opened"
        taken = (
            f"{self.open_h:.1f} h"
            if self.open_h >= 1
            else f"{with_unit(60 * self.open_h, MINUTES, 0)}"
        )
        return (
            f"closed, {taken} out of the fridge by its size (makers of paste say {self.rule_h:g} h)"
        )

    @property
    def open_h(self) -> float:
        """When it may be opened by the model: warm enough to print and too warm to draw dew."""
        return max(self.near_h, self.dry_h)


def warm_up(
    container: Container,
    paste: Paste,
    fridge_c: float,
    room_c: float,
    dew_c: float,
    within_k: float = 1.5,
) -> WarmUp:
    """How long a container needs from a fridge of that temperature.

    Raises InvalidValue when the room is not warmer.
    """
    in_range("fridge_c", fridge_c, -20, 25, "°C")
    in_range("room_c", room_c, 5, 45, "°C")
    in_range("within_k", within_k, 0.1, 10, "K")
    cold = room_c - fridge_c
    if cold <= within_k:
        raise InvalidValue(
            "fridge_c", "the paste is at room temperature already; nothing to wait for"
        )
    near = seconds_until(container, paste, within_k / cold) / 3600
    left = (room_c - (dew_c + 1.0)) / cold
    dry = (
        0.0
        if left >= 1
        else math.inf
        if left <= 0.001
        else seconds_until(container, paste, left) / 3600
    )
    return WarmUp(near_h=near, within_k=within_k, dry_h=dry, dew_c=dew_c)


# The two series. Middle temperature of a long cylinder and of a plate over Biot and Fourier number.
def cylinder_middle(biot: float, fourier: float) -> float:
    """Share left at the axis of a long cylinder (Biot by its radius)."""
    total = 0.0
    for root in _cylinder_roots(biot):
        j0, j1 = bessel(0, root), bessel(1, root)
        total += 2 / root * j1 / (j0**2 + j1**2) * math.exp(-(root**2) * fourier)
    return min(1.0, total) if fourier > 0 else 1.0


def plate_middle(biot: float, fourier: float) -> float:
    """Share left in the middle of a plate (Biot by its half thickness)."""
    total = 0.0
    for root in _plate_roots(biot):
        total += (
            4 * math.sin(root) / (2 * root + math.sin(2 * root)) * math.exp(-(root**2) * fourier)
        )
    return min(1.0, total) if fourier > 0 else 1.0


def bessel(order: int, x: float) -> float:
    """J of an order by Bessel's own integral; exact to rounding up to x = 30, since the rule
    converges exponentially.
    """
    count = 64
    return (
        sum(
            math.cos(order * angle - x * math.sin(angle))
            for angle in (math.pi * (k + 0.5) / count for k in range(count))
        )
        / count
    )


@lru_cache(maxsize=64)
def _cylinder_roots(biot: float) -> tuple[float, ...]:
    """Roots of ζ·J1(ζ) = Bi·J0(ζ): one between each zero of J1 and the next of J0."""

    def zero_there(x: float) -> float:
        return x * bessel(1, x) - biot * bessel(0, x)

    roots = []
    for k in range(_TERMS):
        low = 1e-9 if k == 0 else _zero(1, (k + 0.25) * math.pi)
        high = _zero(0, (k + 0.75) * math.pi)
        roots.append(_bisected(zero_there, low, high))
    return tuple(roots)


def _zero(order: int, guess: float) -> float:
    """The zero of a Bessel function next to a guess."""
    low, high = guess - 0.5, guess + 0.5
    sign = math.copysign(1.0, bessel(order, high))
    return _bisected(lambda x: sign * bessel(order, x), low, high)


@lru_cache(maxsize=64)
def _plate_roots(biot: float) -> tuple[float, ...]:
    """Roots of ζ·tan ζ = Bi."""

    def zero_there(x: float) -> float:
        return x * math.sin(x) - biot * math.cos(x)

    edges = [(k * math.pi + 1e-12, (k + 0.5) * math.pi) for k in range(_TERMS)]
    return tuple(_bisected(zero_there, low, high) for low, high in edges)


def _bisected(function: Callable[[float], float], low: float, high: float) -> float:
    """The zero between two places of different sign."""
    rises = function(high) > 0
    for _ in range(48):
        middle = (low + high) / 2
        low, high = (low, middle) if (function(middle) > 0) is rises else (middle, high)
    return (low + high) / 2
