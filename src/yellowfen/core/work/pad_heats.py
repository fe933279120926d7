"""How many heats each pad of a board has had.

A heat is a run in which the joint was molten, not a pass of the nozzle: of parts that were seen to
flow all pads, by iron the pads that were done. What froze and melted once more within a run is told
apart. What a run's forecast says of neighbours, which nobody watched, is told apart too.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from yellowfen.core.heat.heat_plan import Forecast, HeatPlan
from yellowfen.core.work.bench_run import RunState
from yellowfen.core.work.bench_scripts import IronPlan, MendRun, PadsRun

Pad = tuple[str, str]
MOST_HEATS = 3


@dataclass(frozen=True, kw_only=True)
class PadHeats:
    """Heats of one pad: runs in which its joint was molten, in which it was worked on `bare` (its
    part off), melts beyond the first within a run, and runs in which it was a neighbour and molten
    by their forecast.
    """

    heats: int = 0
    bare: int = 0
    again: int = 0
    likely: int = 0

    @property
    def known(self) -> int:
        """Heats that somebody saw or gave it."""
        return self.heats + self.bare

    @property
    def most(self) -> int:
        """Heats with those that only a forecast tells."""
        return self.known + self.likely

    def __add__(self, other: "PadHeats") -> "PadHeats":
        return PadHeats(
            heats=self.heats + other.heats,
            bare=self.bare + other.bare,
            again=self.again + other.again,
            likely=self.likely + other.likely,
        )


def pads_heated(
    plan: object,
    forecast: Forecast | None,
    molten: Sequence[str],
    state: RunState,
    pins: Mapping[str, Sequence[str]],
) -> dict[Pad, PadHeats]:
    """What one run did to pads. `molten`: parts seen to flow in a heat; `pins` of every part."""
    match plan:
        case HeatPlan():
            return _by_heat(forecast or Forecast(targets=()), molten, pins)
        case IronPlan():
            return _by_iron(plan, state, pins)
        case PadsRun():
            pads = [one.pin for one in plan.steps if f"pad {one.pin}" in state.done]
            return {(plan.ref, pin): PadHeats(bare=1) for pin in pads}
        case MendRun():
            return {
                (one.ref, one.pin): PadHeats(heats=1)
                for one in plan.steps
                if one.touches and f"mend {one.ref}.{one.pin}" in state.done
            }
        case _:
            return {}


def _by_heat(
    forecast: Forecast, molten: Sequence[str], pins: Mapping[str, Sequence[str]]
) -> dict[Pad, PadHeats]:
    if not molten:
        return {}
    melts = {(ref, pin): number for ref, pin, number in forecast.melts}
    found = {
        (ref, pin): PadHeats(heats=1, again=max(melts.get((ref, pin), 1) - 1, 0))
        for ref in molten
        for pin in pins.get(ref, ())
    }
    seen = set(molten)
    likely = {pad: PadHeats(likely=1) for pad in melts if pad[0] not in seen}
    return found | likely


def _by_iron(
    plan: IronPlan, state: RunState, pins: Mapping[str, Sequence[str]]
) -> dict[Pad, PadHeats]:
    if not plan.rows:  # a record of what was done without the clock
        return {(ref, pin): PadHeats(heats=1) for ref in plan.refs for pin in pins.get(ref, ())}
    ref = plan.refs[0]
    touches = [pin for pin in plan.tacks if f"tack {pin}" in state.done]
    touches += [
        pin
        for number, row in enumerate(plan.rows, 1)
        if f"row {number}" in state.done
        for pin in row.pins
    ]
    return {
        (ref, pin): PadHeats(heats=1, again=touches.count(pin) - 1)
        for pin in dict.fromkeys(touches)
    }


def summed(runs: Iterable[Mapping[Pad, PadHeats]]) -> dict[Pad, PadHeats]:
    """Over several runs."""
    total: dict[Pad, PadHeats] = {}
    for run in runs:
        for pad, heats in run.items():
            total[pad] = total.get(pad, PadHeats()) + heats
    return total


def by_part(pads: Mapping[Pad, PadHeats]) -> dict[str, int]:
    """The most heats that were seen or done at any joint of each part; those of its bare pads are
    not the part's. Parts without any are absent.
    """
    found: dict[str, int] = {}
    for (ref, _), one in pads.items():
        if one.heats:
            found[ref] = max(found.get(ref, 0), one.heats)
    return found


@dataclass(frozen=True, kw_only=True)
class HeatsTold:
    """Pads that had as many heats, parts whose pads are all alike by their name: "U4, C12 pin 2"."""

    most: int
    pads: str
    too_many: bool


def _some(ref: str, pins: Sequence[str]) -> str:
    return f"{ref} {'pin' if len(pins) == 1 else 'pins'} {' '.join(pins)}"


def told(pads: Mapping[Pad, PadHeats], pins: Mapping[str, Sequence[str]]) -> tuple[HeatsTold, ...]:
    """Pads by how many heats they had, the most first, those of neighbours by forecast with them."""
    levels = sorted({one.most for one in pads.values() if one.most}, reverse=True)
    found = []
    for most in levels:
        refs: dict[str, list[str]] = {}
        for (ref, pin), one in pads.items():
            if one.most == most:
                refs.setdefault(ref, []).append(pin)
        said = [
            ref if set(mine) >= set(pins.get(ref, mine)) else _some(ref, mine)
            for ref, mine in refs.items()
        ]
        found.append(HeatsTold(most=most, pads=", ".join(said), too_many=most > MOST_HEATS))
    return tuple(found)
