"""Salvage on a plate: how many parts one pair of hands takes off in a heating, and in which order,
so that those still on survive.

Laws: a part is lifted when it is liquid, never before; the heating ends at the first limit passed
by a part that is still on.
"""

import math
from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from yellowfen.core.heat.rehearsal import Rehearsal
from yellowfen.core.heat.scene import Scene
from yellowfen.core.heat.source import Control, HotPlate
from yellowfen.core.heat.story import all_molten_s
from yellowfen.core.quantity.number import in_range
from yellowfen.core.source.mark import Mark, constant

PART_S = constant(
    "seconds_lift_part",
    3.0,
    "s",
    mark=Mark.FROM_MEMORY,
    source="tweezers, off, into the tray; yours to change",
    affects="salvage on a plate",
)


@dataclass(frozen=True, kw_only=True)
class Waiting:
    """A part on the plate: when it is liquid, when it passes its limit (None: never), s."""

    ref: str
    liquid_s: float | None
    limit_s: float | None


@dataclass(frozen=True, kw_only=True)
class Lifted:
    """A part lifted: from when its hands are on it until it is off, s."""

    ref: str
    from_s: float
    off_s: float


@dataclass(frozen=True, kw_only=True)
class Harvest:
    """What comes off in one heating, in order; what is left on and why the heating ends."""

    lifted: tuple[Lifted, ...]
    left: tuple[str, ...]
    ends_s: float | None
    ends_by: str
    minds: str


def harvest(parts: Sequence[Waiting], part_s: float = PART_S, heat_s: float = math.inf) -> Harvest:
    """What one pair of hands takes off, at so many seconds a part (0.5 to 60), while the heat
    lasts: the best of a few plain orders, with single parts put elsewhere as long as more come off.
    """
    in_range("part_s", part_s, 0.5, 60, "s")
    solid = [one for one in parts if one.liquid_s is None]
    liquid = [one for one in parts if one.liquid_s is not None]
    plain = (
        sorted(liquid, key=lambda one: (_due(one), one.liquid_s or 0.0, one.ref)),
        sorted(liquid, key=lambda one: (one.liquid_s or 0.0, _due(one), one.ref)),
        sorted(liquid, key=lambda one: (_due(one) + (one.liquid_s or 0.0), one.ref)),
    )
    best = max(
        (_improved(order, solid, part_s, heat_s) for order in plain), key=lambda found: found[0]
    )
    lifted = best[1]
    gone = {one.ref for one in lifted}
    end, by = _end((one for one in parts if one.ref not in gone), heat_s)
    return Harvest(
        lifted=lifted,
        left=tuple(sorted(one.ref for one in parts if one.ref not in gone)),
        ends_s=end if math.isfinite(end) else None,
        ends_by=by,
        minds="",
    )


Score = tuple[int, float]


def _improved(
    order: list[Waiting], solid: list[Waiting], part_s: float, heat_s: float
) -> tuple[Score, tuple[Lifted, ...]]:
    """An order with single parts moved while that takes more off, or as much sooner."""
    best = _worked(order, solid, part_s, heat_s)
    better = True
    while better and best[0][0] < len(order):
        better = False
        for here in range(len(order)):
            for there in range(len(order)):
                other = [one for place, one in enumerate(order) if place != here]
                other.insert(there, order[here])
                found = _worked(other, solid, part_s, heat_s)
                if found[0] > best[0]:
                    best, order, better = found, other, True
    return best


def _worked(
    order: Sequence[Waiting], solid: Sequence[Waiting], part_s: float, heat_s: float
) -> tuple[Score, tuple[Lifted, ...]]:
    """What comes off in this order: how many (and how soon, negative), and when each."""
    now, lifted = 0.0, []
    limits = [_due(one) for one in order]
    others = min((_due(one) for one in solid), default=math.inf)
    later = [min(limits[place:], default=math.inf) for place in range(len(limits) + 1)]
    for place, one in enumerate(order):
        now = max(now, one.liquid_s or 0.0)
        if now + part_s > min(heat_s, others, later[place]):
            break
        lifted.append(Lifted(ref=one.ref, from_s=now, off_s=now + part_s))
        now += part_s
    return (len(lifted), -now), tuple(lifted)


def _due(one: Waiting) -> float:
    return math.inf if one.limit_s is None else one.limit_s


def _end(on: Iterable[Waiting], heat_s: float) -> tuple[float, str]:
    """When the heating has to end for what is still on, and by whom."""
    still = sorted(on, key=lambda one: (_due(one), one.ref))
    if still and _due(still[0]) < heat_s:
        return _due(still[0]), f"{still[0].ref} passes its limit"
    return heat_s, "the heat ends" if math.isfinite(heat_s) else ""


def harvest_of(scene: Scene, seen: Rehearsal, part_s: float = PART_S) -> Harvest:
    """The harvest of a rehearsed plate heat, its targets lifted."""
    limits = {part.ref: part.limit_passed_s for part in seen.parts}
    parts = [
        Waiting(ref=ref, liquid_s=all_molten_s(seen.joints_of(ref)), limit_s=limits[ref])
        for ref in scene.targets
    ]
    heat_s = sum(move.seconds for move in scene.moves if move.heats)
    found = harvest(parts, part_s, heat_s)
    source = scene.source
    swings = isinstance(source, HotPlate) and source.control is Control.THERMOSTAT
    minds = "A thermostat swings: lift while it heats." if swings else ""
    return Harvest(
        lifted=found.lifted,
        left=found.left,
        ends_s=found.ends_s,
        ends_by=found.ends_by,
        minds=minds,
    )
