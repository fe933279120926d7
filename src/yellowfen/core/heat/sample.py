"""One sample of what is not known, run to the end of its heat: when things melt, come loose, pass their
limits, the heat going on.
"""

from dataclasses import dataclass, replace

import numpy as np

from yellowfen.core.heat import kernel_tables as k
from yellowfen.core.heat.doubt import Doubts, sampled
from yellowfen.core.heat.follow import follow, is_tour
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
    Resolution,
    Trace,
    advance,
    first_state,
    prepare,
)
from yellowfen.core.heat.scene import (
    Scene,
)
from yellowfen.core.heat.story import FLUX_THINS_C

DRAWN_OUT_S = 90.0
DOUBT_RESOLUTION = replace(COARSE, part_step_s=0.12, nozzle_step_mm=3.0)


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
