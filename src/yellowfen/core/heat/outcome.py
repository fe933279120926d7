"""What a recipe comes to, read off a run's state: which joints stay cold, which neighbours come
loose or fall, which bodies cook.

Used wherever many recipes are compared (bands, window, search), where whole rehearsals would be too
slow. After the heat is taken away the run goes on until nothing that has not happened yet still
can: heat only flows downhill, so once the hottest point anywhere is below every threshold not yet
passed, the outcome stands.
"""

from dataclasses import dataclass, replace
from enum import StrEnum

import numpy as np
from numpy.typing import NDArray

from yellowfen.core.heat import kernel_tables as k
from yellowfen.core.heat.rehearsal import HeatState, Prepared, advance
from yellowfen.core.heat.scene import Deed, Move, Scene, Side
from yellowfen.core.heat.story import MAX_LIQUID_S
from yellowfen.core.part.hanging import falls, load_g_in2
from yellowfen.core.quantity.units import CELSIUS, SECONDS, with_unit

LONGEST_AFTER_HEAT_S = 60.0


class Fate(StrEnum):
    """What a recipe comes to, worst last."""

    GOOD = "good"
    SPILLS = "a neighbour comes loose"
    COLD = "a joint stays cold"
    HARM = "harm"


@dataclass(frozen=True, kw_only=True)
class Outcome:
    """The fate of one recipe and who set it; `last_s` is when the last target joint was molten,
    `loose` how many neighbours came loose.
    """

    fate: Fate
    by: str
    why: str
    last_s: float | None
    peak_c: float
    loose: int = 0


@dataclass(frozen=True, kw_only=True)
class Watch:
    """Which rows of a run's records matter, prepared once for a scene: the joints of the targets;
    of each neighbour (`neighbour_starts` into `neighbour_joints`), which of them would fall.
    """

    scene: Scene
    target_joints: tuple[int, ...]
    neighbours: tuple[str, ...]
    neighbour_joints: NDArray[np.intp]
    neighbour_starts: NDArray[np.intp]
    falling: frozenset[str]
    names: tuple[tuple[str, str], ...]


def watch(prepared: Prepared) -> Watch:
    """The rows of targets and neighbours in the tables of a prepared scene."""
    scene = prepared.scene
    rows: dict[str, list[int]] = {}
    for index, name in enumerate(prepared.network.names):
        rows.setdefault(name.ref, []).append(index)
    targets = tuple(index for ref in scene.targets for index in rows.get(ref, []))
    others = [
        part
        for part in scene.parts
        if part.ref not in scene.targets and part.ref in rows and part.ref not in scene.spared
    ]
    joints = [rows[part.ref] for part in others]
    return Watch(
        scene=scene,
        target_joints=targets,
        neighbours=tuple(part.ref for part in others),
        neighbour_joints=np.array([row for each in joints for row in each], dtype=np.intp),
        neighbour_starts=np.cumsum([0, *map(len, joints)][:-1], dtype=np.intp),
        falling=frozenset(
            part.ref
            for part in others
            if part.side is Side.BOTTOM and falls(load_g_in2(part.package))
        ),
        names=tuple((name.ref, name.pin) for name in prepared.network.names),
    )


def outcome(seen: Watch, state: HeatState, *, cautious: bool = False) -> Outcome:
    """The fate that a state's records tell. `cautious` counts a neighbour as loose from where the
    last of its joints begins to melt: for coarse cells, which are late at small parts.
    """
    ends = state.joint_record[:, k.R_MELT_END]
    target = np.array(seen.target_joints, dtype=int)
    cold = target[ends[target] < 0]
    last = None if len(cold) else float(ends[target].max())
    peak = float(state.joint_record[target, k.R_PEAK].max()) + seen.scene.ambient_c
    for harm in harms(seen, state):
        return Outcome(fate=Fate.HARM, by=harm.ref, why=harm.short, last_s=last, peak_c=peak)
    if len(cold):
        coldest = cold[int(np.argmin(state.joint_record[cold, k.R_PEAK]))]
        ref, pin = seen.names[coldest]
        return Outcome(
            fate=Fate.COLD, by=ref, why=f"pin {pin} of {ref} stays cold", last_s=None, peak_c=peak
        )
    loose = loose_s(seen, state, begun=cautious)
    if loose:
        _, ref = min((at, ref) for ref, at in loose.items())
        more = f" and {len(loose) - 1} more" if len(loose) > 1 else ""
        return Outcome(
            fate=Fate.SPILLS,
            by=ref,
            why=f"{ref} comes loose{more}",
            last_s=last,
            peak_c=peak,
            loose=len(loose),
        )
    return Outcome(fate=Fate.GOOD, by="", why="", last_s=last, peak_c=peak)


@dataclass(frozen=True, kw_only=True)
class Harm:
    """One harm: when, to what part (and pin), what is said of it in short and in full; `too_long`
    where a target is liquid too long.
    """

    at_s: float
    ref: str
    short: str
    whole: str
    too_long: bool = False


def loose_s(seen: Watch, state: HeatState, *, begun: bool = False) -> dict[str, float]:
    """When each neighbour that has come loose did so: its last joint molten (`begun`: melting)."""
    if not seen.neighbours:
        return {}
    moment = k.R_MELT_START if begun else k.R_MELT_END
    ends = state.joint_record[seen.neighbour_joints, moment]
    first, last = (each.reduceat(ends, seen.neighbour_starts) for each in (np.minimum, np.maximum))
    return {seen.neighbours[n]: float(last[n]) for n in np.flatnonzero(first >= 0).tolist()}


def harms(seen: Watch, state: HeatState) -> list[Harm]:
    """The harms so far, first in time first: a body past its limit, a part that falls, a target
    liquid too long unless it is lifted then; none of a part that is spared. The one rule of
    outcome, window, search and bands.
    """
    found = []
    passed = state.body_record[:, k.R_LIMIT_AT]
    for number in np.flatnonzero(passed >= 0).tolist():
        part = seen.scene.parts[number]
        if part.ref not in seen.scene.spared:
            short = f"{part.ref} passes {with_unit(part.package.limit_c, CELSIUS, 0)}"
            whole = f"{part.ref} passes its limit of {with_unit(part.package.limit_c, CELSIUS, 0)} ({part.package.limit_why})"
            found.append(Harm(at_s=float(passed[number]), ref=part.ref, short=short, whole=whole))
    for ref, at in loose_s(seen, state).items():
        if ref in seen.falling:
            said = f"{ref} falls off the underside"
            found.append(Harm(at_s=at, ref=ref, short=said, whole=said))
    for index in () if seen.scene.lifting else seen.target_joints:
        if state.joint_record[index, k.R_ABOVE] > MAX_LIQUID_S:
            ref, pin = seen.names[index]
            long = f"molten for more than {with_unit(MAX_LIQUID_S, SECONDS, 0)}"
            found.append(
                Harm(
                    at_s=float(state.joint_record[index, k.R_MELT_END]) + MAX_LIQUID_S,
                    ref=ref,
                    short=f"pin {pin} of {ref} is {long}",
                    whole=f"{ref} would be {long}: flux spent, pads suffer",
                    too_long=True,
                )
            )
    return sorted(found, key=lambda one: (one.at_s, one.ref, one.short))


def after_heat(
    prepared: Prepared,
    state: HeatState,
    seconds: float = LONGEST_AFTER_HEAT_S,
    to_solid: bool = False,
) -> HeatState:
    """A copy of a state, cooled with the heat away until its outcome stands (or `seconds` have
    passed); `to_solid` also until nothing is molten.
    """
    cooled = state.copy()
    settle_k = lowest_threshold_k(prepared, cooled)
    if to_solid and len(prepared.network.joints):
        settle_k = min(settle_k, float(prepared.network.joints[:, k.J_SOLIDUS].min()))
    away = replace(
        prepared.scene, moves=(Move(deed=Deed.WITHDRAW, seconds=seconds),), preheater=None
    )
    advance(prepared, cooled, prepared.drive(away), sampled=False, settle_k=settle_k)
    return cooled


def lowest_threshold_k(prepared: Prepared, state: HeatState) -> float:
    """The lowest temperature that would still change the outcome: the end of melting of a joint not
    molten yet, a limit not passed, K above the room.
    """
    network = prepared.network
    unmelted = state.joint_record[:, k.R_MELT_END] < 0
    melting = network.joints[unmelted, k.J_SOLIDUS] + network.joints[unmelted, k.J_RANGE]
    unpassed = state.body_record[:, k.R_LIMIT_AT] < 0
    levels = np.concatenate([melting, network.bodies[unpassed, k.B_LIMIT]])
    return float(levels.min()) if len(levels) else 1e9


def heating_moves(scene: Scene) -> tuple[Move, ...]:
    """The moves up to the last one with heat."""
    moves = list(scene.moves)
    while moves and not moves[-1].heats:
        moves.pop()
    return tuple(moves)
