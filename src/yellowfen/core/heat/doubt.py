"""The uncertain inputs of a forecast, what is believed of them, and samples of them.

Laws: samples are a fixed lattice, every input's values once each at even shares, so a forecast is
the same every time.
"""

import math
from dataclasses import dataclass, replace
from functools import lru_cache
from statistics import NormalDist

import numpy as np
from numpy.typing import NDArray

from yellowfen.core.heat.jet import JET_FACTOR, JET_FACTOR_LOG_SIGMA
from yellowfen.core.heat.scene import (
    Array,
    BoardStack,
    CopperLayer,
    Held,
    Move,
    Scene,
)
from yellowfen.core.heat.source import HotAir, HotPlate, Iron, Oven, Preheater, Source
from yellowfen.core.quantity.number import in_range
from yellowfen.core.source.mark import Mark, constant

_M = Mark.FROM_MEMORY
OUTLET_SD_K = constant(
    "doubt_outlet",
    15.0,
    "K",
    mark=_M,
    source="a display that was never checked against the air",
    affects="bands before a calibration",
)
HAND_SHARE = constant(
    "doubt_height",
    0.12,
    "1",
    mark=_M,
    source="a free hand keeps its distance within about an eighth",
    affects="bands of hot air",
)
RESTED_SHARE = constant(
    "doubt_height_rested",
    0.06,
    "1",
    mark=_M,
    source="a wrist that rests halves what a free hand sways",
    affects="bands of hot air",
)
STAND_SHARE = constant(
    "doubt_height_stand",
    0.03,
    "1",
    mark=_M,
    source="a handle in a stand, its distance measured once to half a millimetre",
    affects="bands of hot air",
)
COPPER_LOG_SD = constant(
    "doubt_copper",
    0.15,
    "1",
    mark=_M,
    source="what the files do not show: inner layers, foil weight",
    affects="all bands",
)
FILM_LOG_SD = constant(
    "doubt_film",
    0.5,
    "1",
    mark=_M,
    source="board on a bare plate: 0.05 to 0.6 mm of air",
    affects="bands of hot plates",
)
PLATE_SD_K = constant(
    "doubt_plate",
    15.0,
    "K",
    mark=_M,
    source="a plate or flat-iron whose dial was never checked",
    affects="bands of hot plates",
)
OVEN_SD_K = constant(
    "doubt_oven",
    12.0,
    "K",
    mark=_M,
    source="an oven's air differs from place to place",
    affects="bands of ovens",
)
SPREAD_LOG_SD = constant(
    "doubt_spread",
    0.1,
    "1",
    mark=Mark.JUDGED,
    source="drawn copper conducts 1.0 to 1.1 times too well in the median of eight layers: only less is drawn",
    affects="all bands",
)
MAP_LOG_SD = constant(
    "doubt_copper_map",
    0.4,
    "1",
    mark=Mark.JUDGED,
    source="of the exponent where copper is a guess or a map: 1.2 to 5.5 round 2.75 on drawn patches",
    affects="all bands",
)
AIM_SD_MM = constant(
    "doubt_aim",
    1.5,
    "mm",
    mark=_M,
    source="a free hand points the nozzle within a couple of millimetres",
    affects="bands of hot air",
)
RESTED_AIM_MM = constant(
    "doubt_aim_rested",
    1.0,
    "mm",
    mark=_M,
    source="a resting hand points the nozzle within about a millimetre",
    affects="bands of hot air",
)
STAND_AIM_MM = constant(
    "doubt_aim_stand",
    0.7,
    "mm",
    mark=_M,
    source="a handle in a stand, aimed by eye at leisure from two sides",
    affects="bands of hot air",
)
ROOM_SD_K = constant(
    "doubt_room",
    2.0,
    "K",
    mark=_M,
    source="a room's temperature as people know it",
    affects="all bands",
)
BELOW_SD_K = constant(
    "doubt_below",
    15.0,
    "K",
    mark=_M,
    source="a preheater whose dial was never checked",
    affects="bands with heat from below",
)
BELOW_LOG_SD = constant(
    "doubt_below_strength",
    0.3,
    "1",
    mark=_M,
    source="how strongly warm air takes hold of an underside",
    affects="bands with heat from below",
)


@dataclass(frozen=True, kw_only=True)
class Doubts:
    """Middles and standard deviations of the uncertain inputs.

    A calibration moves the middles and narrows the rest.
    """

    jet_factor: float = JET_FACTOR
    jet_log_sd: float = JET_FACTOR_LOG_SIGMA
    outlet_sd_k: float = OUTLET_SD_K
    hand_share: float = HAND_SHARE
    copper_log_sd: float = COPPER_LOG_SD
    film_log_sd: float = FILM_LOG_SD
    plate_sd_k: float = PLATE_SD_K
    oven_sd_k: float = OVEN_SD_K
    spread_log_sd: float = SPREAD_LOG_SD
    map_log_sd: float = MAP_LOG_SD
    aim_sd_mm: float = AIM_SD_MM
    room_sd_k: float = ROOM_SD_K
    below_sd_k: float = BELOW_SD_K
    below_log_sd: float = BELOW_LOG_SD
    outlet_shift_k: float = 0.0
    film_factor: float = 1.0
    plate_shift_k: float = 0.0
    oven_shift_k: float = 0.0

    def __post_init__(self) -> None:
        in_range("doubts.jet_factor", self.jet_factor, 0.05, 5)
        for name in (
            "jet_log_sd",
            "hand_share",
            "copper_log_sd",
            "film_log_sd",
            "spread_log_sd",
            "map_log_sd",
            "below_log_sd",
        ):
            in_range(f"doubts.{name}", getattr(self, name), 0, 2)
        in_range("doubts.aim_sd_mm", self.aim_sd_mm, 0, 20, "mm")
        for name in ("outlet_sd_k", "plate_sd_k", "oven_sd_k", "room_sd_k", "below_sd_k"):
            in_range(f"doubts.{name}", getattr(self, name), 0, 100, "K")
        for name in ("outlet_shift_k", "plate_shift_k", "oven_shift_k"):
            in_range(f"doubts.{name}", getattr(self, name), -150, 150, "K")
        in_range("doubts.film_factor", self.film_factor, 0.05, 20)


def as_held(doubts: Doubts, how: Held) -> Doubts:
    """What is uncertain when the handle is held so: distance and aim no worse than that."""
    share, aim = {
        Held.FREE: (HAND_SHARE, AIM_SD_MM),
        Held.RESTED: (RESTED_SHARE, RESTED_AIM_MM),
        Held.STAND: (STAND_SHARE, STAND_AIM_MM),
    }[how]
    return replace(
        doubts, hand_share=min(doubts.hand_share, share), aim_sd_mm=min(doubts.aim_sd_mm, aim)
    )


@dataclass(frozen=True)
class Unknown:
    """One uncertain input of a scene: what it is called, and what cheap test would shrink it."""

    key: str
    name: str
    test: str


_UNKNOWNS = {
    "jet": Unknown(
        "jet",
        "how strongly your nozzle heats",
        "melt a bit of solder wire on a scrap board and tap when it melts (Bench, melt test)",
    ),
    "outlet": Unknown(
        "outlet",
        "the true outlet temperature",
        "hold a thermocouple 5 mm into the nozzle for ten seconds",
    ),
    "hand": Unknown(
        "hand",
        "how steadily the distance is kept",
        "rest your wrist, or put the handle in a stand, and choose it under Settings",
    ),
    "copper": Unknown(
        "copper",
        "copper that the files do not show",
        "enter the number of copper layers and their thickness",
    ),
    "film": Unknown(
        "film",
        "the air film between plate and board",
        "flatten the board, weigh it down, or log one heating with a thermocouple",
    ),
    "plate": Unknown(
        "plate",
        "the plate's true temperature",
        "touch it with solder wires of known melting points",
    ),
    "spread": Unknown(
        "spread",
        "how far the copper carries heat away",
        "read the board from its files, so that its copper is known as drawn",
    ),
    "aim": Unknown(
        "aim", "where the nozzle points", "aim at the part's middle and rest your wrist"
    ),
    "aim across": Unknown(
        "aim across", "where the nozzle points", "aim at the part's middle and rest your wrist"
    ),
    "room": Unknown("room", "the room's temperature", "read a thermometer beside the board"),
    "below": Unknown(
        "below",
        "the true temperature of the heat from below",
        "hold a thermocouple under the board for a minute",
    ),
    "below strength": Unknown(
        "below strength",
        "how well the heat from below couples into the board",
        "log one heating with a thermocouple on the board",
    ),
    "oven": Unknown(
        "oven", "the oven's true air and walls", "log one empty run with a thermocouple"
    ),
}


def unknowns_of(scene: Scene) -> tuple[Unknown, ...]:
    """The uncertain inputs that matter for this scene's source."""
    keys: dict[type, tuple[str, ...]] = {
        HotAir: ("jet", "outlet", "hand", "aim", "aim across", "copper", "spread", "room"),
        HotPlate: ("film", "plate", "copper", "spread", "room"),
        Oven: ("oven", "copper", "spread"),
        Iron: ("copper", "spread"),
    }
    below = ("below", "below strength") if scene.preheater is not None else ()
    return tuple(_UNKNOWNS[key] for key in (*keys[type(scene.source)], *below))


@lru_cache(maxsize=32)
def _lattice(count: int, dimensions: int) -> tuple[int, ...]:
    """Multipliers, coprime to `count`, under which the inputs hang together least; found one after
    the other.
    """
    units = [one for one in range(1, count) if math.gcd(one, count) == 1]
    if len(units) < dimensions:
        raise ValueError(
            f"{count} samples are too few for {dimensions} inputs; take a prime number of them"
        )
    steps = np.arange(count)
    columns = {one: _normal((steps * one) % count, count) for one in units}
    chosen = [1]
    while len(chosen) < dimensions:
        rest = [one for one in units if one not in chosen]
        chosen.append(
            min(
                rest,
                key=lambda one: max(abs(float(columns[one] @ columns[other])) for other in chosen),
            )
        )
    return tuple(chosen)


def _normal(places: Array | NDArray[np.int64], count: int) -> Array:
    normal = NormalDist()
    return np.array([normal.inv_cdf((place + 0.5) / count) for place in places.tolist()])


def even_draws(count: int, dimensions: int) -> Array:
    """Standard normal samples (count, dimensions), the same every time: each input takes `count`
    even shares once. Raises ValueError where `count` has too few numbers coprime to it.
    """
    steps = np.arange(count) + count // 2
    return np.column_stack(
        [_normal((steps * one) % count, count) for one in _lattice(count, dimensions)]
    )


def sampled(scene: Scene, doubts: Doubts, draw: dict[str, float]) -> Scene:
    """The scene with its uncertain inputs moved by `draw` standard deviations each."""
    spread = draw.get("spread", 0.0)
    board = _coppered(
        scene.board,
        math.exp(doubts.copper_log_sd * draw.get("copper", 0.0)),
        math.exp(-doubts.spread_log_sd * abs(spread)),
        math.exp(doubts.map_log_sd * spread),
    )
    moves = scene.moves
    if isinstance(scene.source, HotAir):
        share = math.exp(doubts.hand_share * draw.get("hand", 0.0))
        aside, across = (doubts.aim_sd_mm * draw.get(key, 0.0) for key in ("aim", "aim across"))
        moves = tuple(_held(move, share, aside, across) for move in moves)
    room = scene.ambient_c + doubts.room_sd_k * draw.get("room", 0.0)
    return replace(
        scene,
        board=board,
        source=_source(scene.source, doubts, draw),
        moves=moves,
        jet_factor=doubts.jet_factor * math.exp(doubts.jet_log_sd * draw.get("jet", 0.0)),
        preheater=_from_below(scene.preheater, doubts, draw),
        ambient_c=within(room, -10.0, 60.0),
    )


def within(value: float, low: float, high: float) -> float:
    """A value kept between two bounds."""
    return min(max(value, low), high)


def _source(source: Source, doubts: Doubts, draw: dict[str, float]) -> Source:
    """A source as hot and as close as it may truly be."""
    if isinstance(source, HotAir):
        outlet = doubts.outlet_shift_k + doubts.outlet_sd_k * draw.get("outlet", 0.0)
        return replace(source, outlet_c=within(source.outlet_c + outlet, 50.0, 600.0))
    if isinstance(source, HotPlate):
        film = doubts.film_factor * math.exp(doubts.film_log_sd * draw.get("film", 0.0))
        shift = doubts.plate_shift_k + doubts.plate_sd_k * draw.get("plate", 0.0)
        return replace(
            source,
            film_mm=within(source.film_mm * film, 0.02, 3.0),
            set_c=within(source.set_c + shift, 40.0, 450.0),
        )
    if isinstance(source, Oven):
        share = doubts.oven_shift_k + doubts.oven_sd_k * draw.get("oven", 0.0)
        curve = tuple(
            (at, air + share * _far(air), wall + share * _far(wall))
            for at, air, wall in source.curve
        )
        return replace(source, curve=curve)
    return source


def _from_below(
    heater: Preheater | None, doubts: Doubts, draw: dict[str, float]
) -> Preheater | None:
    if heater is None:
        return None
    celsius = min(max(heater.celsius + doubts.below_sd_k * draw.get("below", 0.0), 30.0), 600.0)
    strength = math.exp(doubts.below_log_sd * draw.get("below strength", 0.0))
    return replace(
        heater,
        celsius=celsius,
        air_w_m2k=min(heater.air_w_m2k * strength, 150.0),
        glow_share=min(heater.glow_share * strength, 1.0),
    )


def _far(celsius: float) -> float:
    """An oven is wrong in proportion to how hot it is: full at 220 °C."""
    return min(max((celsius - 25.0) / 195.0, 0.0), 1.2)


def _held(move: Move, share: float, aside_mm: float, across_mm: float) -> Move:
    if not move.blows:
        return move
    return replace(
        move,
        height_mm=min(max(move.height_mm * share, 1.0), 300.0),
        aside_mm=move.aside_mm + aside_mm,
        across_mm=move.across_mm + across_mm,
    )


def _coppered(board: BoardStack, thicker: float, passes: float, exponent: float) -> BoardStack:
    if thicker == passes == exponent == 1.0:
        return board
    return replace(
        board,
        copper=tuple(_doubted(foil, thicker, passes, exponent) for foil in board.copper),
        known=board.known or board,
    )


def _doubted(foil: CopperLayer, thicker: float, passes: float, exponent: float) -> CopperLayer:
    changed = replace(foil, thickness_um=min(foil.thickness_um * thicker, 500.0))
    return (
        replace(changed, passes=foil.passes * passes)
        if foil.links is not None
        else replace(changed, exponent=foil.exponent * exponent)
    )


def settled(scene: Scene, doubts: Doubts) -> Scene:
    """The scene with its uncertain inputs at their middles: what a forecast rehearses."""
    return sampled(scene, doubts, {})
