"""How a blow ends that goes on: when it melts each target and when it first does harm, as bands over
samples of what is not known.

Laws: a sample ends as soon as both are known, and its answer is the one that a whole sample of
`doubt` gives, which goes on for what is asked of it besides.
"""

import math
from dataclasses import dataclass, replace

from yellowfen.core.heat.doubt import Doubts, even_draws, sampled, unknowns_of
from yellowfen.core.heat.follow import is_tour
from yellowfen.core.heat.outcome import harms, heating_moves, watch
from yellowfen.core.heat.rehearsal import Rehearsal, advance, first_state, prepare
from yellowfen.core.heat.sample import DOUBT_RESOLUTION, DRAWN_OUT_S, last_melt_s
from yellowfen.core.heat.scene import Scene
from yellowfen.core.heat.story import all_molten_s
from yellowfen.core.heat.sureness import Band, band_of, fine_to_coarse, how_sure, most_said

LOOK_EVERY_S = 10.0


@dataclass(frozen=True)
class Blow:
    """Bands of when each target has melted and of the first harm, and what that mostly is; what
    does not come within `DRAWN_OUT_S` after the planned heat never comes.
    """

    melts: tuple[Band, ...]
    harm: Band
    harm_why: str


@dataclass(frozen=True, kw_only=True)
class _Ending:
    melts_s: tuple[float | None, ...]
    harm_s: float | None
    harm_why: str


def blow_bands(scene: Scene, doubts: Doubts, told: Rehearsal, count: int) -> Blow:
    """How the last heating move of a scene ends were it to go on, over `count` samples (a prime
    number); melts are tied to the forecast `told`. Of a tour what `how_sure` says. Raises as
    `rehearse` does.
    """
    if is_tour(scene.moves):
        sure = how_sure(scene, doubts, count, fine=told)
        return Blow(sure.melts, sure.harm, sure.harm_why)
    keys = [one.key for one in unknowns_of(scene)]
    draws = even_draws(count, len(keys)).tolist()
    endings = [_ending(scene, doubts, dict(zip(keys, row, strict=True))) for row in draws]
    middle = _ending(scene, doubts, dict.fromkeys(keys, 0.0))
    ratios = [
        fine_to_coarse(all_molten_s(told.joints_of(ref)), coarse)
        for ref, coarse in zip(scene.targets, middle.melts_s, strict=True)
    ]
    return Blow(
        tuple(
            band_of([melted and melted * ratio for melted in column])
            for *column, ratio in zip(*(one.melts_s for one in endings), ratios, strict=True)
        ),
        band_of([one.harm_s for one in endings]),
        most_said([one.harm_why for one in endings]),
    )


def _ending(scene: Scene, doubts: Doubts, draw: dict[str, float]) -> _Ending:
    """One sample, looked at every few seconds of its last move until both are known."""
    here = sampled(scene, doubts, draw)
    prepared = prepare(here, DOUBT_RESOLUTION)
    seen = watch(prepared)
    *before, last = heating_moves(here)
    state = first_state(prepared, prepared.drive(here))
    if before:
        advance(prepared, state, prepared.drive(replace(here, moves=tuple(before))), sampled=False)
    began_s, whole_s = state.now_s, last.seconds + DRAWN_OUT_S
    looks = math.ceil(whole_s / LOOK_EVERY_S)
    look = replace(last, seconds=whole_s / looks)
    drive = prepared.drive(replace(here, moves=(look,)))
    for _ in range(looks):
        advance(prepared, state, drive, sampled=False)
        melts = tuple(last_melt_s(prepared, state, ref) for ref in here.targets)
        harm = next(iter(harms(seen, state)), None)
        if None not in melts and harm is not None and harm.at_s <= state.now_s:
            break
        drive = drive.going_on(here, look, last.from_s + state.now_s - began_s)
    return _Ending(
        melts_s=melts, harm_s=harm.at_s if harm else None, harm_why=harm.whole if harm else ""
    )
