"""What a heat is set to, the recipe it starts with, and what of its forecast a run keeps."""

from dataclasses import asdict, dataclass, field, replace
from enum import StrEnum
from typing import Any

from yellowfen.core.heat.follow import is_tour, stops_of
from yellowfen.core.heat.scene import Core, Deed, Held, Move, ShieldKind, Underside
from yellowfen.core.heat.source import HotAir, HotPlate, Oven, Preheater, Source
from yellowfen.core.metal.alloy import alloy_named
from yellowfen.core.quantity.number import in_range
from yellowfen.core.quantity.units import CELSIUS, LPM, with_unit
from yellowfen.errors import InvalidValue

MOST_TARGETS, MOST_MOVES = 400, 64
USUAL_ROOM_C = 23.0  # where nobody said another


class SourceKind(StrEnum):
    """What the Heat stage works with."""

    AIR = "air"
    PLATE = "plate"
    OVEN = "oven"


class Goal(StrEnum):
    """What a heat is for: parts are soldered, or lifted off."""

    SOLDER = "solder"
    LIFT = "lift"


USUAL_AIR = HotAir(nozzle_mm=6.0, outlet_c=350.0, flow_lpm=30.0)
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


@dataclass(frozen=True, kw_only=True)
class HeatPlan:
    """What a heat is set to. `air` as the station displays it (its true outlet is
    `outlet_offset_c` more); `board_alloy` is the solder
    already on the board; `side` is the face that lies up, which is the one that is heated: moves
    are meant as it then lies before the eye. `bare_below`: the other face carries no parts yet;
    `absent`: parts that go on after this heat. `goal`: what the targets are heated for.
    """

    alloy: str = "Sn63Pb37"
    station_id: int | None = None
    air: HotAir = USUAL_AIR
    outlet_offset_c: float = 0.0
    underside: Underside = Underside.INSULATING
    ambient_c: float = USUAL_ROOM_C
    targets: tuple[str, ...] = ()
    moves: tuple[Move, ...] = field(default_factory=lambda: usual_moves(()))
    source: SourceKind = SourceKind.AIR
    plate: HotPlate = field(default_factory=lambda: HotPlate(set_c=230.0))
    oven: Oven = USUAL_OVEN
    tool_id: int | None = None
    preheater: Preheater | None = None
    shields: tuple[str, ...] = ()
    shield_kind: ShieldKind = ShieldKind.FOIL
    board_alloy: str | None = None
    core: Core = Core.FR4
    side: str = "top"
    bare_below: bool = False
    absent: tuple[str, ...] = ()
    goal: Goal = Goal.SOLDER
    held: Held = Held.FREE

    def __post_init__(self) -> None:
        alloy_named(self.alloy)
        if self.board_alloy is not None:
            alloy_named(self.board_alloy, "board_alloy")
        in_range("outlet_offset_c", self.outlet_offset_c, -150, 150, "°C")
        in_range("ambient_c", self.ambient_c, -10, 60, "°C")
        if self.side not in ("top", "bottom"):
            raise InvalidValue("side", "the board lies with its top or its bottom up")
        self.hot_air()
        if len(self.moves) > MOST_MOVES:
            raise InvalidValue(
                "moves", f"more than {MOST_MOVES} moves cannot be followed at the bench; join some"
            )
        for ref in self.targets:
            if ref in self.absent:
                raise InvalidValue(
                    "absent", f"{ref} cannot be heated and also be fitted afterwards"
                )
        if len(self.targets) > MOST_TARGETS:
            raise InvalidValue("targets", f"choose at most {MOST_TARGETS} parts at once")
        if len(self.shields) > 40:
            raise InvalidValue("shields", "shield at most 40 parts")

    @property
    def lifts(self) -> bool:
        """True where its targets are lifted off."""
        return self.goal is Goal.LIFT

    @property
    def tour(self) -> bool:
        """True where it goes over the board place by place."""
        return self.source is SourceKind.AIR and is_tour(self.moves)

    def hot_air(self) -> HotAir:
        """The station as it truly blows."""
        return replace(self.air, outlet_c=self.air.outlet_c + self.outlet_offset_c)

    def in_words(self) -> str:
        """What is set, in a few words."""
        if self.source is SourceKind.PLATE:
            return f"plate {with_unit(self.plate.set_c, CELSIUS)}"
        if self.source is SourceKind.OVEN:
            return f"oven up to {with_unit(max(point[1] for point in self.oven.curve), CELSIUS)}"
        below = (
            f", {with_unit(self.preheater.celsius, CELSIUS)} from below" if self.preheater else ""
        )
        foil = f", {self.shield_kind} over {', '.join(self.shields)}" if self.shields else ""
        return f"{with_unit(self.air.outlet_c, CELSIUS)}, {with_unit(self.air.flow_lpm, LPM)}, {self.air.nozzle_words} nozzle{below}{foil}"

    def heat_source(self) -> Source:
        """The source of heat that the plan works with."""
        if self.source is SourceKind.PLATE:
            return self.plate
        return self.oven if self.source is SourceKind.OVEN else self.hot_air()


_FLAT = ("nozzle_mm", "outlet_c", "flow_lpm", "nozzle_long_mm", "nozzle_turn_deg")


def earlier_heat_plan(plain: dict[str, Any]) -> dict[str, Any]:
    """A stored plan in today's shape: earlier ones had the air's figures beside the others. A display
    outside what air can be stands for the true outlet.
    """
    flat = {key: plain[key] for key in _FLAT if key in plain}
    if not flat:
        return plain
    kept = {key: value for key, value in plain.items() if key not in _FLAT}
    shown, offset = flat.get("outlet_c"), plain.get("outlet_offset_c")
    if not isinstance(shown, int | float) or not isinstance(offset, int | float):
        pass  # what is wrong with it is told when it is read
    elif not 50 <= shown <= 600:
        flat["outlet_c"], kept["outlet_offset_c"] = shown + offset, 0.0
    return kept | {"air": asdict(USUAL_AIR) | flat}


def usual_moves(targets: tuple[str, ...]) -> tuple[Move, ...]:
    """The recipe a new job starts with: warm from above, close in circling, away (common practice)."""
    over = targets or ("?",)
    return (
        Move(deed=Deed.WARM, seconds=25.0, over=over, height_mm=60.0, circle_mm=10.0),
        Move(deed=Deed.CLOSE, seconds=40.0, over=over, height_mm=15.0, circle_mm=4.0),
        Move(deed=Deed.WITHDRAW, seconds=45.0),
    )


def plate_moves() -> tuple[Move, ...]:
    """The recipe that a heat on a plate starts with: on it, and off to cool (common practice)."""
    return Move(deed=Deed.PLATE, seconds=90.0), Move(deed=Deed.WITHDRAW, seconds=60.0)


def aimed(moves: tuple[Move, ...], targets: tuple[str, ...]) -> tuple[Move, ...]:
    """The moves over these targets: of a tour each stop keeps its own of them (all, where none is
    left); of anything else all go over all.
    """
    if not is_tour(moves):
        return tuple(replace(move, over=targets if move.blows else ()) for move in moves)
    found = []
    for move in moves:
        over = tuple(ref for ref in move.over if ref in targets)
        awaits = tuple(ref for ref in move.awaits if ref in targets)
        if move not in stops_of(moves):
            over = targets if move.blows else ()
        found.append(
            replace(move, over=over or awaits or (targets if move.blows else ()), awaits=awaits)
        )
    return tuple(found)


@dataclass(frozen=True, kw_only=True)
class TargetForecast:
    """What was forecast for one target: last joint molten, and its band; `watch` is what comes last
    and why.
    """

    ref: str
    flows_s: float | None
    early_s: float | None
    late_s: float | None
    watch: str = ""


@dataclass(frozen=True, kw_only=True)
class StopForecast:
    """What was forecast for one stop of a tour: its parts, seconds there with their band, until
    when it is safe, what to watch.
    """

    refs: tuple[str, ...]
    seconds: float
    early_s: float | None
    late_s: float | None
    latest_s: float | None
    latest_why: str
    watch: str


@dataclass(frozen=True, kw_only=True)
class LiftForecast:
    """When a part may be lifted, s since the start: surely liquid from `opens_s` (None: never),
    harm from `closes_s` (None: none in sight), and why; the joint that comes last; neighbours that
    are liquid then.
    """

    opens_s: float | None
    closes_s: float | None
    closed_by: str
    last_pin: str
    last_why: str
    along: tuple[str, ...] = ()


@dataclass(frozen=True, kw_only=True)
class Forecast:
    """The part of a rehearsal that a run keeps: per target, when to stop at the latest, and of a
    tour its stops. `grouped`: many parts are watched as one (earlier runs have a cue for each).
    `melts`: every joint of the board that melts in it, part and pin, and how often.
    """

    targets: tuple[TargetForecast, ...]
    latest_s: float | None = None
    latest_why: str = ""
    model: str = ""
    stops: tuple[StopForecast, ...] = ()
    grouped: bool = False
    lift: LiftForecast | None = None
    melts: tuple[tuple[str, str, int], ...] = ()
