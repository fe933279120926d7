"""How sure: the uncertain inputs of a forecast, samples of them, and the bands and blame that
follow.

Laws: samples are a fixed lattice, every input's values once each at even shares, so a forecast is
the same every time; a band is the middle 80 % of what could happen, between the samples at 0.1 and
0.9 of n + 1 places; the share of an input in the spread of a melt time is its squared correlation.
"""

import math
from collections import Counter
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from statistics import NormalDist

import numpy as np
from numpy.typing import NDArray

from yellowfen.core.heat import kernel_tables as k
from yellowfen.core.heat.follow import follow, is_tour, resolution_for
from yellowfen.core.heat.jet import JET_FACTOR, JET_FACTOR_LOG_SIGMA
from yellowfen.core.heat.outcome import (
    Watch,
    after_heat,
    harms,
    heating_moves,
    loose_s,
    outcome,
    watch,
)
from yellowfen.core.heat.rehearsal import (
    COARSE,
    HeatState,
    Prepared,
    Rehearsal,
    Resolution,
    Trace,
    advance,
    first_state,
    prepare,
)
from yellowfen.core.heat.scene import (
    Array,
    BoardStack,
    CopperLayer,
    Held,
    Move,
    Scene,
    near_the_heat,
)
from yellowfen.core.heat.source import HotAir, HotPlate, Iron, Oven, Preheater
from yellowfen.core.heat.story import FLUX_THINS_C, all_molten_s
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
LOW, HIGH = 0.1, 0.9
SAMPLES, MORE_SAMPLES = 23, 97
DRAWN_OUT_S = 90.0
DOUBT_RESOLUTION = replace(COARSE, part_step_s=0.12, nozzle_step_mm=3.0)


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
        "how strongly your nozzle blows heat",
        "melt a bit of solder wire on a scrap board and tap when it flows (Bench, melt test)",
    ),
    "outlet": Unknown(
        "outlet",
        "the true outlet temperature",
        "hold a thermocouple 5 mm into the nozzle for ten seconds",
    ),
    "hand": Unknown(
        "hand",
        "how steadily the distance is kept",
        "rest your wrist, or put the handle in a stand, and say so under Set on the bench",
    ),
    "copper": Unknown(
        "copper",
        "copper that the files do not show",
        "tell the number of copper layers and the foil weight",
    ),
    "film": Unknown(
        "film",
        "the air film between plate and board",
        "flatten the board, weigh it down, or log one warm-up with a thermocouple",
    ),
    "plate": Unknown(
        "plate", "the plate's true temperature", "touch solder wires of known melting points to it"
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
        "how strongly the heat from below takes hold",
        "log one warm-up with a thermocouple on the board",
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
    source = scene.source
    spread = draw.get("spread", 0.0)
    board = _coppered(
        scene.board,
        math.exp(doubts.copper_log_sd * draw.get("copper", 0.0)),
        math.exp(-doubts.spread_log_sd * abs(spread)),
        math.exp(doubts.map_log_sd * spread),
    )
    factor = doubts.jet_factor * math.exp(doubts.jet_log_sd * draw.get("jet", 0.0))
    moves = scene.moves
    if isinstance(source, HotAir):
        outlet = min(
            max(
                source.outlet_c
                + doubts.outlet_shift_k
                + doubts.outlet_sd_k * draw.get("outlet", 0.0),
                50.0,
            ),
            600.0,
        )
        source = replace(source, outlet_c=outlet)
        aim = (
            doubts.aim_sd_mm * draw.get("aim", 0.0),
            doubts.aim_sd_mm * draw.get("aim across", 0.0),
        )
        moves = tuple(
            _held(move, math.exp(doubts.hand_share * draw.get("hand", 0.0)), *aim) for move in moves
        )
    elif isinstance(source, HotPlate):
        film = min(
            max(
                source.film_mm
                * doubts.film_factor
                * math.exp(doubts.film_log_sd * draw.get("film", 0.0)),
                0.02,
            ),
            3.0,
        )
        shift = doubts.plate_shift_k + doubts.plate_sd_k * draw.get("plate", 0.0)
        start = None if source.start_c is None else source.start_c
        source = replace(
            source, film_mm=film, set_c=min(max(source.set_c + shift, 40.0), 450.0), start_c=start
        )
    elif isinstance(source, Oven):
        share = doubts.oven_shift_k + doubts.oven_sd_k * draw.get("oven", 0.0)
        source = replace(
            source,
            curve=tuple(
                (at, air + share * _far(air), wall + share * _far(wall))
                for at, air, wall in source.curve
            ),
        )
    room = min(max(scene.ambient_c + doubts.room_sd_k * draw.get("room", 0.0), -10.0), 60.0)
    return replace(
        scene,
        board=board,
        source=source,
        moves=moves,
        jet_factor=factor,
        preheater=_from_below(scene.preheater, doubts, draw),
        ambient_c=room,
    )


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


@dataclass(frozen=True)
class Band:
    """The middle 80 % of an answer over the samples; None where it lies beyond what was run."""

    low: float | None
    middle: float | None
    high: float | None

    def holding(self, told: float | None) -> "Band":
        """The band that is told with a value of its own: never beside it."""
        if told is None:
            return self
        low = told if self.low is None else min(self.low, told)
        return Band(low, self.middle, None if self.high is None else max(self.high, told))


@dataclass(frozen=True)
class Blame:
    """How much of the spread of the last melt one unknown makes, 0..1."""

    unknown: Unknown
    share: float


@dataclass(frozen=True, kw_only=True)
class Stay:
    """One heating move of a tour as it was followed: when it began, how long it took, when in it, or
    had it gone on, it did its first harm (None: no harm in sight).
    """

    began_s: float
    took_s: float
    harm_s: float | None
    harm_why: str


@dataclass(frozen=True, kw_only=True)
class Sample:
    """One sampled run: its draw, when each target's last joint melted, the first harm if the heat
    went on (of a tour: as it was followed), the fate of the recipe as it is. Of a tour also its
    `stays`, one a heating move.

    `moments` per target: its flux thins, its first joint begins to melt, its last joint is solid
    again; `bodies_c` the peaks of its body. `each_loose_s`, `each_limit_s` per part of the scene,
    the heat going on: when it is loose (None for targets), when it passes its limit.
    """

    draw: tuple[float, ...]
    melts_s: tuple[float | None, ...]
    harm_s: float | None
    harm_why: str
    fate: str
    fate_by: str
    peak_c: float
    moments: tuple[tuple[float | None, float | None, float | None], ...]
    bodies_c: tuple[float, ...]
    loose_s: float | None
    each_loose_s: tuple[float | None, ...]
    each_limit_s: tuple[float | None, ...]
    stays: tuple[Stay, ...] = ()


@dataclass(frozen=True)
class PartBands:
    """One part: when it comes loose as a neighbour, when its body passes its limit, the heat going
    on.
    """

    ref: str
    loose: Band
    limit: Band


@dataclass(frozen=True, kw_only=True)
class StayBand:
    """One heating move of a tour: how long it takes; when one that has not flowed is to be left
    (`watched_stop`; None: staying until it flows does no harm), and why.
    """

    took: Band
    latest_s: float | None
    latest_why: str


@dataclass(frozen=True, kw_only=True)
class Sureness:
    """Bands per target and for the first harm, the odds of each fate (share of samples, of
    `count`), and who is to blame; of a tour also its heating moves. `samples` are what it was read
    off.
    """

    targets: tuple[str, ...]
    melts: tuple[Band, ...]
    harm: Band
    harm_why: str
    fates: dict[str, int]
    count: int
    blame: tuple[Blame, ...]
    peak_c: Band
    bodies: tuple[Band, ...]
    loose: Band
    parts: tuple[PartBands, ...]
    stays: tuple[StayBand, ...] = ()
    samples: tuple[Sample, ...] = ()

    @property
    def total(self) -> Band:
        """How long a tour takes in all."""
        totals = [float(sum(stay.took_s for stay in one.stays)) for one in self.samples]
        return band_of([*totals]) if self.stays else Band(None, None, None)


def one_sample(
    scene: Scene,
    doubts: Doubts,
    draw: dict[str, float],
    resolution: Resolution = DOUBT_RESOLUTION,
    ready: Prepared | None = None,
    *,
    by_eye: bool = False,
    look_on: bool = True,
) -> Sample:
    """Run one sampled scene to the end of its heat, branch its end, then let the heat go on for the
    harms. A tour is followed by eye, stop by stop, and each stop longer for its harms where
    `look_on`; anything else where that is wished.
    """
    here = sampled(scene, doubts, draw)
    prepared = prepare(here, resolution) if ready is None else replace(ready, scene=here)
    if by_eye or is_tour(here.moves):
        return _followed(prepared, here, draw, look_on)
    moves = heating_moves(here)
    heat = replace(here, moves=moves)
    state = first_state(prepared, prepared.drive(heat))
    trace = advance(prepared, state, prepared.drive(heat))
    seen = watch(prepared)
    cooled = after_heat(prepared, state, to_solid=True) if len(moves) < len(here.moves) else state
    end = outcome(seen, cooled)
    bodies = tuple(
        float(cooled.body_record[prepared.network.refs.index(ref), k.R_BODY_PEAK]) + here.ambient_c
        for ref in here.targets
    )
    longer = replace(moves[-1], seconds=DRAWN_OUT_S, from_s=moves[-1].seconds)
    advance(prepared, state, prepared.drive(replace(here, moves=(longer,))), sampled=False)
    moments = tuple(_moments(prepared, trace, state, cooled, ref) for ref in here.targets)
    harm_s, why = first_harm(prepared, state)
    melts = tuple(last_melt_s(prepared, state, ref) for ref in here.targets)
    each_loose_s, each_limit_s = _each(here, seen, state)
    return Sample(
        draw=tuple(draw.values()),
        melts_s=melts,
        harm_s=harm_s,
        harm_why=why,
        fate=str(end.fate),
        fate_by=end.by,
        peak_c=end.peak_c,
        moments=moments,
        bodies_c=bodies,
        loose_s=_first_loose(seen, state),
        each_loose_s=each_loose_s,
        each_limit_s=each_limit_s,
    )


def _followed(prepared: Prepared, scene: Scene, draw: dict[str, float], look_on: bool) -> Sample:
    """A sampled tour, followed by eye."""
    prepared = replace(prepared, scene=scene)
    done = follow(prepared, scene, heating_moves(scene), sampled=True, look_on=look_on)
    seen = watch(prepared)
    cooled = after_heat(prepared, done.state, to_solid=True)
    end = outcome(seen, cooled)
    found = harms(seen, cooled)
    trace = _one_trace(done.traces)
    bodies = (
        float(cooled.body_record[prepared.network.refs.index(ref), k.R_BODY_PEAK])
        for ref in scene.targets
    )
    stays = zip(done.began_s, done.took_s, done.harm_s, done.harm_why, strict=True)
    each_loose_s, each_limit_s = _each(scene, seen, cooled)
    return Sample(
        draw=tuple(draw.values()),
        melts_s=tuple(last_melt_s(prepared, cooled, ref) for ref in scene.targets),
        harm_s=found[0].at_s if found else None,
        harm_why=found[0].whole if found else "",
        fate=str(end.fate),
        fate_by=end.by,
        peak_c=end.peak_c,
        moments=tuple(_moments(prepared, trace, cooled, cooled, ref) for ref in scene.targets),
        bodies_c=tuple(body + scene.ambient_c for body in bodies),
        loose_s=_first_loose(seen, cooled),
        each_loose_s=each_loose_s,
        each_limit_s=each_limit_s,
        stays=tuple(
            Stay(began_s=began, took_s=took, harm_s=harm, harm_why=why)
            for began, took, harm, why in stays
        ),
    )


def _one_trace(traces: tuple[Trace, ...]) -> Trace:
    """Traces one after the other as one."""
    return replace(
        traces[0],
        times_s=np.concatenate([one.times_s for one in traces]),
        joints_k=np.concatenate([one.joints_k for one in traces]),
    )


def _each(
    scene: Scene, seen: Watch, state: HeatState
) -> tuple[tuple[float | None, ...], tuple[float | None, ...]]:
    """Per part: when it has come loose as a neighbour, when its body passes its limit."""
    loose = loose_s(seen, state)
    passed = [float(at) if at >= 0 else None for at in state.body_record[:, k.R_LIMIT_AT]]
    return tuple(loose.get(part.ref) for part in scene.parts), tuple(passed)


def _first_loose(seen: Watch, state: HeatState) -> float | None:
    """When the first neighbour has come loose, the heat going on; one that falls is harm and not
    counted here.
    """
    moments = (at for ref, at in loose_s(seen, state).items() if ref not in seen.falling)
    return min(moments, default=None)


def _moments(
    prepared: Prepared, trace: Trace, heated: HeatState, cooled: HeatState, ref: str
) -> tuple[float | None, float | None, float | None]:
    """When a target's flux thins, its first joint begins to melt, and its last joint is solid
    again.
    """
    rows = [i for i, name in enumerate(prepared.network.names) if name.ref == ref]
    if not rows:
        return None, None, None
    warm = (
        trace.joints_k[:, rows].max(axis=1, initial=-1e9) >= FLUX_THINS_C - prepared.scene.ambient_c
    )
    flux = float(trace.times_s[int(np.argmax(warm))]) if warm.any() else None
    starts = [float(at) for at in heated.joint_record[rows, k.R_MELT_START] if at >= 0]
    melted = cooled.joint_record[rows, k.R_MELT_START] >= 0
    frozen = cooled.joint_record[rows, k.R_FREEZE][melted]
    solid = float(frozen.max()) if len(frozen) and (frozen >= 0).all() else None
    return flux, min(starts, default=None), solid


def last_melt_s(prepared: Prepared, state: HeatState, ref: str) -> float | None:
    """When the last joint of a part was molten; None while one is not."""
    ends = [
        state.joint_record[i, k.R_MELT_END]
        for i, name in enumerate(prepared.network.names)
        if name.ref == ref
    ]
    return None if not ends or min(ends) < 0 else float(max(ends))


def first_harm(prepared: Prepared, state: HeatState) -> tuple[float | None, str]:
    """When the first harm came in a run that went on heating, and why: limit, fall, or a target
    liquid for too long.
    """
    found = harms(watch(prepared), state)
    return (found[0].at_s, found[0].whole) if found else (None, "")


def sureness(
    scene: Scene,
    doubts: Doubts,
    fine: Rehearsal,
    count: int = MORE_SAMPLES,
    on_sample: Callable[[Sample], None] | None = None,
    begun: Sequence[Sample] = (),
) -> Sureness:
    """How sure a forecast is, as every page and command says it: parts far from a nozzle left out,
    samples tied to the forecast. `begun`: the first samples of the same question, where it was
    left.
    """
    here = near_the_heat(scene) if isinstance(scene.source, HotAir) else scene
    resolution = resolution_for(scene) if is_tour(scene.moves) else DOUBT_RESOLUTION
    return how_sure(
        here, doubts, count, resolution=resolution, on_sample=on_sample, fine=fine, begun=begun
    )


def how_sure(
    scene: Scene,
    doubts: Doubts,
    count: int = SAMPLES,
    resolution: Resolution = DOUBT_RESOLUTION,
    on_sample: Callable[[Sample], None] | None = None,
    fine: Rehearsal | None = None,
    *,
    by_eye: bool = False,
    look_on: bool = True,
    begun: Sequence[Sample] = (),
) -> Sureness:
    """Sample the scene's unknowns and read off bands, odds and blame.

    About `count` coarse rehearsals, less those of the first samples, `begun`.

    With `fine`, the forecast on the fine grid, the samples' melt times are tied to it: each is
    moved by the ratio in which the coarse grid misses the forecast in the middle.
    """
    unknowns = unknowns_of(scene)
    draws = even_draws(count, len(unknowns))
    keys = [one.key for one in unknowns]
    samples = list(begun)
    for row in draws[len(samples) :]:
        samples.append(
            one_sample(
                scene,
                doubts,
                dict(zip(keys, row.tolist(), strict=True)),
                resolution,
                by_eye=by_eye,
                look_on=look_on,
            )
        )
        if on_sample:
            on_sample(samples[-1])
    if fine is not None:
        middle = one_sample(scene, doubts, dict.fromkeys(keys, 0.0), resolution)
        samples = _tied(samples, middle, fine, scene)
    return summed_up(scene, unknowns, tuple(samples))


def fine_to_coarse(fine: float | None, coarse: float | None) -> float:
    """By what a moment of a coarse sample is moved: 0.8 to 1.25; 1 where either never came."""
    return min(max(fine / coarse, 0.8), 1.25) if fine is not None and coarse else 1.0


def _tied(samples: list[Sample], middle: Sample, fine: Rehearsal, scene: Scene) -> list[Sample]:
    """Samples with first and last melts moved by what the fine grid says of the middle one; the
    stays of a tour by its planned seconds, which come from the fine grid.
    """
    targets = scene.targets
    seconds = [move.seconds for move in heating_moves(scene)]

    joints = [fine.joints_of(ref) for ref in targets]
    firsts = [
        min((one.melt_start_s for one in mine if one.melt_start_s is not None), default=None)
        for mine in joints
    ]
    lasts = [
        fine_to_coarse(all_molten_s(mine), coarse)
        for mine, coarse in zip(joints, middle.melts_s, strict=True)
    ]
    starts = [
        fine_to_coarse(seen, moments[1])
        for seen, moments in zip(firsts, middle.moments, strict=True)
    ]
    return [
        replace(
            one,
            melts_s=tuple(at and at * share for at, share in zip(one.melts_s, lasts, strict=True)),
            moments=tuple(
                (flux, first and first * share, solid)
                for (flux, first, solid), share in zip(one.moments, starts, strict=True)
            ),
            stays=one.stays
            and tuple(
                replace(stay, took_s=stay.took_s * fine_to_coarse(planned, coarse.took_s))
                for stay, planned, coarse in zip(one.stays, seconds, middle.stays, strict=True)
            ),
        )
        for one in samples
    ]


def summed_up(scene: Scene, unknowns: tuple[Unknown, ...], samples: tuple[Sample, ...]) -> Sureness:
    """Bands, odds and blame of samples."""
    melts = tuple(
        band_of([sample.melts_s[i] for sample in samples]) for i in range(len(scene.targets))
    )
    fates: dict[str, int] = {}
    for sample in samples:
        fates[sample.fate] = fates.get(sample.fate, 0) + 1
    return Sureness(
        targets=scene.targets,
        melts=melts,
        harm=band_of([sample.harm_s for sample in samples]),
        harm_why=most_said([sample.harm_why for sample in samples]),
        fates=fates,
        count=len(samples),
        blame=_blame(unknowns, samples),
        peak_c=band_of([sample.peak_c for sample in samples]),
        bodies=tuple(
            band_of([sample.bodies_c[i] for sample in samples]) for i in range(len(scene.targets))
        ),
        loose=band_of([sample.loose_s for sample in samples]),
        parts=_part_bands(scene, samples),
        stays=_stay_bands(samples),
        samples=samples,
    )


def most_said(whys: Sequence[str]) -> str:
    """The reason named most often, of them the first in the alphabet; empty where none is."""
    named = Counter(why for why in whys if why)
    return min(named, key=lambda why: (-named[why], why), default="")


def _stay_bands(samples: tuple[Sample, ...]) -> tuple[StayBand, ...]:
    """How long each heating move of a tour takes, and until when it is safe."""
    found = []
    for place in range(len(samples[0].stays)):
        stays = [sample.stays[place] for sample in samples]
        latest = watched_stop([stay.took_s for stay in stays], [stay.harm_s for stay in stays])
        whys = [one.harm_why for one in stays if latest is not None and one.harm_s == latest]
        found.append(
            StayBand(
                took=band_of([stay.took_s for stay in stays]),
                latest_s=latest,
                latest_why=whys[0] if whys else "",
            )
        )
    return tuple(found)


def watched_stop(took_s: Sequence[float], harm_s: Sequence[float | None]) -> float | None:
    """When a stop that is watched is to be left although it has not flowed: the first moment at
    which more than a tenth of the samples that would still be there are harmed; None for never.

    Samples in which one has left before (it flowed) do not count: strong air shows itself.
    """
    for at in sorted({*took_s, *(harm for harm in harm_s if harm is not None)}):
        there = [harm for took, harm in zip(took_s, harm_s, strict=True) if took > at]
        hurt = sum(harm is not None and harm <= at for harm in there)
        if there and hurt > LOW * len(there):
            return at
    return None


def _part_bands(scene: Scene, samples: tuple[Sample, ...]) -> tuple[PartBands, ...]:
    return tuple(
        PartBands(
            part.ref,
            band_of([one.each_loose_s[i] for one in samples]),
            band_of([one.each_limit_s[i] for one in samples]),
        )
        for i, part in enumerate(scene.parts)
    )


def band_of(values: list[float | None]) -> Band:
    """Quantiles with 'never' as the latest: sample k of n stands at k / (n + 1), so that as much
    lies outside a band as it says.
    """
    ordered = np.sort(np.array([math.inf if value is None else value for value in values]))

    def at(share: float) -> float | None:
        place = min(max(share * (len(ordered) + 1) - 1.0, 0.0), len(ordered) - 1.0)
        below, above = ordered[int(place)], ordered[min(int(place) + 1, len(ordered) - 1)]
        part = place - int(place)
        value = (
            float(below)
            if part == 0.0
            else float(below + part * (above - below))
            if math.isfinite(above)
            else math.inf
        )
        return value if math.isfinite(value) else None

    return Band(at(LOW), at(0.5), at(HIGH))


def _blame(unknowns: tuple[Unknown, ...], samples: tuple[Sample, ...]) -> tuple[Blame, ...]:
    known = [
        sample
        for sample in samples
        if sample.melts_s and all(one is not None for one in sample.melts_s)
    ]
    if len(known) < 6:
        return ()
    last = np.log([max(one for one in sample.melts_s if one is not None) for sample in known])
    draws = np.array([sample.draw for sample in known])
    if float(np.ptp(last)) < 1e-6:
        return ()
    shares = np.array([np.corrcoef(draws[:, i], last)[0, 1] ** 2 for i in range(draws.shape[1])])
    shares = shares / max(float(shares.sum()), 1e-9)
    named: dict[str, Blame] = {}
    for one, share in zip(unknowns, shares.tolist(), strict=True):
        before = named.get(one.name)
        named[one.name] = (
            Blame(one, share) if before is None else Blame(before.unknown, before.share + share)
        )
    return tuple(sorted(named.values(), key=lambda one: -one.share))
