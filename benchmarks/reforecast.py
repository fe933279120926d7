"""What taps are worth: how far a forecast is off before and after "flux thins" and "first shine",
and whether its bands hold. The truth has its unknowns drawn, foreign physics and a finer grid.
"""

import math
import time
from dataclasses import replace

import numpy as np

from yellowfen.core.heat.doubt import Doubts, sampled, settled, unknowns_of
from yellowfen.core.heat.rehearsal import Rehearsal, rehearse
from yellowfen.core.heat.revise import Seen, StopSight, course_of, revise
from yellowfen.core.heat.scene import BoardStack, CopperLayer, Deed, Move, PlacedPart, Scene, Side
from yellowfen.core.heat.source import HotAir
from yellowfen.core.heat.story import FLUX_THINS_C, all_molten_s
from yellowfen.core.heat.sureness import sureness
from yellowfen.core.part.catalogue import package_named

BENCHES, SAMPLES = 200, 23
KINDS = ("SOIC-8", "0805", "SOT-23-5", "TSSOP-16", "0603", "SOIC-14", "1206")


def bench_scene(chance: np.random.Generator) -> Scene:
    """A part of some kind on a board of some kind, warmed or not, at some setting."""
    copper = (
        CopperLayer(layer="top", coverage=0.3, thickness_um=35, depth=0.0),
        CopperLayer(
            layer="bottom", coverage=float(chance.uniform(0.2, 0.8)), thickness_um=35, depth=1.0
        ),
    )
    package = package_named(str(chance.choice(KINDS)))
    part = PlacedPart(
        ref="U1", package=package, x_mm=20, y_mm=15, rotation_deg=0, side=Side.TOP, alloy="Sn63Pb37"
    )
    warm_s = float(chance.choice([0, 15, 25]))
    warm = (
        (Move(deed=Deed.WARM, seconds=warm_s, over=("U1",), height_mm=45, circle_mm=8),)
        if warm_s
        else ()
    )
    close = Move(
        deed=Deed.CLOSE,
        seconds=120.0,
        over=("U1",),
        height_mm=float(chance.uniform(10, 22)),
        circle_mm=4.0,
    )
    return Scene(
        board=BoardStack(
            width_mm=40,
            height_mm=30,
            thickness_mm=float(chance.choice([0.8, 1.0, 1.6])),
            copper=copper,
        ),
        parts=(part,),
        source=HotAir(
            nozzle_mm=6,
            outlet_c=float(chance.uniform(330, 400)),
            flow_lpm=float(chance.uniform(25, 40)),
        ),
        moves=(*warm, close, Move(deed=Deed.WITHDRAW, seconds=20.0)),
        targets=("U1",),
    )


def moments_s(true: Rehearsal) -> tuple[float, float, float] | None:
    """When flux thins, the first joint shines, all has flowed; None where one never does."""
    joints = true.joints_of("U1")
    flow = all_molten_s(joints)
    hot = true.joint_c.max(axis=1) >= FLUX_THINS_C
    if flow is None or not hot.any():
        return None
    shine = min(one.melt_start_s for one in joints if one.melt_start_s is not None)
    return float(true.times_s[int(np.argmax(hot))]), shine, flow


def reforecast(count: int = BENCHES) -> None:
    """Print median and 90th percentile of the log error, and how many of the bands hold."""
    from benchmarks.statistics import foreign

    chance, doubts = np.random.default_rng(5), Doubts()
    stages = ("before", "flux thins", "first shine")
    off: dict[str, list[float]] = {stage: [] for stage in stages}
    held, spent = dict.fromkeys(stages, 0), []
    asked = dict.fromkeys(("true taps", "flows 3.5 times late", "flows 0.3 times early"), 0)
    for _ in range(count):
        raw = bench_scene(chance)
        unknowns = [one.key for one in unknowns_of(raw)]
        draw = dict(zip(unknowns, chance.normal(size=len(unknowns)), strict=True))
        sure = sureness(raw, doubts, rehearse(settled(raw, doubts)), SAMPLES)
        with foreign(chance) as finer:
            true = moments_s(rehearse(sampled(raw, doubts, draw), finer))
        if true is None:
            continue
        late = np.maximum(chance.normal(1.0, 1.0, 2), 0.0)  # a key is never before the sight
        taps = [
            Seen(stop=0, what=what, after_s=at + wait)
            for what, at, wait in zip(
                (StopSight.FLUX, StopSight.SHINE), true, late.tolist(), strict=False
            )
        ]
        course = course_of(raw.targets, raw.moves[:-1], sure.samples)
        flowed = Seen(stop=0, what=StopSight.FLOWED, after_s=true[2] + float(late[0]))
        for name, factor in zip(asked, (1.0, 3.5, 0.3), strict=True):
            slip = replace(flowed, after_s=factor * flowed.after_s)
            asked[name] += bool(revise(course, [slip]).doubtful)
        for number, stage in enumerate(stages):
            began = time.perf_counter()
            band = revise(course, taps[:number]).stops[0].whole
            spent.append(time.perf_counter() - began)
            off[stage].append(abs(math.log((band.middle or 140.0) / true[2])))
            held[stage] += (band.low or math.inf) <= true[2] <= (band.high or math.inf)
    n = len(off["before"])
    before = float(np.median(off["before"]))
    for stage in stages:
        here = np.array(off[stage])
        print(
            f"forecast {'before any tap' if stage == 'before' else f'after {stage!r}'}: log error"
            f" median {np.median(here):.3f} ({1 - np.median(here) / before:.0%} less), 90th"
            f" percentile {np.percentile(here, 90):.3f}; 80 % bands hold {held[stage]} of {n}"
        )
    told = ", ".join(f"{name} {count} of {n}" for name, count in asked.items())
    print(f"asked whether it is so: {told}")
    print(f"a revision takes {1e3 * np.median(spent):.1f} ms (median of {len(spent)})")
