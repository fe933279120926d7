"""Calibration with what people own: a thermocouple log, melt tests on scrap, taps from real runs.

Each observation is compared with what the model gives for the same setting; a few factors are moved
until they agree, held by what was known before (Gauss–Newton on the posterior, Laplace
approximation for the intervals). Laws:
* Melt times are compared as logarithms, temperatures in kelvins.
* A factor is called found only where its interval became clearly narrower than before.
* The grid's own bias counts as a doubt of the observation, so intervals do not claim more than the
model knows.
"""

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from yellowfen.core.heat.doubt import Doubts, sampled, unknowns_of
from yellowfen.core.heat.grid import Grid
from yellowfen.core.heat.jet import JET_FACTOR
from yellowfen.core.heat.rehearsal import COARSE, Resolution, prepare, rehearse
from yellowfen.core.heat.scene import (
    Array,
    BoardStack,
    CopperLayer,
    Deed,
    Move,
    PlacedPart,
    Scene,
    Side,
)
from yellowfen.core.heat.source import HotAir, HotPlate, Oven
from yellowfen.core.heat.story import all_molten_s
from yellowfen.core.part.solder_dot import solder_dot
from yellowfen.core.quantity.number import in_range
from yellowfen.core.quantity.units import CELSIUS, with_unit
from yellowfen.core.source.mark import Mark, constant
from yellowfen.errors import InvalidValue

FOUND_BELOW = 0.7
_M = Mark.FROM_MEMORY
MODEL_LOG_SD = constant(
    "model_melt_time",
    0.03,
    "log",
    mark=_M,
    source="melt times of the 2 mm grid against finer ones",
    affects="width after a melt test",
)
STRUCTURE_LOG_SD = constant(
    "strength_structure",
    0.15,
    "log",
    mark=Mark.JUDGED,
    source="an effective strength takes up what else differs on a bench: laminate, emissivity, aim, joints, spread; set so that foreign benches are held",
    affects="interval of the strength",
)
STRENGTH_EXPONENT = constant(
    "strength_exponent",
    0.6,
    "1",
    mark=Mark.JUDGED,
    source="of the air flow in a jet's strength: between Martin's 0.5 and 0.78 at small nozzles",
    affects="stations compared",
)
TAP_LOG_SD = constant(
    "read_melt_time",
    0.1,
    "log",
    mark=_M,
    source="seeing and tapping the moment of melting",
    affects="width after a melt test or taps",
)
OFFSET_SD_K = constant(
    "probe_offset",
    2.0,
    "K",
    mark=_M,
    source="thermocouples of a hobby logger",
    affects="width after a log",
)
CALIBRATION_RESOLUTION = replace(COARSE, part_step_s=0.12, nozzle_step_mm=3.0, sample_s=0.25)
LOG_RESOLUTION = Resolution(
    cell_mm=1.0, layers=4, max_step_s=0.05, part_step_s=0.1, nozzle_step_mm=2.0, frame_s=0.5
)
# What the grid itself may be off by, in each factor's own (logarithmic) unit; added to what a log
# seems to know.
GRID_SD = {
    "jet": 0.012,
    "outlet": 1.0,
    "copper": 0.02,
    "film": 0.012,
    "plate": 1.0,
    "oven": 1.0,
    "lag": 0.15,
}


@dataclass(frozen=True, kw_only=True)
class Factor:
    """One unknown: its key among the doubts, what it multiplies or shifts, its middle and width
    before.
    """

    key: str
    name: str
    unit: str
    middle: float
    sd: float
    logarithmic: bool


@dataclass(frozen=True, kw_only=True)
class FoundFactor:
    """One factor after a calibration, in its own unit; low and high bound the middle 95 %."""

    key: str
    name: str
    unit: str
    before: float
    before_low: float
    before_high: float
    after: float
    low: float
    high: float
    found: bool


@dataclass(frozen=True)
class Residual:
    """One observation: seen and fitted, in the observation's unit."""

    what: str
    seen: float
    fitted: float
    unit: str


@dataclass(frozen=True)
class Calibration:
    """What a calibration found, how well it fits, and the doubts to use from now on."""

    findings: tuple[FoundFactor, ...]
    residuals: tuple[Residual, ...]
    doubts: Doubts
    sentence: str


@dataclass(frozen=True, kw_only=True)
class Observed:
    """An observation as the fit sees it: a number, its standard deviation, and its words."""

    value: float
    sd: float
    what: str
    unit: str
    logarithmic: bool = False


Predict = Callable[[Array], Array]


def factors_for(scene: Scene, doubts: Doubts) -> tuple[Factor, ...]:
    """The unknowns of a source, as believed before.

    Raises InvalidValue for an iron, which is not calibrated.
    """
    copper = _ratio("copper", "copper factor", 1.0, doubts.copper_log_sd)
    source = scene.source
    if isinstance(source, HotAir):
        strength = "effective strength of the air"
        return (
            _ratio("jet", strength, doubts.jet_factor, doubts.jet_log_sd),
            _shift("outlet", "outlet against display", doubts.outlet_shift_k, doubts.outlet_sd_k),
            copper,
        )
    if isinstance(source, HotPlate):
        film = source.film_mm * doubts.film_factor
        return (
            _ratio("film", "air film", film, doubts.film_log_sd, "mm"),
            _shift("plate", "plate against setting", doubts.plate_shift_k, doubts.plate_sd_k),
            copper,
        )
    if isinstance(source, Oven):
        shift, sd = doubts.oven_shift_k, doubts.oven_sd_k
        return _shift(
            "oven", "oven against its curve", shift, sd, f"K at {with_unit(220, CELSIUS)}"
        ), copper
    raise InvalidValue(
        "source.kind", "an iron is not calibrated here; give hot air, a plate or an oven"
    )


def _ratio(key: str, name: str, middle: float, sd: float, unit: str = "") -> Factor:
    """An unknown that is wrong by a share of itself."""
    return Factor(key=key, name=name, unit=unit, middle=middle, sd=sd, logarithmic=True)


def _shift(key: str, name: str, middle: float, sd: float, unit: str = "K") -> Factor:
    """An unknown that is wrong by some kelvins."""
    return Factor(key=key, name=name, unit=unit, middle=middle, sd=sd, logarithmic=False)


@dataclass(frozen=True)
class Fit:
    """Posterior in standard deviations of the prior: mean, covariance, and the fitted observations."""

    z: Array
    covariance: Array
    fitted: Array


def fit(observed: Sequence[Observed], predict: Predict, unknowns: int, rounds: int = 5) -> Fit:
    """Maximum-posterior fit with standard normal priors.

    `predict` maps z (unknowns) to the observations' scale.
    """
    seen = np.array([math.log(one.value) if one.logarithmic else one.value for one in observed])
    weight = 1.0 / np.array([one.sd for one in observed])
    z = np.zeros(unknowns)
    base = predict(z)
    jacobian = np.zeros((len(observed), unknowns))
    cost = _cost(base, seen, weight, z)
    for _ in range(rounds):
        for column in range(unknowns):
            nudged = z.copy()
            nudged[column] += 0.25
            jacobian[:, column] = (predict(nudged) - base) / 0.25
        scaled = jacobian * weight[:, None]
        normal = scaled.T @ scaled + np.eye(unknowns)
        step = np.asarray(
            np.linalg.solve(normal, scaled.T @ ((seen - base) * weight) - z), dtype=float
        )
        z, base, cost, moved = _walk(
            z, step, predict, seen=seen, weight=weight, cost=cost, base=base
        )
        if moved < 0.02:
            break
    return Fit(z, np.asarray(np.linalg.inv(normal), dtype=float), base)


def _walk(
    z: Array, step: Array, predict: Predict, seen: Array, weight: Array, cost: float, base: Array
) -> tuple[Array, Array, float, float]:
    """Go along a step as far as it helps."""
    share = min(1.0, 2.5 / max(float(np.abs(step).max()), 1e-9))
    for _ in range(5):
        there = z + share * step
        fitted = predict(there)
        now = _cost(fitted, seen, weight, there)
        if now < cost:
            return there, fitted, now, float(np.abs(share * step).max())
        share *= 0.4
    return z, base, cost, 0.0


def _cost(fitted: Array, seen: Array, weight: Array, z: Array) -> float:
    return float((((seen - fitted) * weight) ** 2).sum() + (z**2).sum())


def finding_of(factor: Factor, z: float, sd_z: float) -> FoundFactor:
    """A factor's interval before and after, in its own unit."""

    found = sd_z < FOUND_BELOW
    if factor.key == "jet" and factor.sd > 0:
        sd_z = math.hypot(sd_z, STRUCTURE_LOG_SD / factor.sd)

    def value(at: float) -> float:
        return (
            factor.middle * math.exp(factor.sd * at)
            if factor.logarithmic
            else factor.middle + factor.sd * at
        )

    return FoundFactor(
        key=factor.key,
        name=factor.name,
        unit=factor.unit,
        before=value(0.0),
        before_low=value(-1.96),
        before_high=value(1.96),
        after=value(z),
        low=value(z - 1.96 * sd_z),
        high=value(z + 1.96 * sd_z),
        found=found,
    )


# Melt tests and taps: times.


@dataclass(frozen=True)
class MeltTest:
    """A dot or bit of wire melted on scrap, or a joint seen to flow at work: the scene as it was
    set, and the seconds seen.
    """

    scene: Scene
    ref: str
    seconds: tuple[float, ...]
    what: str

    def __post_init__(self) -> None:
        if not self.seconds:
            raise InvalidValue("seconds", "give at least one time until it melted")
        for one in self.seconds:
            in_range("seconds", one, 1, 900, "s")


def scrap_scene(
    source: HotAir,
    height_mm: float,
    alloy: str,
    width_mm: float = 50.0,
    depth_mm: float = 40.0,
    thickness_mm: float = 1.6,
    copper: float = 0.3,
    ambient_c: float = 23.0,
    circle_mm: float = 0.0,
    seconds: float = 120.0,
) -> Scene:
    """A scrap board with a solder dot in its middle under the nozzle."""
    in_range("scrap.copper", copper, 0, 1)
    sheets = (
        CopperLayer(layer="top", coverage=copper, thickness_um=35, depth=0.0),
        CopperLayer(layer="bottom", coverage=copper, thickness_um=35, depth=1.0),
    )
    dot = PlacedPart(
        ref="dot",
        package=solder_dot(),
        x_mm=width_mm / 2,
        y_mm=depth_mm / 2,
        rotation_deg=0,
        side=Side.TOP,
        alloy=alloy,
    )
    move = Move(
        deed=Deed.CLOSE, seconds=seconds, over=("dot",), height_mm=height_mm, circle_mm=circle_mm
    )
    return Scene(
        board=BoardStack(
            width_mm=width_mm, height_mm=depth_mm, thickness_mm=thickness_mm, copper=sheets
        ),
        parts=(dot,),
        source=source,
        moves=(move,),
        targets=("dot",),
        ambient_c=ambient_c,
    )


def from_times(
    tests: Sequence[MeltTest],
    doubts: Doubts,
    read_log_sd: float = TAP_LOG_SD,
    resolution: Resolution = CALIBRATION_RESOLUTION,
) -> Calibration:
    """Fit the source's factors to seen melt times.

    Raises InvalidValue for no tests or mixed sources.

    What else was not known of the test (hand, aim, room, the scrap's copper) is fitted along and
    forgotten: it widens what is found.
    """
    if not tests:
        raise InvalidValue("tests", "there is nothing to fit; give at least one melt test")
    if len({type(test.scene.source) for test in tests}) > 1:
        raise InvalidValue("tests", "fit one kind of heat source at a time")
    factors = factors_for(tests[0].scene, doubts)
    own = tuple(
        one.key
        for one in unknowns_of(tests[0].scene)
        if one.key not in {factor.key for factor in factors}
    )
    keys = (*(one.key for one in factors), *own)
    observed = [_time_seen(test, read_log_sd) for test in tests]

    def predict(z: Array) -> Array:
        draw = dict(zip(keys, z.tolist(), strict=True))
        return np.array(
            [_log_melt(sampled(test.scene, doubts, draw), test.ref, resolution) for test in tests]
        )

    whole = fit(observed, predict, len(keys))
    kept = slice(0, len(factors))
    result = Fit(whole.z[kept], whole.covariance[kept, kept], whole.fitted)
    residuals = tuple(
        Residual(one.what, one.value, math.exp(min(float(fitted), 9.0)), "s")
        for one, fitted in zip(observed, result.fitted, strict=True)
    )
    return _calibration(factors, result, residuals, doubts)


def _time_seen(test: MeltTest, read_log_sd: float) -> Observed:
    logs = [math.log(one) for one in test.seconds]
    middle = sum(logs) / len(logs)
    sd = math.hypot(read_log_sd / math.sqrt(len(logs)), MODEL_LOG_SD)
    return Observed(value=math.exp(middle), sd=sd, what=test.what, unit="s", logarithmic=True)


def _log_melt(scene: Scene, ref: str, resolution: Resolution) -> float:
    """Log of the last melt of a part with the heat kept on; a part that never melts counts by how
    far it stays below.
    """
    last = max(index for index, move in enumerate(scene.moves) if move.heats)
    moves = (
        *scene.moves[:last],
        replace(scene.moves[last], seconds=min(scene.moves[last].seconds + 150.0, 900.0)),
    )
    seen = rehearse(replace(scene, moves=moves), resolution)
    joints = seen.joints_of(ref)
    molten = all_molten_s(joints)
    if molten is not None:
        return math.log(molten)
    short = max(joint.liquidus_c - joint.peak_c for joint in joints)
    return math.log(seen.model.simulated_s) + 0.01 * max(short, 0.0)


def _calibration(
    factors: tuple[Factor, ...], result: Fit, residuals: tuple[Residual, ...], doubts: Doubts
) -> Calibration:
    sd = np.sqrt(np.diag(result.covariance))
    findings = tuple(
        finding_of(factor, float(z), float(width))
        for factor, z, width in zip(factors, result.z, sd, strict=True)
    )
    return Calibration(findings, residuals, narrowed(doubts, factors, result), _sentence(findings))


def narrowed(doubts: Doubts, factors: tuple[Factor, ...], result: Fit) -> Doubts:
    """The doubts after a fit.

    The copper factor, lag and offsets belong to the test's own board and probes and are not carried
    on.
    """
    sd = np.sqrt(np.diag(result.covariance))
    changes: dict[str, float] = {}
    for factor, z, width in zip(factors, result.z, sd, strict=True):
        if factor.key == "jet":
            changes["jet_factor"] = doubts.jet_factor * math.exp(doubts.jet_log_sd * float(z))
            changes["jet_log_sd"] = doubts.jet_log_sd * float(width)
        elif factor.key == "film":
            changes["film_factor"] = doubts.film_factor * math.exp(doubts.film_log_sd * float(z))
            changes["film_log_sd"] = doubts.film_log_sd * float(width)
        elif factor.key == "plate":
            changes["plate_shift_k"] = doubts.plate_shift_k + doubts.plate_sd_k * float(z)
            changes["plate_sd_k"] = doubts.plate_sd_k * float(width)
        elif factor.key == "outlet":
            changes["outlet_shift_k"] = doubts.outlet_shift_k + doubts.outlet_sd_k * float(z)
            changes["outlet_sd_k"] = doubts.outlet_sd_k * float(width)
        elif factor.key == "oven":
            changes["oven_shift_k"] = doubts.oven_shift_k + doubts.oven_sd_k * float(z)
            changes["oven_sd_k"] = doubts.oven_sd_k * float(width)
    return replace(doubts, **changes)


def _sentence(findings: tuple[FoundFactor, ...]) -> str:
    found = [one for one in findings if one.found]
    blank = [one.name for one in findings if not one.found]
    if not found:
        return "This test adds nothing to what was known before. Repeat it, or heat for longer."
    said = "; ".join(
        f"{one.name} {one.after:.2f} {one.unit}".strip() + f" ({one.low:.2f} to {one.high:.2f})"
        for one in found
    )
    return f"Found: {said}." + (
        f" This test says nothing about: {', '.join(blank)}." if blank else ""
    )


# Thermocouple logs: temperatures.


@dataclass(frozen=True)
class Thermocouple:
    """A thermocouple on the board: where, on which face, and its readings (°C) at the log's times."""

    x_mm: float
    y_mm: float
    readings_c: tuple[float, ...]
    side: Side = Side.TOP


@dataclass(frozen=True)
class ThermalLog:
    """A logged heat: the scene as it was set, the moments (s from the first move), one or more
    probes.
    """

    scene: Scene
    times_s: tuple[float, ...]
    probes: tuple[Thermocouple, ...]

    def __post_init__(self) -> None:
        if len(self.times_s) < 8:
            raise InvalidValue("log", "a log needs at least 8 readings")
        if any(
            later <= earlier for earlier, later in zip(self.times_s, self.times_s[1:], strict=False)
        ):
            raise InvalidValue("log", "the times of a log must rise")
        if not 1 <= len(self.probes) <= 8:
            raise InvalidValue("log", "give 1 to 8 probes")
        for probe in self.probes:
            if len(probe.readings_c) != len(self.times_s):
                raise InvalidValue("log", "every probe needs one reading for each time")


LAG = Factor(key="lag", name="probe's lag", unit="s", middle=1.0, sd=0.7, logarithmic=True)


def from_log(
    log: ThermalLog, doubts: Doubts, noise_k: float = 1.0, resolution: Resolution = LOG_RESOLUTION
) -> Calibration:
    """Fit the source's factors, one lag and an offset per probe to a thermocouple log."""
    factors = factors_for(log.scene, doubts)
    offsets = tuple(
        Factor(
            key=f"offset {i + 1}",
            name=f"probe {i + 1} reads too high by",
            unit="K",
            middle=0.0,
            sd=OFFSET_SD_K,
            logarithmic=False,
        )
        for i in range(len(log.probes))
    )
    every = (*factors, LAG, *offsets)
    times = np.array(log.times_s)
    thin = max(1, len(times) // 240)
    readings = np.concatenate([np.array(probe.readings_c)[::thin] for probe in log.probes])
    kept: dict[bytes, list[tuple[Array, Array]]] = {}

    def faces(z: Array) -> list[tuple[Array, Array]]:
        key = np.round(z, 12).tobytes()
        if key not in kept:
            draw = dict(zip((one.key for one in factors), z.tolist(), strict=True))
            kept[key] = _probe_curves(sampled(log.scene, doubts, draw), log.probes, resolution)
        return kept[key]

    def predict(z: Array) -> Array:
        lag = LAG.middle * math.exp(LAG.sd * float(z[len(factors)]))
        curves = faces(z[: len(factors)])
        shifts = z[len(factors) + 1 :] * OFFSET_SD_K
        return np.concatenate(
            [
                np.interp(times[::thin], at, _lagged(at, curve, lag)) + shift
                for (at, curve), shift in zip(curves, shifts, strict=True)
            ]
        )

    def observations(sd: float) -> list[Observed]:
        return [Observed(value=float(value), sd=sd, what="reading", unit="K") for value in readings]

    first = fit(observations(max(noise_k, 0.3)), predict, len(every), rounds=6)
    sd = _effective_sd(readings - first.fitted, noise_k, len(log.probes))
    result = fit(observations(sd), predict, len(every), rounds=3) if sd > 1.05 * noise_k else first
    grid = np.array([(GRID_SD.get(factor.key, 0.3) / factor.sd) ** 2 for factor in every])
    widened = Fit(result.z, result.covariance + np.diag(grid), result.fitted)
    return _calibration(every, widened, _log_residuals(log, readings, result.fitted), doubts)


def _probe_curves(
    scene: Scene, probes: Sequence[Thermocouple], resolution: Resolution
) -> list[tuple[Array, Array]]:
    prepared = prepare(scene, resolution)
    seen = rehearse(scene, resolution)
    times = np.arange(len(seen.frames_c), dtype=float) * seen.frame_s
    return [(times, _at_place(seen.frames_c, prepared.network.grid, probe)) for probe in probes]


def _at_place(frames: Array, grid: Grid, probe: Thermocouple) -> Array:
    """The upper face at a place, between its four cells."""
    ny, nx = grid.ny, grid.nx
    fx = min(max(probe.x_mm * 1e-3 / grid.dx_m - 0.5, 0.0), nx - 1.001)
    fy = min(max(probe.y_mm * 1e-3 / grid.dy_m - 0.5, 0.0), ny - 1.001)
    ix, iy = int(fx), int(fy)
    u, v = fx - ix, fy - iy
    return np.asarray(
        (1 - v) * ((1 - u) * frames[:, iy, ix] + u * frames[:, iy, ix + 1])
        + v * ((1 - u) * frames[:, iy + 1, ix] + u * frames[:, iy + 1, ix + 1])
    )


def _lagged(times: Array, curve: Array, lag_s: float) -> Array:
    """First-order lag of a curve sampled evenly: exact for straight pieces between samples."""
    out = np.empty_like(curve)
    out[0] = curve[0]
    step = float(times[1] - times[0]) if len(times) > 1 else 1.0
    decay = math.exp(-step / lag_s)
    for i in range(1, len(curve)):
        slope = (curve[i] - curve[i - 1]) / step
        out[i] = curve[i] - slope * lag_s + (out[i - 1] - curve[i - 1] + slope * lag_s) * decay
    return out


def _effective_sd(residual: Array, noise_k: float, probes: int) -> float:
    """Noise as the fit should see it: larger where residuals hang together, which is the model's
    error and not chance.
    """
    spread = float(np.sqrt(np.mean(residual**2)))
    together = [
        np.corrcoef(one[:-1], one[1:])[0, 1]
        for one in np.split(residual, probes)
        if len(one) > 3 and float(np.ptp(one)) > 1e-9
    ]
    rho = min(max(float(np.mean(together)) if together else 0.0, 0.0), 0.98)
    return float(max(noise_k, spread) * math.sqrt((1 + rho) / (1 - rho)))


def _log_residuals(log: ThermalLog, readings: Array, fitted: Array) -> tuple[Residual, ...]:
    rows = []
    for index, (seen, model) in enumerate(
        zip(np.split(readings, len(log.probes)), np.split(fitted, len(log.probes)), strict=True)
    ):
        worst = int(np.argmax(np.abs(seen - model)))
        rows.append(
            Residual(
                f"probe {index + 1}, typical (RMS)",
                float(np.sqrt(np.mean((seen - model) ** 2))),
                0.0,
                "K",
            )
        )
        rows.append(
            Residual(f"probe {index + 1}, worst", float(seen[worst]), float(model[worst]), "°C")
        )
    return tuple(rows)


def flow_like(factor: float, flow_lpm: float, exponent: float = STRENGTH_EXPONENT) -> float:
    """Free-air flow that the default factor would need to blow as strongly, L/min: h goes about
    with flow to the 0.6.
    """
    return float(flow_lpm * (factor / JET_FACTOR) ** (1.0 / exponent))
