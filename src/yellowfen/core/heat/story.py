"""The rehearsal told as moments in time order: what melts, what passes its limit, what freezes.

Neighbours are parts that are not targets. A neighbour counts as loose once all its joints are molten.
"""

from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from yellowfen.core.heat.rehearsal import JointStory, Rehearsal
from yellowfen.core.heat.scene import Scene, Side
from yellowfen.core.source.mark import Mark, constant

FLUX_THINS_C = constant("flux_thins", 110.0, "°C", Mark.COMMON_PRACTICE, "tacky flux and paste flux run thin at 100 to 120 °C", "first cue")


class Kind(StrEnum):
    """What an event is."""

    FLUX_THINS = "flux thins"
    FIRST_MELT = "first melt"
    ALL_MOLTEN = "all molten"
    NEIGHBOUR_MELTS = "neighbour melts"
    NEIGHBOUR_LOOSE = "neighbour loose"
    LIMIT_PASSED = "limit passed"
    FROZEN = "frozen"
    NEVER_MELTS = "stays cold"


@dataclass(frozen=True)
class Event:
    """One moment. `sentence` is what a builder would see or should know."""

    at_s: float
    kind: Kind
    ref: str
    sentence: str


def all_molten_s(joints: list[JointStory]) -> float | None:
    """When the last joint is fully molten, or None if one never is."""
    moments = [joint.melt_end_s for joint in joints]
    known = [moment for moment in moments if moment is not None]
    return max(known) if known and len(known) == len(moments) else None


def frozen_s(joints: list[JointStory]) -> float | None:
    """When the last of the joints that melted is solid again; None when nothing melted or something is still liquid."""
    melted = [joint for joint in joints if joint.melt_start_s is not None]
    if not melted or any(joint.freeze_s is None for joint in melted):
        return None
    return max(joint.freeze_s for joint in melted if joint.freeze_s is not None)


def tell(scene: Scene, rehearsal: Rehearsal) -> tuple[Event, ...]:
    """All events of the rehearsal, earliest first."""
    events: list[Event] = []
    for ref in scene.targets:
        events += _target_events(ref, rehearsal)
    for part in scene.parts:
        if part.ref not in scene.targets:
            events += _neighbour_events(part.ref, part.side is Side.BOTTOM, rehearsal)
    events += _limit_events(scene, rehearsal)
    return tuple(sorted(events, key=lambda event: (event.at_s, event.ref)))


def _target_events(ref: str, rehearsal: Rehearsal) -> list[Event]:
    joints = rehearsal.joints_of(ref)
    events = []
    thin = _first_above(rehearsal, ref, FLUX_THINS_C)
    if thin is not None:
        events.append(Event(thin, Kind.FLUX_THINS, ref, f"flux at {ref} runs thin and smokes lightly"))
    starts = [(joint.melt_start_s, joint.pin) for joint in joints if joint.melt_start_s is not None]
    if starts:
        first, pin = min(starts)
        events.append(Event(first, Kind.FIRST_MELT, ref, f"first shine: pin {pin} of {ref} begins to melt"))
    done = all_molten_s(joints)
    if done is not None:
        events.append(Event(done, Kind.ALL_MOLTEN, ref, f"all {len(joints)} joints of {ref} are molten; a nudge springs back"))
    else:
        cold = [joint for joint in joints if joint.melt_end_s is None]
        end = rehearsal.model.simulated_s
        events.append(
            Event(
                end,
                Kind.NEVER_MELTS,
                ref,
                f"{len(cold)} of {len(joints)} joints of {ref} never melt through (coldest peak {min(j.peak_c for j in cold):.0f} °C)",
            )
        )
    solid = frozen_s(joints)
    if solid is not None:
        events.append(Event(solid, Kind.FROZEN, ref, f"every joint of {ref} is solid again; do not touch before"))
    return events


def _neighbour_events(ref: str, beneath: bool, rehearsal: Rehearsal) -> list[Event]:
    joints = rehearsal.joints_of(ref)
    starts = [joint.melt_start_s for joint in joints if joint.melt_start_s is not None]
    if not starts:
        return []
    events = [Event(min(starts), Kind.NEIGHBOUR_MELTS, ref, f"neighbour {ref} begins to melt")]
    loose = all_molten_s(joints)
    if loose is not None:
        events.append(
            Event(
                loose,
                Kind.NEIGHBOUR_LOOSE,
                ref,
                f"{ref} underneath is loose and may fall" if beneath else f"neighbour {ref} is loose: a knock or a gust moves it",
            )
        )
    return events


def _limit_events(scene: Scene, rehearsal: Rehearsal) -> list[Event]:
    return [
        Event(part.limit_passed_s, Kind.LIMIT_PASSED, part.ref, f"{part.ref} passes its limit of {part.limit_c:.0f} °C ({part.limit_why})")
        for part in rehearsal.parts
        if part.limit_passed_s is not None
    ]


def _first_above(rehearsal: Rehearsal, ref: str, level_c: float) -> float | None:
    columns = [index for index, joint in enumerate(rehearsal.joints) if joint.ref == ref]
    if not columns:
        return None
    hot = rehearsal.joint_c[:, columns].max(axis=1) >= level_c
    return float(rehearsal.times_s[int(np.argmax(hot))]) if hot.any() else None


def hottest_neighbours(scene: Scene, rehearsal: Rehearsal, most: int = 4) -> tuple[str, ...]:
    """The neighbours nearest to trouble: by how close the body comes to its limit or a joint to melting."""

    def closeness(ref: str) -> float:
        part = rehearsal.part(ref)
        margins = [part.limit_c - part.body_peak_c] + [joint.liquidus_c - joint.peak_c for joint in rehearsal.joints_of(ref)]
        return min(margins)

    others = [part.ref for part in scene.parts if part.ref not in scene.targets]
    return tuple(sorted(others, key=closeness)[:most])
