"""The rehearsal told as moments in time order: what melts, what passes its limit, what may move,
fall or stand up, what freezes.

Neighbours are parts that are not targets. A neighbour counts as loose once all its joints are
molten; underneath, it stays up while its mass over its wetted pads is small.
"""

from collections.abc import Sequence
from dataclasses import dataclass
from enum import StrEnum

import numpy as np

from yellowfen.core.heat.drag import push_share
from yellowfen.core.heat.rehearsal import JointStory, Rehearsal
from yellowfen.core.heat.scene import PlacedPart, Scene, Side
from yellowfen.core.part.hanging import HANGS_G_IN2, falls, load_g_in2
from yellowfen.core.part.package import JointKind
from yellowfen.core.quantity.units import CELSIUS, GRAMS, SECONDS, with_unit
from yellowfen.core.source.mark import Mark, constant

FLUX_THINS_C = constant(
    "flux_thins",
    110.0,
    "°C",
    mark=Mark.COMMON_PRACTICE,
    source="tacky flux and paste flux turn clear and thin at 100 to 120 °C",
    affects="first cue",
)
MAX_LIQUID_S = constant(
    "longest_above_liquidus",
    90.0,
    "s",
    mark=Mark.COMMON_PRACTICE,
    source="paste makers' windows, 30 to 90 s above liquidus",
    affects="latest stop",
)
MOST_MELTS = constant(
    "most_melts",
    3.0,
    "heats",
    mark=Mark.COMMON_PRACTICE,
    source="joints dull and pads suffer after three",
    affects="re-melt note",
)
TOMBSTONE_S = constant(
    "tombstone_lag",
    1.0,
    "s",
    mark=Mark.FROM_MEMORY,
    source="one end molten so long before the other begins lets a small chip tombstone",
    affects="tombstone warning",
)
TOMBSTONE_MG = constant(
    "tombstone_mass",
    12.0,
    "mg",
    mark=Mark.FROM_MEMORY,
    source="0805 and smaller tombstone, larger chips rarely",
    affects="tombstone warning",
)
FLUX_ACTIVE_C = constant(
    "flux_active",
    130.0,
    "°C",
    mark=Mark.FROM_MEMORY,
    source="rosin fluxes work and are used up from about here",
    affects="grey crust",
)
FLUX_LIFE_S = constant(
    "flux_life",
    150.0,
    "s",
    mark=Mark.FROM_MEMORY,
    source="soaks longer than 120 s dry paste out; some margin",
    affects="grey crust",
)
RAMP_K_S = constant(
    "ramp_limit",
    3.0,
    "K/s",
    mark=Mark.FROM_MEMORY,
    source="IPC/JEDEC J-STD-020 profiles, as remembered",
    affects="ramp note",
)
RAMP_AIR_K_S = constant(
    "ramp_hot_air",
    6.0,
    "K/s",
    mark=Mark.FROM_MEMORY,
    source="hot air at a bench commonly raises a joint by 2 to 6 K/s",
    affects="ramp note of hot air",
)
RAMP_SPAN_S = constant(
    "ramp_span",
    2.0,
    "s",
    mark=Mark.FROM_MEMORY,
    source="a ramp is read over a couple of seconds, not an instant",
    affects="ramp note",
)
PUSHED_SHARE = 1.0


class EventKind(StrEnum):
    """What an event is."""

    FLUX_THINS = "flux turns clear"
    FIRST_MELT = "first melt"
    ALL_MOLTEN = "all molten"
    NEIGHBOUR_MELTS = "neighbour melts"
    NEIGHBOUR_LOOSE = "neighbour loose"
    LIMIT_PASSED = "limit passed"
    FROZEN = "frozen"
    NEVER_MELTS = "stays cold"
    FALLS = "falls"
    STANDS_UP = "may tombstone"
    CRUST = "flux spent"
    PUSHED = "pushed by the air"
    PAD_LAGS = "pad lags"


@dataclass(frozen=True, kw_only=True)
class Event:
    """One moment. `sentence` is what a builder would see or should know; `last` where it tells of
    many parts, up to the last one.
    """

    at_s: float
    kind: EventKind
    ref: str
    sentence: str
    last: bool = False


def all_molten_s(joints: list[JointStory]) -> float | None:
    """When the last joint is fully molten, or None if one never is."""
    moments = [joint.melt_end_s for joint in joints]
    known = [moment for moment in moments if moment is not None]
    return max(known) if known and len(known) == len(moments) else None


def frozen_s(joints: list[JointStory]) -> float | None:
    """When the last of the joints that melted is solid again; None when nothing melted or something
    is still liquid.
    """
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
            events += _neighbour_events(part, rehearsal)
        events += _movement_events(scene, part, rehearsal)
    events += _limit_events(scene, rehearsal)
    return tuple(sorted(events, key=lambda event: (event.at_s, event.ref)))


# What is said once for many parts instead of once for each.
_TOGETHER = {
    EventKind.FLUX_THINS: "flux turns clear and thin",
    EventKind.FIRST_MELT: "first shine",
    EventKind.ALL_MOLTEN: "all molten",
    EventKind.FROZEN: "solid again",
    EventKind.CRUST: "flux spent, a dry grey crust",
    EventKind.PAD_LAGS: "the exposed pad melts later: wait for it",
    EventKind.STANDS_UP: "may tombstone: heat both ends",
    EventKind.PUSHED: "pushed by the air: less air, or straight down",
    EventKind.NEVER_MELTS: "stays cold",
}
MOST_ALIKE = 3


def together(events: Sequence[Event]) -> tuple[Event, ...]:
    """The events with what happens to many parts said once, at the first of them: from which part
    to which, and when the last is.
    """
    kinds: dict[EventKind, list[Event]] = {}
    for event in events:
        kinds.setdefault(event.kind, []).append(event)
    told = []
    for kind, alike in kinds.items():
        if kind not in _TOGETHER or len(alike) <= MOST_ALIKE:
            told += alike
            continue
        first, last = alike[0], alike[-1]
        names = ", ".join(dict.fromkeys(event.ref for event in alike[:MOST_ALIKE]))
        until = (
            ""
            if last.at_s - first.at_s < 1
            else f", the last, {last.ref}, at {with_unit(last.at_s, SECONDS, 0)}"
        )
        said = f"{_TOGETHER[kind]}: {names} and {len(alike) - MOST_ALIKE} more{until}"
        told.append(Event(at_s=first.at_s, kind=kind, ref=first.ref, sentence=said, last=True))
    return tuple(sorted(told, key=lambda event: (event.at_s, event.ref)))


def _target_events(ref: str, rehearsal: Rehearsal) -> list[Event]:
    joints = rehearsal.joints_of(ref)
    starts = [(joint.melt_start_s, joint.pin) for joint in joints if joint.melt_start_s is not None]
    first, pin = min(starts, default=(None, ""))
    shine = f"first shine: pin {pin} of {ref} begins to melt"
    thin = f"flux at {ref} turns clear and thin and smokes lightly"
    solid = f"every joint of {ref} is solid; do not touch it earlier"
    return [
        *_at(_first_above(rehearsal, ref, FLUX_THINS_C), EventKind.FLUX_THINS, ref, thin),
        *_at(first, EventKind.FIRST_MELT, ref, shine),
        _melted(ref, joints, rehearsal),
        *_pad_events(ref, rehearsal),
        *_crust_events(ref, rehearsal),
        *_at(frozen_s(joints), EventKind.FROZEN, ref, solid),
    ]


def _at(at_s: float | None, kind: EventKind, ref: str, said: str) -> list[Event]:
    """An event where it came."""
    return [] if at_s is None else [Event(at_s=at_s, kind=kind, ref=ref, sentence=said)]


def _melted(ref: str, joints: list[JointStory], rehearsal: Rehearsal) -> Event:
    """All joints of a target molten, or which of them never are."""
    done = all_molten_s(joints)
    if done is not None:
        said = f"all {len(joints)} joints of {ref} are molten; a nudge springs back"
        return Event(at_s=done, kind=EventKind.ALL_MOLTEN, ref=ref, sentence=said)
    cold = [joint for joint in joints if joint.melt_end_s is None]
    coldest = min(joint.peak_c for joint in cold)
    said = f"{len(cold)} of {len(joints)} joints of {ref} never melt (coldest peak {with_unit(coldest, CELSIUS, 0)})"
    end = rehearsal.model.simulated_s
    return Event(at_s=end, kind=EventKind.NEVER_MELTS, ref=ref, sentence=said)


def _neighbour_events(part: PlacedPart, rehearsal: Rehearsal) -> list[Event]:
    ref = part.ref
    joints = rehearsal.joints_of(ref)
    first = min(
        (joint.melt_start_s for joint in joints if joint.melt_start_s is not None), default=None
    )
    loose = None if first is None else all_molten_s(joints)
    kind, said = EventKind.NEIGHBOUR_LOOSE, f"neighbour {ref} is loose: do not knock or blow it"
    if part.side is not Side.TOP:
        load = load_g_in2(part.package)
        said = f"{ref} on the underside is loose but holds ({load:.0f} of {HANGS_G_IN2:.0f} g/in²): do not knock"
        if falls(load):
            kind = EventKind.FALLS
            said = f"{ref} on the underside falls: {with_unit(load, GRAMS, 0)} per square inch of pad, the limit is {HANGS_G_IN2:.0f}"
    melts = f"neighbour {ref} begins to melt"
    return [*_at(first, EventKind.NEIGHBOUR_MELTS, ref, melts), *_at(loose, kind, ref, said)]


def _movement_events(scene: Scene, part: PlacedPart, rehearsal: Rehearsal) -> list[Event]:
    joints = rehearsal.joints_of(part.ref)
    events = []
    if len(joints) == 2 and part.package.mass_mg <= TOMBSTONE_MG:
        events += _tombstone_events(part.ref, joints)
    loose = all_molten_s(joints)
    if loose is not None:
        share = push_share(scene, part, loose)
        if share >= PUSHED_SHARE:
            said = f"the air pushes {part.ref} with {share:.1f} of what its molten solder holds: less air, or straight down"
            events.append(Event(at_s=loose, kind=EventKind.PUSHED, ref=part.ref, sentence=said))
    return events


def _tombstone_events(ref: str, joints: list[JointStory]) -> list[Event]:
    first, second = sorted(
        joints, key=lambda joint: joint.melt_end_s if joint.melt_end_s is not None else np.inf
    )
    if first.melt_end_s is None:
        return []
    other = second.melt_start_s
    if other is not None and other - first.melt_end_s < TOMBSTONE_S:
        return []
    lag = (
        "never melts"
        if other is None
        else f"melts {with_unit(other - first.melt_end_s, SECONDS, 1)} later"
    )
    return [
        Event(
            at_s=first.melt_end_s,
            kind=EventKind.STANDS_UP,
            ref=ref,
            sentence=f"{ref} may tombstone: pin {first.pin} is molten, pin {second.pin} {lag}; heat both ends",
        )
    ]


def _pad_events(ref: str, rehearsal: Rehearsal) -> list[Event]:
    """A thermal pad or tab that melts after the visible joints: the part must not be touched before
    it.
    """
    joints = rehearsal.joints_of(ref)
    hidden = [joint for joint in joints if joint.kind in (JointKind.THERMAL_PAD, JointKind.TAB)]
    edge = all_molten_s([joint for joint in joints if joint not in hidden])
    pad = all_molten_s(hidden)
    if edge is None or not hidden or (pad is not None and pad - edge < 0.5):
        return []
    said = "never melts" if pad is None else f"melts {with_unit(pad - edge, SECONDS, 1)} later"
    return [
        Event(
            at_s=edge,
            kind=EventKind.PAD_LAGS,
            ref=ref,
            sentence=f"the leads of {ref} are molten, its exposed pad {said}: wait for it",
        )
    ]


def _crust_events(ref: str, rehearsal: Rehearsal) -> list[Event]:
    warm = flux_time_s(rehearsal, ref)
    if warm <= FLUX_LIFE_S:
        return []
    said = f"flux at {ref} is hot for {with_unit(warm, SECONDS, 0)} before the solder melts: it dries to a grey crust; preheat shorter, finish hotter"
    return [Event(at_s=rehearsal.model.simulated_s, kind=EventKind.CRUST, ref=ref, sentence=said)]


def flux_time_s(rehearsal: Rehearsal, ref: str) -> float:
    """Longest time that a joint of this part is above the flux's working temperature before it
    melts, s.
    """
    longest = 0.0
    for index, joint in enumerate(rehearsal.joints):
        if joint.ref == ref:
            until = rehearsal.times_s <= (
                joint.melt_start_s if joint.melt_start_s is not None else np.inf
            )
            hot = rehearsal.joint_c[:, index] >= FLUX_ACTIVE_C
            steps = np.diff(rehearsal.times_s, prepend=0.0)
            longest = max(longest, float(steps[hot & until].sum()))
    return longest


def ramps_k_s(rehearsal: Rehearsal) -> tuple[float, ...]:
    """Steepest rise of every joint, K/s, read over a span of a couple of seconds; zeros without
    samples.
    """
    times = rehearsal.times_s
    if len(times) < 3:
        return (0.0,) * len(rehearsal.joints)
    later = np.minimum(np.searchsorted(times, times + RAMP_SPAN_S), len(times) - 1)
    span = times[later] - times
    whole = span > 0.5 * RAMP_SPAN_S
    rise = (rehearsal.joint_c[later] - rehearsal.joint_c)[whole] / span[whole, None]
    return tuple(np.maximum(rise.max(axis=0, initial=0.0), 0.0).tolist())


def rises_fast(scene: Scene, rehearsal: Rehearsal) -> tuple[tuple[str, float, str], ...]:
    """Targets that rise faster than hot-air practice and mind it: (part, K/s, what may come of it).
    Oven profiles allow `RAMP_K_S`, averaged.
    """
    minded = (
        (scene.part(ref), why) for ref in scene.targets if (why := _minds_a_ramp(scene.part(ref)))
    )
    return tuple(
        (part.ref, ramp, why)
        for part, why in minded
        if (ramp := ramp_k_s(rehearsal, part.ref)) > RAMP_AIR_K_S
    )


def _minds_a_ramp(part: PlacedPart) -> str:
    """What a steep rise may do to a part; empty for one that does not mind."""
    if part.package.family == "chip" and part.ref[:1].upper() == "C":
        return "ceramic capacitors crack"
    return "its plastic may blister or warp" if part.package.heat_shy else ""


def ramp_k_s(rehearsal: Rehearsal, ref: str) -> float:
    """Steepest rise of any joint of this part, K/s; 0 for a part without joints."""
    ramps = zip(rehearsal.joints, ramps_k_s(rehearsal), strict=True)
    return max((ramp for joint, ramp in ramps if joint.ref == ref), default=0.0)


def _limit_events(scene: Scene, rehearsal: Rehearsal) -> list[Event]:
    return [
        Event(
            at_s=part.limit_passed_s,
            kind=EventKind.LIMIT_PASSED,
            ref=part.ref,
            sentence=f"{part.ref} passes its limit of {with_unit(part.limit_c, CELSIUS, 0)} ({part.limit_why})",
        )
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
    """The neighbours nearest to trouble: by how close the body comes to its limit or a joint to
    melting.
    """

    def closeness(ref: str) -> float:
        part = rehearsal.part(ref)
        margins = [part.limit_c - part.body_peak_c] + [
            joint.liquidus_c - joint.peak_c for joint in rehearsal.joints_of(ref)
        ]
        return min(margins)

    others = [part.ref for part in scene.parts if part.ref not in scene.targets]
    return tuple(sorted(others, key=closeness)[:most])
