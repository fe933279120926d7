"""A run as it was done at the bench: what it follows, what was tapped, what that says of its parts.

Laws: it concludes from its own taps only; what several runs of one board come to is the ledger's.
"""

from dataclasses import dataclass
from functools import cached_property
from typing import TypeVar

from yellowfen.core.deposit.hand_plan import HandPlan
from yellowfen.core.heat.heat_plan import Forecast, HeatPlan
from yellowfen.core.work.bench_run import RunKind, RunState, Script, Tap, state_after
from yellowfen.core.work.bench_scripts import (
    IronPlan,
    KitPlan,
    MendRun,
    PadsRun,
    PlacingPlan,
    PrintRun,
    WashRun,
    hand_script,
    iron_script,
    kit_script,
    mend_script,
    pads_script,
    placing_script,
    print_script,
    wash_script,
)
from yellowfen.core.work.check_script import CheckPlan, check_script
from yellowfen.core.work.heat_script import (
    ALL_FLOWED,
    AWAY,
    SOLID,
    START,
    UNCLOCKED,
    flowed_key,
    heat_script,
    lifted_key,
    near_key,
    stop_key,
)
from yellowfen.core.work.job import FoundMark, Purpose
from yellowfen.core.work.look_script import LookPlan, look_script
from yellowfen.core.work.removal import RemovalRun, removal_script

Plan = (
    HeatPlan
    | PlacingPlan
    | HandPlan
    | KitPlan
    | LookPlan
    | IronPlan
    | PadsRun
    | CheckPlan
    | MendRun
    | PrintRun
    | WashRun
    | RemovalRun
)
_P = TypeVar("_P", bound=Plan)
SOLDERING = (RunKind.HEAT, RunKind.IRON, RunKind.MEND)
PLANS: dict[RunKind, type[Plan]] = {
    RunKind.HEAT: HeatPlan,
    RunKind.PLACE: PlacingPlan,
    RunKind.PASTE: HandPlan,
    RunKind.KIT: KitPlan,
    RunKind.LOOK: LookPlan,
    RunKind.IRON: IronPlan,
    RunKind.PADS: PadsRun,
    RunKind.CHECK: CheckPlan,
    RunKind.MEND: MendRun,
    RunKind.WASH: WashRun,
    RunKind.PRINT: PrintRun,
    RunKind.REMOVE: RemovalRun,
}


@dataclass(frozen=True, kw_only=True)
class BenchRun:
    """One run: what it follows, what was tapped, what was noted afterwards; `marks` is what looks
    at the joints soldered in it found; a look tells in `looks_at` at which run's.
    """

    id: int
    job_id: int
    job_name: str
    board_id: int
    board_name: str
    kind: RunKind
    side: str
    started_at: str
    plan: Plan
    forecast: Forecast | None
    taps: tuple[Tap, ...] = ()
    marks: tuple[FoundMark, ...] = ()
    note: str = ""
    finished: bool = False
    heat_id: int | None = None
    piece_id: int | None = None
    looks_at: int | None = None
    purpose: Purpose = Purpose.BUILD
    piece_name: str = ""

    def planned(self, kind: type[_P]) -> _P:
        """The plan as one of its kind. Raises TypeError for another."""
        if not isinstance(self.plan, kind):
            raise TypeError(f"a {self.kind} run has no {kind.__name__}")
        return self.plan

    @cached_property
    def script(self) -> Script:
        """The cues it goes through."""
        match self.plan:
            case HeatPlan():
                return heat_script(self.plan, self.forecast or Forecast(targets=()))
            case PlacingPlan():
                return placing_script(self.plan)
            case HandPlan():
                return hand_script(self.plan)
            case KitPlan():
                return kit_script(self.plan)
            case LookPlan():
                return look_script(self.plan)
            case IronPlan():
                return iron_script(self.plan)
            case PadsRun():
                return pads_script(self.plan)
            case CheckPlan():
                return check_script(self.plan)
            case MendRun():
                return mend_script(self.plan)
            case WashRun():
                return wash_script(self.plan)
            case PrintRun():
                return print_script(self.plan)
            case RemovalRun():
                return removal_script(self.plan)

    @property
    def targets(self) -> tuple[str, ...]:
        """The parts that were soldered or taken off in it."""
        match self.plan:
            case HeatPlan():
                return self.plan.targets
            case IronPlan():
                return self.plan.refs
            case RemovalRun():
                return (self.plan.ref,)
            case _:
                return ()

    @property
    def set_to(self) -> str:
        """What was set, in words."""
        match self.plan:
            case HeatPlan():
                return f"{self.plan.in_words()}, {self.plan.alloy}"
            case IronPlan():
                return f"by iron, {self.plan.iron}" if self.plan.iron else "by iron"
            case RemovalRun():
                return self.plan.way
            case _:
                return ""

    @cached_property
    def state(self) -> RunState:
        return state_after(self.script, self.taps)

    def seconds_of(self, cue: str) -> float | None:
        """Seconds from the start to a cue's tap, None where it was not tapped."""
        at = next((tap.at_ms for tap in self.taps if tap.cue == cue and tap.word == "done"), None)
        return None if at is None else (at - self.taps[0].at_ms) / 1000

    def flow_cue(self, ref: str) -> str:
        """The cue by which a part of a heat is seen to flow (of a tour: its stop's)."""
        stops = self.forecast.stops if self.forecast else ()
        number = next((n for n, stop in enumerate(stops, 1) if ref in stop.refs), None)
        if number is not None:
            return stop_key(number)
        if self.lifting:
            return lifted_key(ref)
        grouped = self.forecast is not None and self.forecast.grouped
        return ALL_FLOWED if grouped else flowed_key(ref)

    def flowed_s(self, ref: str) -> float | None:
        """When a part was seen to flow in a heat (of a tour: its stop), or None."""
        return self.seconds_of(self.flow_cue(ref))

    @property
    def molten(self) -> tuple[str, ...]:
        """Parts seen to flow in a heat, or said to have."""
        if UNCLOCKED in self.state.done:
            return self.targets
        if not isinstance(self.plan, HeatPlan):
            return ()
        return tuple(ref for ref in self.targets if self.flowed_s(ref) is not None)

    @property
    def lifting(self) -> bool:
        """True for a run that takes parts off."""
        return isinstance(self.plan, RemovalRun) or (
            isinstance(self.plan, HeatPlan) and self.plan.lifts
        )

    @property
    def lifted(self) -> tuple[str, ...]:
        """Parts taken off in it."""
        if isinstance(self.plan, RemovalRun):
            return (self.plan.ref,) if self.plan.lifted_cue in self.state.done else ()
        return self.molten if self.lifting else ()

    @property
    def moved(self) -> tuple[str, ...]:
        """Neighbours that a lift moved or took along."""
        return tuple(
            key.removeprefix(near_key(""))
            for key, word in self.state.aside.items()
            if key.startswith(near_key("")) and word == "moved"
        )

    @property
    def in_doubt_first(self) -> tuple[str, ...]:
        """Its parts, those not seen to flow before the others: where Look begins."""
        return tuple(sorted(self.targets, key=lambda ref: ref in self.molten))

    @property
    def clocked(self) -> bool:
        """True for a heat that was run by the clock."""
        return any(tap.cue in (START, AWAY, SOLID) for tap in self.taps)
