"""A job, its heat plan, its runs and what was found afterwards: the records every stage shares."""

import math
from dataclasses import dataclass, field, replace
from enum import StrEnum

from yellowfen.core.heat.scene import (
    Core,
    Deed,
    HotAir,
    HotPlate,
    Iron,
    Move,
    Oven,
    Preheater,
    ShieldKind,
    Source,
    Underside,
)
from yellowfen.core.metal.alloy import alloy_named
from yellowfen.core.quantity.number import in_range
from yellowfen.core.source.mark import Mark, constant
from yellowfen.errors import InvalidValue

USUAL_MOST_LPM = constant(
    "station_most_air",
    110.0,
    "L/min",
    Mark.FROM_MEMORY,
    "usual hand stations name 100 to 120 at most",
    "air of a station known by its dial",
)
MOST_LOG_SD = constant(
    "doubt_most_air",
    0.3,
    "log",
    Mark.FROM_MEMORY,
    "a maximum that is not known",
    "bands of a station known by its dial",
)
DIAL_LOG_SD = constant(
    "doubt_dial",
    0.2,
    "log",
    Mark.FROM_MEMORY,
    "air in proportion to the dial's share",
    "bands of a station known by its dial",
)


@dataclass(frozen=True)
class Station:
    """A hot-air station of the bench in its owner's words.

    True outlet = display + `outlet_offset_c`.

    Its air is known as `air_share` of its dial (0..1) of `air_max_lpm` (None: not known), which
    gives `flow_lpm`; or, without a share, as `flow_lpm` itself.
    """

    id: int
    name: str
    nozzle_mm: float
    outlet_c: float
    flow_lpm: float
    outlet_label: str = ""
    flow_label: str = ""
    outlet_offset_c: float = 0.0
    nozzle_long_mm: float | None = None
    air_share: float | None = None
    air_max_lpm: float | None = None

    @property
    def most_lpm(self) -> float:
        """What it blows at the end of its dial, L/min of free air; a usual figure where its owner
        does not know.
        """
        return USUAL_MOST_LPM if self.air_max_lpm is None else self.air_max_lpm

    @property
    def flow_log_sd(self) -> float:
        """How far its air may lie from the figure: nothing more where litres a minute were given."""
        if self.air_share is None:
            return 0.0
        return DIAL_LOG_SD if self.air_max_lpm is not None else math.hypot(DIAL_LOG_SD, MOST_LOG_SD)

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
        HotAir(
            self.nozzle_mm, self.outlet_c + self.outlet_offset_c, self.flow_lpm, self.nozzle_long_mm
        )


MOST_TARGETS = 400


class SourceKind(StrEnum):
    """What the Heat stage works with."""

    AIR = "air"
    PLATE = "plate"
    OVEN = "oven"


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


USUAL_OVEN = Oven(
    (
        (0.0, 25.0, 25.0),
        (90.0, 140.0, 150.0),
        (180.0, 165.0, 175.0),
        (250.0, 225.0, 245.0),
        (280.0, 225.0, 245.0),
        (400.0, 70.0, 80.0),
    ),
    12.0,
)


@dataclass(frozen=True)
class HeatPlan:
    """What a heat is set to. `outlet_c` as displayed by the station; `board_alloy` is the solder
    already on the board; `side` is the face that lies up, which is the one that is heated: moves
    are meant as it then lies before the eye. `bare_below`: the other face carries no parts yet.
    """

    alloy: str = "Sn63Pb37"
    station_id: int | None = None
    nozzle_mm: float = 6.0
    outlet_c: float = 350.0
    flow_lpm: float = 30.0
    outlet_offset_c: float = 0.0
    underside: Underside = Underside.INSULATING
    ambient_c: float = 23.0
    targets: tuple[str, ...] = ()
    moves: tuple[Move, ...] = field(default_factory=lambda: usual_moves(()))
    source: SourceKind = SourceKind.AIR
    nozzle_long_mm: float | None = None
    nozzle_turn_deg: float = 0.0
    plate: HotPlate = field(default_factory=lambda: HotPlate(230.0))
    oven: Oven = USUAL_OVEN
    tool_id: int | None = None
    preheater: Preheater | None = None
    shields: tuple[str, ...] = ()
    shield_kind: ShieldKind = ShieldKind.FOIL
    board_alloy: str | None = None
    core: Core = Core.FR4
    side: str = "top"
    bare_below: bool = False

    def __post_init__(self) -> None:
        alloy_named(self.alloy)
        if self.board_alloy is not None:
            alloy_named(self.board_alloy, "board_alloy")
        in_range("outlet_offset_c", self.outlet_offset_c, -150, 150, "°C")
        in_range("ambient_c", self.ambient_c, -10, 60, "°C")
        if self.side not in ("top", "bottom"):
            raise InvalidValue("side", "a board lies with its top or its bottom up")
        self.hot_air()
        if len(self.moves) > 20:
            raise InvalidValue(
                "moves", "more than 20 moves cannot be followed at the bench; join some"
            )
        if len(self.targets) > MOST_TARGETS:
            raise InvalidValue("targets", f"choose at most {MOST_TARGETS} parts at once")
        if len(self.shields) > 40:
            raise InvalidValue("shields", "cover at most 40 parts")

    def hot_air(self) -> HotAir:
        """The station as it truly blows."""
        return HotAir(
            self.nozzle_mm,
            self.outlet_c + self.outlet_offset_c,
            self.flow_lpm,
            self.nozzle_long_mm,
            self.nozzle_turn_deg,
        )

    def in_words(self) -> str:
        """What is set, in a few words."""
        if self.source is SourceKind.PLATE:
            return f"plate {self.plate.set_c:g} °C"
        if self.source is SourceKind.OVEN:
            return f"oven up to {max(point[1] for point in self.oven.curve):g} °C"
        shape = (
            f"{self.nozzle_mm:g}"
            if self.nozzle_long_mm is None
            else f"{self.nozzle_mm:g} × {self.nozzle_long_mm:g}"
        )
        below = f", {self.preheater.celsius:g} °C from below" if self.preheater else ""
        foil = f", {self.shield_kind} over {', '.join(self.shields)}" if self.shields else ""
        return f"{self.outlet_c:g} °C, {self.flow_lpm:g} L/min, {shape} mm nozzle{below}{foil}"

    def heat_source(self) -> Source:
        """The source of heat that the plan works with."""
        if self.source is SourceKind.PLATE:
            return self.plate
        return self.oven if self.source is SourceKind.OVEN else self.hot_air()


def usual_moves(targets: tuple[str, ...]) -> tuple[Move, ...]:
    """The recipe a new job starts with: warm from above, close in circling, away (common practice)."""
    over = targets or ("?",)
    return (
        Move(Deed.WARM, 25.0, over, 60.0, 10.0),
        Move(Deed.CLOSE, 40.0, over, 15.0, 4.0),
        Move(Deed.WITHDRAW, 45.0),
    )


class Purpose(StrEnum):
    """What a job is for."""

    BUILD = "build"
    REWORK = "rework"
    SALVAGE = "salvage"


@dataclass(frozen=True, kw_only=True)
class Piece:
    """One board of its own, marked as its owner marks it."""

    id: int
    board_id: int
    name: str


@dataclass(frozen=True, kw_only=True)
class Heat:
    """One heat of a job: its name ("" for the only one) and what it is set to."""

    id: int
    name: str
    plan: HeatPlan

    @property
    def title(self) -> str:
        return self.name or "Heat"


@dataclass(frozen=True, kw_only=True)
class Job:
    """A job on one board. `parts` are the refs it is about, () for all; `plan` is that of the heat
    being worked on; `pieces` its boards one by one, `piece_id` the one in hand (None: all alike);
    `done` the stages that are behind it.
    """

    id: int
    board_id: int
    board_name: str
    name: str
    created_at: str
    purpose: Purpose
    parts: tuple[str, ...]
    heats: tuple[Heat, ...]
    heat_id: int
    pieces: tuple[Piece, ...] = ()
    piece_id: int | None = None
    done: frozenset[str] = frozenset()

    @property
    def heat(self) -> Heat:
        """The heat being worked on."""
        return next((heat for heat in self.heats if heat.id == self.heat_id), self.heats[0])

    @property
    def plan(self) -> HeatPlan:
        return self.heat.plan

    def with_plan(self, plan: HeatPlan) -> "Job":
        """The job with its heat in hand set otherwise."""
        heats = tuple(
            replace(heat, plan=plan) if heat.id == self.heat.id else heat for heat in self.heats
        )
        return replace(self, heats=heats)

    @property
    def piece(self) -> Piece | None:
        """The board in hand, None where all are worked alike."""
        return next((piece for piece in self.pieces if piece.id == self.piece_id), None)

    def about(self, ref: str) -> bool:
        """True for a part that the job is about."""
        return not self.parts or ref in self.parts


class Verdict(StrEnum):
    """What Look found at a joint or part."""

    GOOD = "good"
    BRIDGE = "bridge"
    OPEN = "open"
    LEAN = "lean"
    BALL = "ball"
    SKEWED = "skewed"
    LIFTED_PAD = "lifted pad"
    OTHER = "other"


@dataclass(frozen=True)
class FoundMark:
    """A verdict on one joint; pin '' is the whole part."""

    ref: str
    pin: str
    verdict: Verdict


@dataclass(frozen=True)
class TargetForecast:
    """What was forecast for one target: last joint molten, and its band."""

    ref: str
    flows_s: float | None
    early_s: float | None
    late_s: float | None


@dataclass(frozen=True)
class Forecast:
    """The part of a rehearsal that a run keeps: per target, and when to stop at the latest."""

    targets: tuple[TargetForecast, ...]
    latest_s: float | None = None
    latest_why: str = ""
    model: str = ""
