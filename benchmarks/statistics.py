"""Do nominal 95 % intervals hold the truth? Seeded synthetic melt tests, logs, and whole benches with one coupon. `python -m benchmarks statistics`."""

import math
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import replace

import numpy as np

from yellowfen.core.heat import grid as grid_module
from yellowfen.core.heat import jet as jet_module
from yellowfen.core.heat.calibrate import MeltTest, Probe, ThermalLog, _at_place, _lagged, from_log, from_times, scrap_scene
from yellowfen.core.heat.doubt import Doubts, even_draws, sampled, settled, unknowns_of
from yellowfen.core.heat.rehearsal import COARSE, FINE, Resolution, prepare, rehearse
from yellowfen.core.heat.scene import BoardStack, CopperLayer, Deed, HotAir, Move, PlacedPart, Scene, Side
from yellowfen.core.heat.story import all_molten_s
from yellowfen.core.part.catalogue import package_named

TRIALS, BENCHES = 200, 84
SOURCE = HotAir(6, 350, 30)
FINER = Resolution(cell_mm=0.6, layers=5, max_step_s=0.0167, part_step_s=0.05, frame_s=1e9)
PRIOR = Doubts()


def melt_tests() -> None:
    """Three melt times with ±10 % from a drawn bench on the fine grid; does the strength's interval hold the drawn strength?"""
    chance = np.random.default_rng(11)
    held, widths = 0, []
    for _ in range(TRIALS):
        draw = dict(zip(("jet", "outlet", "copper"), chance.normal(size=3), strict=True))
        distance = float(chance.choice([12, 16, 20, 25]))
        scene = scrap_scene(replace(SOURCE, nozzle_mm=float(chance.choice([5, 6, 8]))), distance, "Sn63Pb37", seconds=300.0)
        seconds = all_molten_s(rehearse(sampled(scene, PRIOR, draw), FINE).joints_of("dot"))
        if seconds is None:
            seconds = 299.0
        seen = tuple(max(seconds * math.exp(chance.normal(0, 0.1)), 1.0) for _ in range(3))
        jet = from_times([MeltTest(scene, "dot", seen, "")], PRIOR).findings[0]
        held += jet.low <= PRIOR.jet_factor * math.exp(PRIOR.jet_log_sd * draw["jet"]) <= jet.high
        widths.append(jet.high / jet.low)
    print(
        f"melt tests, 3 times with 10 %: 95 % interval of the strength holds the truth in {held} of {TRIALS}, median width x {np.median(widths):.2f} (before x {math.exp(2 * 1.96 * PRIOR.jet_log_sd):.2f})"
    )


def logs() -> None:
    """A log of heat and cooling, two probes, 4 Hz, 1 °C of noise, lag and offset unknown, from the fine grid."""
    chance = np.random.default_rng(12)
    keys = ("jet", "outlet", "copper")
    held, widths = dict.fromkeys(keys, 0), {key: [] for key in keys}
    times = np.arange(0, 120, 0.25)
    for _ in range(TRIALS):
        scene = scrap_scene(SOURCE, 20, "Sn96.5Ag3Cu0.5", width_mm=36, depth_mm=30, seconds=50.0)
        scene = replace(scene, moves=(*scene.moves, Move(Deed.WITHDRAW, 70.0)))
        z = chance.normal(size=3)
        true = sampled(scene, PRIOR, dict(zip(keys, z, strict=True)))
        fine = replace(FINE, frame_s=0.25)
        seen, cells = rehearse(true, fine), prepare(true, fine).network.grid
        lag = math.exp(0.5 * chance.normal())
        probes = []
        for x, y in ((18, 15), (25, 20)):
            curve = _at_place(seen.frames_c, cells, Probe(x, y, ()))
            at = np.arange(len(curve)) * 0.25
            readings = np.interp(times, at, _lagged(at, curve, lag)) + chance.normal(0, 1.5) + chance.normal(0, 1, len(times))
            probes.append(Probe(x, y, tuple(readings)))
        found = {one.key: one for one in from_log(ThermalLog(scene, tuple(times), tuple(probes)), PRIOR).findings}
        truth = {
            "jet": PRIOR.jet_factor * math.exp(PRIOR.jet_log_sd * z[0]),
            "outlet": PRIOR.outlet_sd_k * z[1],
            "copper": math.exp(PRIOR.copper_log_sd * z[2]),
        }
        for key in keys:
            held[key] += found[key].low <= truth[key] <= found[key].high
            widths[key].append(found[key].high - found[key].low if key == "outlet" else found[key].high / found[key].low)
    said = ", ".join(
        f"{key} {held[key]} (width {'' if key == 'outlet' else 'x '}{np.median(widths[key]):.2f}{' K' if key == 'outlet' else ''})"
        for key in keys
    )
    print(f"logs, 2 probes, 4 Hz, 1 °C: 95 % intervals hold the truth, of {TRIALS}: {said}")


@contextmanager
def perturbed(chance: np.random.Generator) -> Iterator[None]:
    """The physics a little different: how far hot air carries ±15 %, the laminate's heat ±8 %, its conduction through ±15 %."""
    kept = jet_module._CORE_LENGTHS, grid_module.FR4_CP, grid_module.FR4_THROUGH_W_MK
    jet_module._CORE_LENGTHS *= math.exp(chance.normal(0, 0.15))
    grid_module.FR4_CP *= math.exp(chance.normal(0, 0.08))
    grid_module.FR4_THROUGH_W_MK *= math.exp(chance.normal(0, 0.15))
    try:
        yield
    finally:
        jet_module._CORE_LENGTHS, grid_module.FR4_CP, grid_module.FR4_THROUGH_W_MK = kept


PACKAGES = ("SOIC-8", "SOIC-16W", "TSSOP-20", "QFP-32", "QFP-48", "0805", "SOT-223", "MSOP-10", "SOIC-14", "QFN-20")


def one_bench(chance: np.random.Generator) -> tuple[float, bool, float, float] | None:
    """(error ratio of the median, held by the 95 % band, band's width, error ratio without the coupon); None where nothing melts in the truth."""
    draw = dict(zip(("jet", "outlet", "copper"), chance.normal(size=3), strict=True))
    coupon = scrap_scene(SOURCE, 20, "Sn63Pb37", seconds=240.0)
    package = package_named(str(chance.choice(PACKAGES)))
    plane = (package.lands[0].pin,) if chance.random() < 0.4 else ()
    copper = (
        CopperLayer("top", float(chance.uniform(0.15, 0.5)), 35, 0.0),
        CopperLayer("bottom", float(chance.uniform(0.3, 0.9)), 35, 1.0),
    )
    part = PlacedPart("U1", package, 26, 22, 0, Side.TOP, "Sn63Pb37", plane)
    source = replace(SOURCE, nozzle_mm=float(chance.choice([4, 6, 8, 10])))
    move = Move(Deed.CLOSE, 300.0, ("U1",), float(chance.choice([12, 18, 25])), float(chance.choice([3, 5, 7])))
    target = Scene(BoardStack(52, 44, 1.6, copper), (part,), source, (move,), ("U1",))
    with perturbed(chance):
        melted = all_molten_s(
            rehearse(
                sampled(coupon, PRIOR, {key: draw[key] for key in ("jet", "outlet")} | {"copper": float(chance.normal())}), FINER
            ).joints_of("dot")
        )
        held_off = draw | {"hand": float(chance.normal(0, 0.5))}
        truth = all_molten_s(rehearse(sampled(target, PRIOR, held_off), FINER).joints_of("U1"))
    if melted is None or truth is None:
        return None
    read = max(melted * math.exp(chance.normal(0, 0.1)), 1.0)
    known = from_times([MeltTest(coupon, "dot", (read,), "coupon")], PRIOR).doubts
    middle = all_molten_s(rehearse(settled(target, known), COARSE).joints_of("U1"))
    plain = all_molten_s(rehearse(target, COARSE).joints_of("U1"))
    logs_s = _melt_logs(target, known)
    if middle is None or len(logs_s) < 12:
        return None
    centre, sd = float(np.mean(logs_s)), math.hypot(float(np.std(logs_s)), 0.05)
    low, high = math.exp(centre - 1.96 * sd), math.exp(centre + 1.96 * sd)
    ratio = max(middle / truth, truth / middle)
    before = max(plain / truth, truth / plain) if plain else math.inf
    return ratio, low <= truth <= high, high / low, before


def _melt_logs(scene: Scene, doubts: Doubts) -> list[float]:
    keys = [one.key for one in unknowns_of(scene)]
    found = (
        all_molten_s(rehearse(sampled(scene, doubts, dict(zip(keys, row, strict=True))), COARSE).joints_of("U1"))
        for row in even_draws(23, len(keys)).tolist()
    )
    return [math.log(one) for one in found if one is not None]


def coupons() -> None:
    """One coupon, then a forecast for another nozzle, package and board; truth from a finer grid with perturbed physics."""
    chance = np.random.default_rng(13)
    rows = []
    tried = 0
    while len(rows) < BENCHES and tried < 3 * BENCHES:
        tried += 1
        row = one_bench(chance)
        if row is not None:
            rows.append(row)
    errors, held, widths, before = (np.array([row[i] for row in rows], dtype=float) for i in range(4))
    print(
        f"one coupon, {len(rows)} benches of {tried} (the rest melt in no 300 s): median error x {np.median(errors):.2f} (goal 1.15), 90th percentile x {np.percentile(errors, 90):.2f} (goal 1.5);"
        f" without the coupon x {np.median(before):.2f} and x {np.percentile(before, 90):.2f}; 95 % bands hold {held.mean():.0%} (goal 90 %), median width x {np.median(widths):.2f}"
    )


def statistics() -> None:
    melt_tests()
    coupons()
    logs()
