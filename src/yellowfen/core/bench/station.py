"""What stands on the bench: hot-air stations, plates, ovens, preheaters and irons in their owner's
words.
"""

import math
from dataclasses import dataclass, replace
from enum import StrEnum

from yellowfen.core.heat.source import HotAir, HotPlate, Iron, Oven, Preheater
from yellowfen.core.quantity.number import in_range
from yellowfen.core.source.mark import Mark, constant
from yellowfen.errors import InvalidValue

USUAL_MOST_LPM = constant(
    "station_most_air",
    110.0,
    "L/min",
    mark=Mark.FROM_MEMORY,
    source="usual hand stations name 100 to 120 at most",
    affects="air of a station known by its dial",
)
MOST_LOG_SD = constant(
    "doubt_most_air",
    0.3,
    "log",
    mark=Mark.FROM_MEMORY,
    source="a maximum that is not known",
    affects="bands of a station known by its dial",
)
DIAL_LOG_SD = constant(
    "doubt_dial",
    0.2,
    "log",
    mark=Mark.FROM_MEMORY,
    source="air in proportion to the dial's share",
    affects="bands of a station known by its dial",
)
UNKNOWN_AIR_LPM = constant(
    "station_air_unknown",
    50.0,
    "L/min",
    mark=Mark.FROM_MEMORY,
    source="the middle of what hand stations are used at",
    affects="air of a station nothing is known of",
)
UNKNOWN_AIR_LOG_SD = constant(
    "doubt_air_unknown",
    0.6,
    "log",
    mark=Mark.FROM_MEMORY,
    source="15 to 165 L/min in two deviations",
    affects="bands of a station of unknown air",
)
UNKNOWN_OUTLET_C = constant(
    "station_outlet_unknown",
    350.0,
    "°C",
    mark=Mark.FROM_MEMORY,
    source="a usual setting of hand stations",
    affects="outlet of a station whose dial shows no °C",
)
UNKNOWN_OUTLET_SD_K = constant(
    "doubt_outlet_unknown",
    60.0,
    "K",
    mark=Mark.FROM_MEMORY,
    source="230 to 470 °C in two deviations",
    affects="bands of a station whose dial shows no °C",
)


@dataclass(frozen=True, kw_only=True)
class Station:
    """A hot-air station of the bench in its owner's words.

    `air` is what it usually shows and blows; true outlet = display + `outlet_offset_c`.

    Its air is known as `air_share` of its dial (0..1) of `air_max_lpm` (None: not known), which
    gives the litres in `air`; or, without a share, as these litres themselves. `air_unknown` and `outlet_unknown`
    say that a figure is a guess of ours, to be believed within wide bands until it is taught.
    """

    id: int
    name: str
    air: HotAir
    outlet_label: str = ""
    flow_label: str = ""
    outlet_offset_c: float = 0.0
    air_share: float | None = None
    air_max_lpm: float | None = None
    air_unknown: bool = False
    outlet_unknown: bool = False

    @property
    def most_lpm(self) -> float:
        """What it blows at the end of its dial, L/min of free air; a usual figure where its owner
        does not know.
        """
        return USUAL_MOST_LPM if self.air_max_lpm is None else self.air_max_lpm

    @property
    def flow_log_sd(self) -> float:
        """How far its air may lie from the figure: nothing more where litres a minute were given."""
        if self.air_unknown:
            return UNKNOWN_AIR_LOG_SD
        if self.air_share is None:
            return 0.0
        return DIAL_LOG_SD if self.air_max_lpm is not None else math.hypot(DIAL_LOG_SD, MOST_LOG_SD)

    def true_air(self) -> HotAir:
        """What it truly blows where its display shows `air`."""
        return replace(self.air, outlet_c=self.air.outlet_c + self.outlet_offset_c)

    def marks_at(self, outlet_c: float, flow_lpm: float) -> tuple[str, str]:
        """Its owner's marks for a set temperature and air: a mark stands for the one it was given
        for, empty for every other.
        """
        return (
            self.outlet_label if outlet_c == self.air.outlet_c else "",
            self.flow_label if flow_lpm == self.air.flow_lpm else "",
        )

    def __post_init__(self) -> None:
        if self.air_share is not None:
            in_range("air_share", self.air_share, 0.01, 1)
        if self.air_max_lpm is not None:
            in_range("air_max_lpm", self.air_max_lpm, 1, 400, "L/min")
        if not 1 <= len(self.name.strip()) <= 60:
            raise InvalidValue("name", "give the station a name of 1 to 60 letters")
        if max(len(self.outlet_label), len(self.flow_label)) > 30:
            raise InvalidValue("dial label", "keep dial labels within 30 letters")
        in_range("outlet_offset_c", self.outlet_offset_c, -150, 150, "°C")
        self.true_air()


class ToolKind(StrEnum):
    """Heat sources of the bench beside hot-air stations."""

    PLATE = "plate"
    OVEN = "oven"
    PREHEATER = "preheater"
    IRON = "iron"


@dataclass(frozen=True)
class Tool:
    """A plate, oven, preheater or iron of the bench in its owner's words."""

    id: int
    kind: ToolKind
    name: str
    content: HotPlate | Oven | Preheater | Iron

    def __post_init__(self) -> None:
        if not 1 <= len(self.name.strip()) <= 60:
            raise InvalidValue("name", "give it a name of 1 to 60 letters")
        kinds = {
            ToolKind.PLATE: HotPlate,
            ToolKind.OVEN: Oven,
            ToolKind.PREHEATER: Preheater,
            ToolKind.IRON: Iron,
        }
        if not isinstance(self.content, kinds[self.kind]):
            raise InvalidValue("kind", f"these are not the settings of a {self.kind}")
