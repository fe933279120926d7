"""The sources of heat, each described once: hot air, hot plate, oven, iron, and what heats from
below.

Bench units (mm, °C, s, L/min). Ranges, names in refusals, forms, files and storage read these
records; a new property of a source is a field here, and its physics.
"""

import math
from dataclasses import dataclass
from enum import StrEnum

from yellowfen.core.heat.surface import BARE_METAL_EMISSIVITY, EMISSIVITY
from yellowfen.core.quantity.described import described, measure
from yellowfen.core.quantity.number import in_range
from yellowfen.core.quantity.units import SECONDS, with_unit
from yellowfen.core.source.mark import Mark, constant
from yellowfen.errors import InvalidValue


@described("source")
class HotAir:
    """A hot-air station: outlet temperature and free-air flow. In a scene as it truly blows, on the
    bench and in a plan as its display shows it.

    Round nozzle of diameter `nozzle_mm`, tapered to `nozzle_end_mm` where that is given; with `nozzle_long_mm` a rectangle of nozzle_mm by
    nozzle_long_mm, its long side turned `nozzle_turn_deg` anticlockwise from the board's x.
    """

    nozzle_mm: float = measure(
        "nozzle", 1, 30, "mm", asks="Nozzle", hint="inner diameter, 1 to 30", part_of="nozzle"
    )
    outlet_c: float = measure("outlet temperature", 50, 600, "°C", asks="Outlet shown")
    flow_lpm: float = measure("air", 1, 200, "L/min", asks="Air")
    nozzle_long_mm: float | None = measure(
        "the nozzle's long side",
        1,
        60,
        "mm",
        default=None,
        asks="its long side, if it is a rectangle",
        hint="empty for a round one",
        part_of="nozzle",
    )
    nozzle_turn_deg: float = measure("nozzle turn", -360, 360, "°", default=0.0)
    nozzle_end_mm: float | None = measure(
        "the nozzle's small end",
        0.5,
        30,
        "mm",
        default=None,
        asks="its small end, if it tapers",
        hint="the jet leaves there; empty for a straight one",
        part_of="nozzle",
    )

    def __post_init__(self) -> None:
        if self.nozzle_long_mm is not None:
            in_range("source.nozzle_long_mm", self.nozzle_long_mm, self.nozzle_mm, 60, "mm")
        if self.nozzle_end_mm is not None:
            in_range("source.nozzle_end_mm", self.nozzle_end_mm, 0.5, self.nozzle_mm, "mm")
            if self.nozzle_long_mm is not None:
                raise InvalidValue(
                    "source.nozzle_end_mm",
                    "a nozzle is a rectangle or tapers; leave one of the two empty",
                )

    @property
    def opening_mm2(self) -> float:
        """Area of the opening that the jet leaves by."""
        if self.nozzle_long_mm is None:
            return math.pi / 4 * self.narrow_mm**2
        return self.nozzle_mm * self.nozzle_long_mm

    @property
    def round_mm(self) -> float:
        """Diameter of the round nozzle of the same opening."""
        return math.sqrt(4.0 * self.opening_mm2 / math.pi)

    @property
    def narrow_mm(self) -> float:
        """The narrow side of that opening."""
        return self.nozzle_mm if self.nozzle_end_mm is None else self.nozzle_end_mm

    @property
    def longer(self) -> float:
        """How many times as long as wide the opening is."""
        return 1.0 if self.nozzle_long_mm is None else self.nozzle_long_mm / self.nozzle_mm

    @property
    def nozzle_words(self) -> str:
        """Its nozzle as a page says it: "6 mm", "6 × 10 mm", "10 to 4 mm"."""
        long = "" if self.nozzle_long_mm is None else f" × {self.nozzle_long_mm:g}"
        end = "" if self.nozzle_end_mm is None else f" to {self.nozzle_end_mm:g}"
        return f"{self.nozzle_mm:g}{long}{end} mm"

    def with_round(self, nozzle_mm: float) -> "HotAir":
        """The same air out of a plain round nozzle."""
        return HotAir(nozzle_mm=nozzle_mm, outlet_c=self.outlet_c, flow_lpm=self.flow_lpm)


class Control(StrEnum):
    """How a plate holds its temperature."""

    STEADY = "steady"
    THERMOSTAT = "thermostat"


@described("source")
class HotPlate:
    """A hot plate or an upturned flat-iron under the board.

    Heat flows through an air film of `film_mm`, thicker by `warp_mm` at the corners of a board
    bowed upwards. The plate has a heat capacity, a heater, a loss to the room, and either holds
    `set_c` steadily or swings by `band_k` around it.
    """

    set_c: float = measure("set temperature", 40, 450, "°C")
    film_mm: float = measure("air under the board", 0.02, 3, "mm", default=0.15)
    warp_mm: float = measure("bow at the corners", 0, 3, "mm", default=0.0)
    control: Control = Control.STEADY
    band_k: float = measure("swing", 1, 120, "K", default=30.0)
    power_w: float = measure("heater power", 20, 4000, "W", default=800.0)
    plate_heat_j_k: float = measure("plate heat", 20, 10000, "J/K", default=500.0)
    loss_w_k: float = measure("loss", 0.05, 20, "W/K", default=1.2)
    start_c: float | None = measure("start", -10, 450, "°C", default=None)
    bare_metal: bool = False

    @property
    def emissivity(self) -> float:
        """How strongly the plate's face glows, against a black one."""
        return BARE_METAL_EMISSIVITY if self.bare_metal else EMISSIVITY


@dataclass(frozen=True)
class Oven:
    """An oven as the board sees it: points (s, air °C, wall °C) joined by straight lines, and what
    a fan adds.
    """

    curve: tuple[tuple[float, float, float], ...]
    fan_w_m2k: float = 0.0

    def __post_init__(self) -> None:
        in_range("source.fan_w_m2k", self.fan_w_m2k, 0, 150, "W/m²·K")
        if not 2 <= len(self.curve) <= 500:
            raise InvalidValue(
                "source.curve", "an oven curve needs 2 to 500 points (seconds, air °C, wall °C)"
            )
        last = -math.inf
        for at, air, wall in self.curve:
            in_range("source.curve", at, 0, 3600, "s")
            in_range("source.curve", air, -10, 400, "°C")
            in_range("source.curve", wall, -10, 600, "°C")
            if not at > last:
                raise InvalidValue(
                    "source.curve",
                    f"the times must rise; {with_unit(at, SECONDS)} comes after {with_unit(last, SECONDS)}",
                )
            last = at


class TipShape(StrEnum):
    """The end of a soldering tip."""

    BEVEL = "bevel"
    CHISEL = "chisel"
    KNIFE = "knife"
    CONE = "cone"


TIP_HEAT_J_K_W = constant(
    "tip_heat_per_watt",
    0.042,
    "J/K per W",
    mark=Mark.FROM_MEMORY,
    source="a 60 W iron carries a tip of some six grams of copper, a 20 W one of two",
    affects="tip sag",
)


def usual_tip_heat_j_k(power_w: float) -> float:
    """Heat capacity of the tip that an iron of this power carries, J/K."""
    return TIP_HEAT_J_K_W * power_w


class Handle(StrEnum):
    """How a tip gets its heat: heater in the tip, or a tip slipped over the heater (slower, sags)."""

    CARTRIDGE = "cartridge"
    SLIP_ON = "slip-on"


@described("source")
class Iron:
    """A soldering iron: tip shape and width, set temperature, heater power, and the tip's own heat
    capacity.
    """

    tip_mm: float = measure("tip width", 0.2, 10, "mm")
    set_c: float = measure("set temperature", 150, 480, "°C")
    shape: TipShape = TipShape.CHISEL
    power_w: float = measure("heater power", 5, 300, "W", default=60.0)
    tip_heat_j_k: float = measure("tip heat", 0.2, 40, "J/K", default=2.5)
    handle: Handle = Handle.CARTRIDGE


Source = HotAir | HotPlate | Oven | Iron


@described("preheater")
class Preheater:
    """Heat from below while hot air works above: warm air at a strength, or a glowing surface that
    fills a share of the view.
    """

    celsius: float = measure("temperature", 30, 600, "°C")
    air_w_m2k: float = measure("air from below", 0, 150, "W/m²·K", default=25.0)
    glow_share: float = measure("glow", 0, 1, default=0.0)
