"""The bench card: what to set, how far, how long, what will be seen when, when to stop at the latest and why.

How sure: the same recipe is rehearsed with a weaker and a stronger jet (one log-normal σ of the jet factor
each way, coarse grid, last heating move drawn out), which gives each cue its band; the latest stop is the first
thing to go wrong if the last heating move went on, in the middle run and, as the cautious figure, in the stronger one.
"""

import math
from dataclasses import dataclass, replace

from yellowfen.core.heat.jet import JET_FACTOR, JET_FACTOR_LOG_SIGMA
from yellowfen.core.heat.rehearsal import COARSE, Rehearsal, Resolution, rehearse
from yellowfen.core.heat.scene import Deed, Move, Scene
from yellowfen.core.heat.story import MAX_LIQUID_S, Kind, all_molten_s, tell

DRAWN_OUT_S = 90.0


@dataclass(frozen=True)
class Stop:
    """The latest moment to take the heat away, and the reason that binds."""

    at_s: float
    why: str


@dataclass(frozen=True)
class Doubt:
    """How far the forecast may be off: moments of the weaker and the stronger jet."""

    ref: str
    early_s: float | None
    late_s: float | None


@dataclass(frozen=True)
class Outlook:
    """Bands for each target's last melt, and the latest stop. Times from the first move."""

    bands: tuple[Doubt, ...]
    latest: Stop | None
    cautious: Stop | None
    sigma: float


def drawn_out(scene: Scene, extra_s: float = DRAWN_OUT_S) -> Scene:
    """The scene with its last heating move `extra_s` longer and nothing after it."""
    moves = list(scene.moves)
    while moves and moves[-1].deed is Deed.WITHDRAW:
        moves.pop()
    if not moves:
        return scene
    last: Move = moves[-1]
    moves[-1] = replace(last, seconds=min(last.seconds + extra_s, 900.0))
    return replace(scene, moves=tuple(moves))


def look_out(scene: Scene, resolution: Resolution = COARSE) -> Outlook:
    """Rehearse the drawn-out recipe with weak, middle and strong jet and read bands and stops off it."""
    longer = drawn_out(scene)
    middle = JET_FACTOR if scene.jet_factor is None else scene.jet_factor
    weak, usual, strong = (
        rehearse(replace(longer, jet_factor=middle * math.exp(power * JET_FACTOR_LOG_SIGMA)), resolution) for power in (-1, 0, 1)
    )
    bands = tuple(Doubt(ref, all_molten_s(strong.joints_of(ref)), all_molten_s(weak.joints_of(ref))) for ref in scene.targets)
    return Outlook(bands, latest_stop(longer, usual), latest_stop(longer, strong), JET_FACTOR_LOG_SIGMA)


def latest_stop(scene: Scene, rehearsal: Rehearsal) -> Stop | None:
    """The first harm in a drawn-out rehearsal, or None when none comes.

    Harm is a body past its limit, a part on the underside that falls, a target liquid for too long. A neighbour
    that comes loose stays where it is unless knocked; it is told, but stops nothing.
    """
    harms = [Stop(event.at_s, event.sentence) for event in tell(scene, rehearsal) if event.kind in (Kind.LIMIT_PASSED, Kind.FALLS)]
    for ref in scene.targets:
        firsts = [joint.melt_end_s for joint in rehearsal.joints_of(ref) if joint.melt_end_s is not None]
        if firsts and min(firsts) + MAX_LIQUID_S <= rehearsal.model.simulated_s:
            harms.append(
                Stop(min(firsts) + MAX_LIQUID_S, f"{ref} would be liquid for more than {MAX_LIQUID_S:.0f} s: flux spent, pads suffer")
            )
    return min(harms, key=lambda stop: stop.at_s) if harms else None
