"""A kind of run, described once, and a run as it was done at the bench: what it follows, what was
tapped, what that says of its parts.

Laws: a run concludes from its own taps only; what several runs of one board come to is the ledger's.
Whatever differs between kinds stands in their `KindOfRun`, made in the module of that kind; the list
of them is `kinds`.
"""

from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, TypeVar

from yellowfen.core.heat.heat_plan import Forecast, HeatPlan
from yellowfen.core.run.did import Did, LedgerEntry, Pins
from yellowfen.core.run.heat_cues import (
    ALL_FLOWED,
    AWAY,
    SOLID,
    START,
    UNCLOCKED,
    flowed_key,
    lifted_key,
    near_key,
    stop_key,
)
from yellowfen.core.run.machine import RunRule, RunState, Script, Tap, state_after
from yellowfen.core.run.pad_heats import Pad, PadHeats
from yellowfen.core.work.job import FoundMark, Purpose

_P = TypeVar("_P")


@dataclass(frozen=True, kw_only=True)
class Key:
    """How a word besides the main one is answered: what its button says, the key that is pressed
    (`press`) and how that key is shown (`hint`). `only`: what the cues begin with that it belongs to.
    """

    say: str
    press: str
    hint: str
    only: str = ""


SKIP = Key(say="Skip", press="ArrowRight", hint="→")


def _nobody(plan: Any) -> tuple[str, ...]:
    return ()


def _nothing(plan: Any) -> str:
    return ""


def _no_entries(run: "BenchRun", pins: Pins, board: str, stored: int) -> Iterator[LedgerEntry]:
    return iter(())


def _never(plan: Any) -> bool:
    return False


def _count_stored(run: "BenchRun") -> str:
    """What is stored, as a count."""
    if not run.taps:
        return ""
    return f"{len(run.state.done)} of {len(run.script.cues)} stored"


@dataclass(frozen=True, kw_only=True, eq=False)
class KindOfRun:
    """One kind of run: all that is particular to it.

    `name` as it is stored; `plan` the record that a run of it follows, `script` its cues (of a heat
    with the forecast), `rule` what may be tapped; `keys` of the words beside the main one.

    In words: `doing` (above the cue), `spent` (its minutes in Finish), `did` (in the logbook),
    `caution` by plan, `told` what is stored so far.

    Pages of the job: `back` where it was started, `onward` where it leads and what that link says
    ("" for neither). What it comes to: `targets` the parts that it solders or removes, `set_to` the
    settings, `entries` for the ledger, `marks` that a look found; `refuses` says why a tap's text
    cannot be.

    `solders`: its joints are looked at; `for_all`: it is done once for all boards of a job, so that
    no board need be on the bench; `any_board`: it may begin before one is; `task`: its step in the
    schedule.
    """

    name: str
    plan: type[Any]
    script: Callable[[Any, Forecast | None], Script]
    rule: RunRule
    doing: str
    caution: Callable[[Any], str]
    keys: Mapping[str, Key] = field(default_factory=dict)
    spent: str = ""
    did: Callable[["BenchRun"], str] | None = None
    told: Callable[["BenchRun"], str] = _count_stored
    back: Callable[["BenchRun"], str] | str = ""
    onward: Callable[["BenchRun"], tuple[str, str]] | tuple[str, str] = ("", "")
    targets: Callable[[Any], tuple[str, ...]] = _nobody
    lifts: Callable[[Any], bool] = _never
    set_to: Callable[[Any], str] = _nothing
    entries: Callable[["BenchRun", Pins, str, int], Iterator[LedgerEntry]] = _no_entries
    marks: Callable[["BenchRun"], tuple[FoundMark, ...]] | None = None
    refuses: Callable[["BenchRun", Tap], str] | None = None
    solders: bool = False
    for_all: bool = False
    any_board: bool = False
    task: str = ""

    def __str__(self) -> str:
        return self.name


@dataclass(frozen=True, kw_only=True)
class BenchRun:
    """One run: what it follows, what was tapped, what was noted afterwards. A look tells in
    `looks_at` at which run's joints it looks; the run has its looks in `looked`, the oldest first.
    """

    id: int
    job_id: int
    job_name: str
    board_id: int
    board_name: str
    kind: KindOfRun
    side: str
    started_at: str
    plan: Any
    forecast: Forecast | None
    taps: tuple[Tap, ...] = ()
    looked: tuple["BenchRun", ...] = ()
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
            raise TypeError(f"a {self.kind.name} run has no {kind.__name__}")
        return self.plan

    @cached_property
    def script(self) -> Script:
        """The cues it goes through."""
        return self.kind.script(self.plan, self.forecast)

    @property
    def targets(self) -> tuple[str, ...]:
        """The parts that were soldered or taken off in it."""
        return self.kind.targets(self.plan)

    @property
    def set_to(self) -> str:
        """What was set, in words."""
        return self.kind.set_to(self.plan)

    @cached_property
    def marks(self) -> tuple[FoundMark, ...]:
        """What looks at the joints soldered in it found: of each joint the newest."""
        found: dict[tuple[str, str], FoundMark] = {}
        for look in self.looked:
            if look.kind.marks is not None and look.taps:
                found |= {(mark.ref, mark.pin): mark for mark in look.kind.marks(look)}
        return tuple(found.values())

    def refused(self, tap: Tap) -> str:
        """Why what was typed with a tap cannot be, as a sentence; "" where it may."""
        return self.kind.refuses(self, tap) if self.kind.refuses else ""

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
        return self.kind.lifts(self.plan)

    @property
    def lifted(self) -> tuple[str, ...]:
        """Parts taken off in it."""
        if not self.lifting:
            return ()
        if isinstance(self.plan, HeatPlan):
            return self.molten
        return tuple(ref for ref in self.targets if lifted_key(ref) in self.state.done)

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

    # what it tells the ledger
    def when(self, cue: str) -> int:
        """After how many stored taps a cue was answered as it stands; 0 where it was not."""
        place = self.state.by.get(cue)
        return 0 if place is None else self.taps[place].order

    def answers(self, words: Mapping[str, str]) -> Iterator[tuple[str, str, int]]:
        """Answered cues, each with its word and when."""
        for cue, word in words.items():
            yield cue, word, self.when(cue)

    def entry(
        self,
        did: Did,
        *,
        at: int,
        ref: str = "",
        pin: str = "",
        how: str = "",
        other: str = "",
        side: str = "",
        pads: Mapping[Pad, PadHeats] | None = None,
    ) -> LedgerEntry:
        """One thing that was done in it."""
        return LedgerEntry(
            did=did,
            run=self.id,
            job=self.job_id,
            at=at,
            ref=ref,
            pin=pin,
            how=how,
            other=other,
            side=side,
            pads=pads or {},
        )
