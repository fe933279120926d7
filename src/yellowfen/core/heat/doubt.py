"""How sure: the uncertain inputs of a forecast, samples of them, and the bands and blame that follow.

Laws: samples come from a fixed low-discrepancy sequence (Halton), so a forecast is the same every time; a band is the
middle 80 % of the sampled answers; the share of an input in the spread of a melt time is its squared correlation.
"""

import math
from collections.abc import Callable
from dataclasses import dataclass, replace
from statistics import NormalDist

import numpy as np

from yellowfen.core.heat import kernel_tables as k
from yellowfen.core.heat.jet import JET_FACTOR, JET_FACTOR_LOG_SIGMA
from yellowfen.core.heat.outcome import Watch, after_heat, heating_moves, outcome, watch
from yellowfen.core.heat.rehearsal import COARSE, Prepared, Resolution, State, Trace, advance, first_state, prepare
from yellowfen.core.heat.scene import Array, BoardStack, CopperLayer, HotAir, HotPlate, Iron, Move, Oven, Scene
from yellowfen.core.heat.story import FLUX_THINS_C, MAX_LIQUID_S
from yellowfen.core.quantity.number import in_range
from yellowfen.core.source.mark import Mark, constant

_M = Mark.FROM_MEMORY
OUTLET_SD_K = constant("doubt_outlet", 15.0, "K", _M, "a display that was never checked against the air", "bands before a calibration")
HAND_SHARE = constant("doubt_height", 0.12, "1", _M, "a free hand keeps its distance within about an eighth", "bands of hot air")
COPPER_LOG_SD = constant("doubt_copper", 0.15, "1", _M, "what the files do not show: inner layers, foil weight", "all bands")
FILM_LOG_SD = constant("doubt_film", 0.5, "1", _M, "board on a bare plate: 0.05 to 0.6 mm of air", "bands of hot plates")
PLATE_SD_K = constant("doubt_plate", 15.0, "K", _M, "a plate or flat-iron whose dial was never checked", "bands of hot plates")
OVEN_SD_K = constant("doubt_oven", 12.0, "K", _M, "an oven's air differs from place to place", "bands of ovens")
LOW, HIGH = 0.1, 0.9
SAMPLES = 24
DRAWN_OUT_S = 90.0
DOUBT_RESOLUTION = replace(COARSE, part_step_s=0.12, nozzle_step_mm=3.0)


@dataclass(frozen=True)
class Doubts:
    """Middles and standard deviations of the uncertain inputs. A calibration moves the middles and narrows the rest."""

    jet_factor: float = JET_FACTOR
    jet_log_sd: float = JET_FACTOR_LOG_SIGMA
    outlet_sd_k: float = OUTLET_SD_K
    hand_share: float = HAND_SHARE
    copper_log_sd: float = COPPER_LOG_SD
    film_log_sd: float = FILM_LOG_SD
    plate_sd_k: float = PLATE_SD_K
    oven_sd_k: float = OVEN_SD_K
    outlet_shift_k: float = 0.0
    film_factor: float = 1.0
    plate_shift_k: float = 0.0
    oven_shift_k: float = 0.0

    def __post_init__(self) -> None:
        in_range("doubts.jet_factor", self.jet_factor, 0.05, 5)
        for name in ("jet_log_sd", "hand_share", "copper_log_sd", "film_log_sd"):
            in_range(f"doubts.{name}", getattr(self, name), 0, 2)
        for name in ("outlet_sd_k", "plate_sd_k", "oven_sd_k"):
            in_range(f"doubts.{name}", getattr(self, name), 0, 100, "K")
        for name in ("outlet_shift_k", "plate_shift_k", "oven_shift_k"):
            in_range(f"doubts.{name}", getattr(self, name), -150, 150, "K")
        in_range("doubts.film_factor", self.film_factor, 0.05, 20)


@dataclass(frozen=True)
class Unknown:
    """One uncertain input of a scene: what it is called, and what cheap test would shrink it."""

    key: str
    name: str
    test: str


_UNKNOWNS = {
    "jet": Unknown(
        "jet", "how strongly your nozzle blows heat", "melt a bit of solder wire on a scrap board and tap when it flows (Bench, melt test)"
    ),
    "outlet": Unknown("outlet", "the true outlet temperature", "hold a thermocouple 5 mm into the nozzle for ten seconds"),
    "hand": Unknown("hand", "how steadily the distance is kept", "rest your wrist, or use a stand for the handle"),
    "copper": Unknown("copper", "copper that the files do not show", "tell the number of copper layers and the foil weight"),
    "film": Unknown(
        "film", "the air film between plate and board", "flatten the board, weigh it down, or log one warm-up with a thermocouple"
    ),
    "plate": Unknown("plate", "the plate's true temperature", "touch solder wires of known melting points to it"),
    "oven": Unknown("oven", "the oven's true air and walls", "log one empty run with a thermocouple"),
}


def unknowns_of(scene: Scene) -> tuple[Unknown, ...]:
    """The uncertain inputs that matter for this scene's source."""
    keys: dict[type, tuple[str, ...]] = {
        HotAir: ("jet", "outlet", "hand", "copper"),
        HotPlate: ("film", "plate", "copper"),
        Oven: ("oven", "copper"),
        Iron: ("copper",),
    }
    return tuple(_UNKNOWNS[key] for key in keys[type(scene.source)])


def halton(count: int, dimensions: int) -> Array:
    """Standard normal samples (count, dimensions) from a fixed low-discrepancy sequence; the first is near the middle."""
    primes = (2, 3, 5, 7, 11, 13)[:dimensions]
    normal = NormalDist()
    return np.array([[normal.inv_cdf(_radical(index, prime)) for prime in primes] for index in range(1, count + 1)])


def _radical(index: int, base: int) -> float:
    share, result = 1.0 / base, 0.0
    while index:
        index, digit = divmod(index, base)
        result += digit * share
        share /= base
    return result


def sampled(scene: Scene, doubts: Doubts, draw: dict[str, float]) -> Scene:
    """The scene with its uncertain inputs moved by `draw` standard deviations each."""
    source = scene.source
    board = _coppered(scene.board, math.exp(doubts.copper_log_sd * draw.get("copper", 0.0)))
    factor = doubts.jet_factor * math.exp(doubts.jet_log_sd * draw.get("jet", 0.0))
    moves = scene.moves
    if isinstance(source, HotAir):
        outlet = min(max(source.outlet_c + doubts.outlet_shift_k + doubts.outlet_sd_k * draw.get("outlet", 0.0), 50.0), 600.0)
        source = replace(source, outlet_c=outlet)
        moves = tuple(_held(move, math.exp(doubts.hand_share * draw.get("hand", 0.0))) for move in moves)
    elif isinstance(source, HotPlate):
        film = min(max(source.film_mm * doubts.film_factor * math.exp(doubts.film_log_sd * draw.get("film", 0.0)), 0.02), 3.0)
        shift = doubts.plate_shift_k + doubts.plate_sd_k * draw.get("plate", 0.0)
        start = None if source.start_c is None else source.start_c
        source = replace(source, film_mm=film, set_c=min(max(source.set_c + shift, 40.0), 450.0), start_c=start)
    elif isinstance(source, Oven):
        share = doubts.oven_shift_k + doubts.oven_sd_k * draw.get("oven", 0.0)
        source = replace(source, curve=tuple((at, air + share * _far(air), wall + share * _far(wall)) for at, air, wall in source.curve))
    return replace(scene, board=board, source=source, moves=moves, jet_factor=factor)


def _far(celsius: float) -> float:
    """An oven is wrong in proportion to how hot it is: full at 220 °C."""
    return min(max((celsius - 25.0) / 195.0, 0.0), 1.2)


def _held(move: Move, share: float) -> Move:
    return replace(move, height_mm=min(max(move.height_mm * share, 1.0), 300.0)) if move.blows else move


def _coppered(board: BoardStack, factor: float) -> BoardStack:
    if factor == 1.0:
        return board
    return replace(board, copper=tuple(_thicker(foil, factor) for foil in board.copper))


def _thicker(foil: CopperLayer, factor: float) -> CopperLayer:
    return replace(foil, thickness_um=min(foil.thickness_um * factor, 500.0))


def settled(scene: Scene, doubts: Doubts) -> Scene:
    """The scene with its uncertain inputs at their middles: what a forecast rehearses."""
    return sampled(scene, doubts, {})


@dataclass(frozen=True)
class Band:
    """The middle 80 % of an answer over the samples; None where it lies beyond what was run."""

    low: float | None
    middle: float | None
    high: float | None


@dataclass(frozen=True)
class Blame:
    """How much of the spread of the last melt one unknown makes, 0..1."""

    unknown: Unknown
    share: float


@dataclass(frozen=True)
class Sample:
    """One sampled run: its draw, when each target's last joint melted, the first harm if the heat went on, the fate of the recipe as it is.

    `moments` per target: its flux thins, its first joint begins to melt, its last joint is solid again; `bodies_c` the peaks of its body.
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


@dataclass(frozen=True)
class Sureness:
    """Bands per target and for the first harm, the odds of each fate (share of samples, of `count`), and who is to blame."""

    targets: tuple[str, ...]
    melts: tuple[Band, ...]
    harm: Band
    harm_why: str
    fates: dict[str, int]
    count: int
    blame: tuple[Blame, ...]
    peak_c: Band
    flux: tuple[Band, ...]
    firsts: tuple[Band, ...]
    solids: tuple[Band, ...]
    bodies: tuple[Band, ...]
    loose: Band


def one_sample(scene: Scene, doubts: Doubts, draw: dict[str, float], resolution: Resolution = DOUBT_RESOLUTION,
               ready: Prepared | None = None) -> Sample:  # fmt: skip
    """Run one sampled scene to the end of its heat, branch its end, then let the heat go on for the harms."""
    here = sampled(scene, doubts, draw)
    prepared = prepare(here, resolution) if ready is None else replace(ready, scene=here)
    moves = heating_moves(here)
    heat = replace(here, moves=moves)
    state = first_state(prepared, prepared.drive(heat))
    trace = advance(prepared, state, prepared.drive(heat))
    seen = watch(prepared)
    cooled = after_heat(prepared, state, to_solid=True) if len(moves) < len(here.moves) else state
    end = outcome(seen, cooled)
    bodies = tuple(float(cooled.body_record[prepared.network.refs.index(ref), k.R_BODY_PEAK]) + here.ambient_c for ref in here.targets)
    longer = replace(moves[-1], seconds=DRAWN_OUT_S, from_s=moves[-1].seconds)
    advance(prepared, state, prepared.drive(replace(here, moves=(longer,))), sampled=False)
    moments = tuple(_moments(prepared, trace, state, cooled, ref) for ref in here.targets)
    harm_s, why = first_harm(prepared, state)
    melts = tuple(_last_melt(prepared, state, ref) for ref in here.targets)
    return Sample(tuple(draw.values()), melts, harm_s, why, str(end.fate), end.by, end.peak_c, moments, bodies, _first_loose(seen, state))


def _first_loose(seen: Watch, state: State) -> float | None:
    """When the first neighbour has come loose, the heat going on."""
    ends = state.joint_record[:, k.R_MELT_END]
    return min(
        (float(max(ends[row] for row in rows)) for _, rows, _ in seen.neighbours if all(ends[row] >= 0 for row in rows)), default=None
    )


def _moments(prepared: Prepared, trace: Trace, heated: State, cooled: State, ref: str) -> tuple[float | None, float | None, float | None]:
    """When a target's flux thins, its first joint begins to melt, and its last joint is solid again."""
    rows = [i for i, name in enumerate(prepared.network.names) if name.ref == ref]
    if not rows:
        return None, None, None
    warm = trace.joints_k[:, rows].max(axis=1, initial=-1e9) >= FLUX_THINS_C - prepared.scene.ambient_c
    flux = float(trace.times_s[int(np.argmax(warm))]) if warm.any() else None
    starts = [float(at) for at in heated.joint_record[rows, k.R_MELT_START] if at >= 0]
    melted = cooled.joint_record[rows, k.R_MELT_START] >= 0
    frozen = cooled.joint_record[rows, k.R_FREEZE][melted]
    solid = float(frozen.max()) if len(frozen) and (frozen >= 0).all() else None
    return flux, min(starts, default=None), solid


def _last_melt(prepared: Prepared, state: State, ref: str) -> float | None:
    ends = [state.joint_record[i, k.R_MELT_END] for i, name in enumerate(prepared.network.names) if name.ref == ref]
    return None if not ends or min(ends) < 0 else float(max(ends))


def first_harm(prepared: Prepared, state: State) -> tuple[float | None, str]:
    """When the first harm came in a run that went on heating, and why: limit, fall, or a target liquid for too long."""
    harms: list[tuple[float, str]] = []
    for row, part in zip(state.body_record, prepared.scene.parts, strict=True):
        if row[k.R_LIMIT_AT] >= 0:
            harms.append(
                (float(row[k.R_LIMIT_AT]), f"{part.ref} passes its limit of {part.package.limit_c:.0f} °C ({part.package.limit_why})")
            )
    ends = state.joint_record[:, k.R_MELT_END]
    seen = watch(prepared)
    for ref, rows, falls in seen.neighbours:
        if falls and all(ends[row] >= 0 for row in rows):
            harms.append((float(max(ends[row] for row in rows)), f"{ref} falls from underneath"))
    for index in seen.target_joints:
        if state.joint_record[index, k.R_ABOVE] > MAX_LIQUID_S:
            harms.append(
                (
                    float(ends[index]) + MAX_LIQUID_S,
                    f"{seen.names[index][0]} would be liquid for more than {MAX_LIQUID_S:.0f} s: flux spent, pads suffer",
                )
            )
    return min(harms) if harms else (None, "")


def how_sure(scene: Scene, doubts: Doubts, count: int = SAMPLES, resolution: Resolution = DOUBT_RESOLUTION,
             on_sample: Callable[[Sample], None] | None = None) -> Sureness:  # fmt: skip
    """Sample the scene's unknowns and read off bands, odds and blame. About `count` coarse rehearsals."""
    unknowns = unknowns_of(scene)
    draws = halton(count, len(unknowns))
    samples = []
    for row in draws:
        samples.append(one_sample(scene, doubts, dict(zip((one.key for one in unknowns), row.tolist(), strict=True)), resolution))
        if on_sample:
            on_sample(samples[-1])
    return summed_up(scene, unknowns, tuple(samples))


def summed_up(scene: Scene, unknowns: tuple[Unknown, ...], samples: tuple[Sample, ...]) -> Sureness:
    """Bands, odds and blame of samples."""
    melts = tuple(_band([sample.melts_s[i] for sample in samples]) for i in range(len(scene.targets)))
    fates: dict[str, int] = {}
    for sample in samples:
        fates[sample.fate] = fates.get(sample.fate, 0) + 1
    whys = [sample.harm_why for sample in samples if sample.harm_why]
    why = max(set(whys), key=whys.count) if whys else ""
    return Sureness(scene.targets, melts, _band([sample.harm_s for sample in samples]), why, fates, len(samples), _blame(unknowns, samples),
                    _band([sample.peak_c for sample in samples]), *_moment_bands(samples, len(scene.targets)),
                    tuple(_band([sample.bodies_c[i] for sample in samples]) for i in range(len(scene.targets))),
                    _band([sample.loose_s for sample in samples]))  # fmt: skip


def _moment_bands(samples: tuple[Sample, ...], targets: int) -> tuple[tuple[Band, ...], tuple[Band, ...], tuple[Band, ...]]:
    """Bands per target of when its flux thins, its first joint melts (the heat going on), its last is solid where anything melted."""
    flux, firsts = (tuple(_band([sample.moments[i][which] for sample in samples]) for i in range(targets)) for which in range(2))
    solids = tuple(_band([at for at in (sample.moments[i][2] for sample in samples) if at is not None] or [None]) for i in range(targets))
    return flux, firsts, solids


def _band(values: list[float | None]) -> Band:
    """Quantiles with 'never' as the latest."""
    ordered = np.sort(np.array([math.inf if value is None else value for value in values]))

    def at(share: float) -> float | None:
        value = ordered[min(int(share * len(ordered)), len(ordered) - 1)]
        return float(value) if math.isfinite(value) else None

    return Band(at(LOW), at(0.5), at(HIGH))


def _blame(unknowns: tuple[Unknown, ...], samples: tuple[Sample, ...]) -> tuple[Blame, ...]:
    known = [sample for sample in samples if sample.melts_s and all(one is not None for one in sample.melts_s)]
    if len(known) < 6:
        return ()
    last = np.log([max(one for one in sample.melts_s if one is not None) for sample in known])
    draws = np.array([sample.draw for sample in known])
    if float(np.ptp(last)) < 1e-6:
        return ()
    shares = np.array([np.corrcoef(draws[:, i], last)[0, 1] ** 2 for i in range(draws.shape[1])])
    shares = shares / max(float(shares.sum()), 1e-9)
    return tuple(sorted((Blame(one, float(share)) for one, share in zip(unknowns, shares, strict=True)), key=lambda one: -one.share))
