"""The ledger of one board: what was done to it, tap by tap, and what that comes to for every part,
joint and pad.

Laws: a pure function of the runs. Every joint is in exactly one state, every soldered part is a
placed one, heats never fall as entries are added, and a tap that is taken back is as if it had never
been. Whatever a page says of a board's parts is read here and concluded nowhere else.
"""

from collections.abc import Iterable, Iterator
from dataclasses import dataclass, field, replace
from enum import StrEnum

from yellowfen.core.run.did import Did, LedgerEntry, Pins
from yellowfen.core.run.pad_heats import Pad, PadHeats
from yellowfen.core.run.run import BenchRun
from yellowfen.core.work.job import FoundMark, Purpose, Verdict


class PartAt(StrEnum):
    """Where a part is."""

    NOT_ON = "not on the board"
    PLACED = "placed"
    SOLDERED = "soldered"
    REMOVED = "removed"


class JointAt(StrEnum):
    """What a joint is."""

    BARE = "bare"
    PASTED = "pasted"
    PLACED = "placed"
    SOLDERED = "soldered"
    REMOVED = "part removed"
    CLEAN = "cleaned for the refit"


@dataclass(frozen=True, kw_only=True)
class JointMark:
    """The newest verdict on a joint: in which run it was found; `stale` once the joint was molten
    after it.
    """

    verdict: Verdict
    other: str
    run: int
    stale: bool = False


@dataclass(kw_only=True)
class PartRecord:
    """A part of one board as its entries left it.

    `left_out` says why placing passed it over ("missing", "doubtful"; "": it did not), `awaited` that
    a placing has still to reach it, `unmelted` that its newest heat did not see it melt. Of one that
    was removed: `came_off` how, in which run and job. `damage`: pads by pin; `once_bad`: joints with
    a fault since it was last put on; `touched`: touch-ups by pin; `by_iron`: joints done by iron.
    """

    ref: str
    at: PartAt
    left_out: str = ""
    awaited: bool = False
    unmelted: bool = False
    moved: bool = False
    heated_job: int | None = None
    came_off: str = ""
    off_run: int | None = None
    off_job: int | None = None
    refitted: bool = False
    cleaned: set[str] = field(default_factory=set)
    pads_done: bool = False
    dotted: set[str] = field(default_factory=set)
    by_iron: set[str] = field(default_factory=set)
    damage: dict[str, str] = field(default_factory=dict)
    marks: dict[str, JointMark] = field(default_factory=dict)
    once_bad: set[str] = field(default_factory=set)
    touched: dict[str, int] = field(default_factory=dict)

    @property
    def on(self) -> bool:
        """True for a part that is placed or soldered."""
        return self.at in (PartAt.PLACED, PartAt.SOLDERED)

    def reworked(self, job: int) -> bool:
        """True where a job took it off, or heated it where it is."""
        return self.off_job == job or (self.heated_job == job and self.at is PartAt.SOLDERED)

    @property
    def to_inspect(self) -> bool:
        """True where its joints are to be looked at: soldered, or heated without being seen to
        melt.
        """
        return self.at is PartAt.SOLDERED or (self.at is PartAt.PLACED and self.unmelted)

    def joint_at(self, pin: str, *, printed: bool = False) -> JointAt:
        """What a joint is; `printed` where its side has a good print on it."""
        if self.at is PartAt.SOLDERED or (self.at is PartAt.PLACED and pin in self.by_iron):
            return JointAt.SOLDERED
        if self.at is PartAt.PLACED:
            return JointAt.PLACED
        if self.at is PartAt.REMOVED:
            return JointAt.CLEAN if pin in self.cleaned else JointAt.REMOVED
        return JointAt.PASTED if printed or pin in self.dotted else JointAt.BARE

    def bad(self) -> list[str]:
        """Pins whose newest verdict is a fault, "" for the part as a whole."""
        return [pin for pin, mark in self.marks.items() if mark.verdict is not Verdict.GOOD]


@dataclass(kw_only=True)
class Ledger:
    """One board as its entries left it: every part by its ref, heats by pad, sides that are printed
    and not heated since, the run of the newest washing that still holds.
    """

    parts: dict[str, PartRecord]
    pads: dict[Pad, PadHeats] = field(default_factory=dict)
    printed: dict[str, int] = field(default_factory=dict)
    washed: int | None = None
    last_hot: int = -1
    entries: tuple[LedgerEntry, ...] = ()

    def placed(self, refs: Iterable[str]) -> list[str]:
        """Those of the parts that are on the board, soldered or not."""
        return [ref for ref in refs if self.parts[ref].on]

    def soldered(self, refs: Iterable[str]) -> list[str]:
        """Those of the parts that are soldered."""
        return [ref for ref in refs if self.parts[ref].at is PartAt.SOLDERED]

    def soldered_by(self, job: int) -> list[str]:
        """Parts that a job put on and whose joints are to be looked at, the newest first."""
        hot = (Did.MELTED, Did.NOT_SEEN, Did.BY_IRON)
        refs = dict.fromkeys(
            one.ref for one in reversed(self.entries) if one.did in hot and one.job == job
        )
        return [ref for ref in refs if ref in self.parts and self.parts[ref].to_inspect]

    def removed(self) -> list[str]:
        """Parts that were taken off and are not on again."""
        return [ref for ref, one in self.parts.items() if one.at is PartAt.REMOVED]

    def moved(self) -> list[str]:
        """Parts that moved or went along at a removal and have not been dealt with."""
        return [ref for ref, one in self.parts.items() if one.moved]

    def not_done(
        self, refs: Iterable[str], purpose: Purpose, job: int
    ) -> Iterator[tuple[str, str]]:
        """Every part of a job with which something is open, and what."""
        for ref in refs:
            said = _open(self.parts[ref], purpose, job)
            if said:
                yield ref, said

    def marks(self, refs: Iterable[str] | None = None) -> list[FoundMark]:
        """The newest verdict of every joint that has one."""
        chosen = self.parts if refs is None else [ref for ref in refs if ref in self.parts]
        return [
            FoundMark(ref, pin, mark.verdict, mark.other)
            for ref in chosen
            for pin, mark in self.parts[ref].marks.items()
        ]


def ledger_of(
    runs: Iterable[BenchRun], pins: Pins, *, board: str = "", on_from_start: bool = False
) -> Ledger:
    """What runs on one board come to. `pins` of every part; `board` as prints name it ("" where
    they name all boards alike); `on_from_start` for a board that came with its parts.
    """
    begin = PartAt.SOLDERED if on_from_start else PartAt.NOT_ON
    ledger = Ledger(parts={ref: PartRecord(ref=ref, at=begin) for ref in pins})
    entries = entries_of(runs, pins, board)
    for entry in entries:
        _enter(ledger, entry, pins)
    ledger.entries = tuple(entries)
    return ledger


def _open(part: PartRecord, purpose: Purpose, job: int) -> str:
    """What is open with a part, "" where nothing is."""
    if part.moved:
        return "moved during a removal: correct it"
    if part.at is PartAt.REMOVED:
        return "" if purpose is Purpose.SALVAGE and part.off_job == job else "removed, not refitted"
    if purpose is not Purpose.BUILD and not part.reworked(job):
        return "not removed yet"
    if part.at is PartAt.SOLDERED:
        return ""
    if part.left_out:
        return {
            "missing": "left out: it was missing",
            "doubtful": "left out: orientation in doubt",
        }[part.left_out]
    if part.at is PartAt.PLACED:
        return "heated, not seen to melt" if part.unmelted else "placed, never heated"
    return "found to be missing" if "" in part.marks else "not placed"


def damage_told(ledger: Ledger) -> list[str]:
    """Pads and tracks that were damaged, in words: "U4 pad 3: lifted pad"."""
    return [
        f"{ref} pad {pin}: {how}"
        for ref, one in ledger.parts.items()
        for pin, how in one.damage.items()
    ]


# from runs to entries
def entries_of(runs: Iterable[BenchRun], pins: Pins, board: str = "") -> list[LedgerEntry]:
    """All that was done in runs, in the order in which it was tapped."""
    found: list[tuple[int, int, int, LedgerEntry]] = []
    stored = 0
    for run in sorted(runs, key=lambda one: one.id):
        for number, entry in enumerate(run.kind.entries(run, pins, board, stored)):
            found.append((entry.at, run.id, number, entry))
        stored = max([stored, *(tap.order for tap in run.taps)])
    return [row[3] for row in sorted(found, key=lambda row: row[:3])]


# from entries to what they come to
def _enter(ledger: Ledger, entry: LedgerEntry, pins: Pins) -> None:
    """Move the ledger by one entry. What cannot be (a part soldered that is not there) moves
    nothing.
    """
    if entry.did is Did.PRINTED:
        ledger.printed[entry.side] = entry.run
        return
    if entry.did is Did.WASHED:
        ledger.washed = entry.run
        return
    if entry.did is Did.BESIDE:
        _add_heats(ledger, entry)
        return
    part = ledger.parts.get(entry.ref)
    if part is not None and _ENTRIES[entry.did](ledger, part, entry, pins):
        _add_heats(ledger, entry)


def _add_heats(ledger: Ledger, entry: LedgerEntry) -> None:
    for pad, heats in entry.pads.items():
        ledger.pads[pad] = ledger.pads.get(pad, PadHeats()) + heats


def _hot(ledger: Ledger, part: PartRecord, entry: LedgerEntry) -> None:
    """What holds no more once solder was molten: washed, dry, looked at."""
    ledger.washed, ledger.last_hot = None, max(ledger.last_hot, entry.at)
    for ref, pin in entry.pads:
        mark = part.marks.get(pin)
        if ref == part.ref and mark is not None:
            part.marks[pin] = _stale(mark)


def _stale(mark: JointMark) -> JointMark:
    return replace(mark, stale=True)


def _on(part: PartRecord, at: PartAt) -> None:
    """Put a part on: what was said of it while it was off is over."""
    if part.at is PartAt.REMOVED:
        part.refitted = True
        part.marks.clear()
        part.once_bad.clear()
        part.touched.clear()
        part.by_iron.clear()
    part.at, part.left_out, part.awaited = at, "", False


def _dotted(ledger: Ledger, part: PartRecord, entry: LedgerEntry, pins: Pins) -> bool:
    part.dotted.add(entry.pin)
    return True


def _awaited(ledger: Ledger, part: PartRecord, entry: LedgerEntry, pins: Pins) -> bool:
    part.awaited = part.awaited or not part.on
    return True


def _placed(ledger: Ledger, part: PartRecord, entry: LedgerEntry, pins: Pins) -> bool:
    if part.at is not PartAt.SOLDERED:
        _on(part, PartAt.PLACED)
    return True


def _left_out(ledger: Ledger, part: PartRecord, entry: LedgerEntry, pins: Pins) -> bool:
    if part.at is not PartAt.SOLDERED:
        part.at = PartAt.REMOVED if part.at is PartAt.REMOVED else PartAt.NOT_ON
        part.left_out, part.awaited = entry.how, False
    return True


def _melted(ledger: Ledger, part: PartRecord, entry: LedgerEntry, pins: Pins) -> bool:
    if not part.on and (part.left_out or part.awaited):
        return False  # it is not there: nothing of it was molten
    _hot(ledger, part, entry)
    _on(part, PartAt.SOLDERED)
    part.unmelted = part.moved = False
    part.heated_job = entry.job
    part.dotted.clear()
    ledger.printed.pop(entry.side, None)
    return True


def _not_seen(ledger: Ledger, part: PartRecord, entry: LedgerEntry, pins: Pins) -> bool:
    if part.left_out or part.awaited:
        return False
    for pin, mark in part.marks.items():
        part.marks[pin] = _stale(mark)
    if part.at is PartAt.SOLDERED:
        return True
    _on(part, PartAt.PLACED)
    part.unmelted = True
    return True


def _by_iron(ledger: Ledger, part: PartRecord, entry: LedgerEntry, pins: Pins) -> bool:
    _hot(ledger, part, entry)
    if part.at is not PartAt.SOLDERED:
        _on(part, PartAt.PLACED)
    part.moved, part.heated_job = False, entry.job
    if entry.how != "tack":
        part.by_iron.add(entry.pin)
    if entry.how == "last":
        part.at, part.unmelted = PartAt.SOLDERED, False
    return True


def _removed(ledger: Ledger, part: PartRecord, entry: LedgerEntry, pins: Pins) -> bool:
    if not part.on and part.left_out:
        return False
    _hot(ledger, part, entry)
    _take_off(part, entry)
    return True


def _is_off(part: PartRecord, entry: LedgerEntry) -> None:
    """Bare pads are worked on only where the part is off, noted or not."""
    if part.on:
        _take_off(part, entry)
        part.came_off = ""


def _take_off(part: PartRecord, entry: LedgerEntry) -> None:
    part.at, part.refitted, part.unmelted, part.moved = PartAt.REMOVED, False, False, False
    part.left_out, part.awaited = "", False
    part.came_off, part.off_run, part.off_job = entry.how, entry.run, entry.job
    part.cleaned.clear()
    part.pads_done = False
    part.marks.clear()
    part.once_bad.clear()
    part.touched.clear()
    part.by_iron.clear()


def _moved(ledger: Ledger, part: PartRecord, entry: LedgerEntry, pins: Pins) -> bool:
    part.moved = True
    return True


def _cleaned(ledger: Ledger, part: PartRecord, entry: LedgerEntry, pins: Pins) -> bool:
    ledger.washed, ledger.last_hot = None, max(ledger.last_hot, entry.at)
    _is_off(part, entry)
    part.cleaned.add(entry.pin)
    part.damage.pop(entry.pin, None)
    return True


def _pads_done(ledger: Ledger, part: PartRecord, entry: LedgerEntry, pins: Pins) -> bool:
    _is_off(part, entry)
    part.pads_done = True
    return True


def _damaged(ledger: Ledger, part: PartRecord, entry: LedgerEntry, pins: Pins) -> bool:
    _is_off(part, entry)
    part.damage[entry.pin] = entry.how
    return True


def _inspected(ledger: Ledger, part: PartRecord, entry: LedgerEntry, pins: Pins) -> bool:
    verdict = Verdict(entry.how)
    good = verdict is Verdict.GOOD
    part.marks[entry.pin] = JointMark(
        verdict=verdict, other="" if good else entry.other, run=entry.run
    )
    if not good:
        part.once_bad.add(entry.pin)
        if verdict is Verdict.MISSING and not entry.pin and part.on:
            part.at = PartAt.NOT_ON
            part.by_iron.clear()
        return True
    part.moved = False
    # With the whole part, or both ends of a bridge, what was good and molten since holds again.
    part.marks |= {
        pin: replace(mark, stale=False)
        for pin, mark in part.marks.items()
        if mark.verdict is Verdict.GOOD and (not entry.pin or pin == entry.other)
    }
    if not part.on:  # somebody saw it there: it was put on without the clock
        _on_again(part, entry)
    return True


def _on_again(part: PartRecord, entry: LedgerEntry) -> None:
    mark = part.marks[entry.pin]
    _on(part, PartAt.SOLDERED)
    part.marks[entry.pin] = mark


def _touched_up(ledger: Ledger, part: PartRecord, entry: LedgerEntry, pins: Pins) -> bool:
    if entry.pads:
        _hot(ledger, part, entry)
    if entry.how == Verdict.MISSING and not part.on:
        part.at = PartAt.SOLDERED
    part.moved = part.unmelted = False
    part.touched[entry.pin] = part.touched.get(entry.pin, 0) + 1
    return True


_ENTRIES = {
    Did.DOTTED: _dotted,
    Did.AWAITED: _awaited,
    Did.PLACED: _placed,
    Did.LEFT_OUT: _left_out,
    Did.MELTED: _melted,
    Did.NOT_SEEN: _not_seen,
    Did.BY_IRON: _by_iron,
    Did.REMOVED: _removed,
    Did.MOVED: _moved,
    Did.CLEANED: _cleaned,
    Did.PADS_DONE: _pads_done,
    Did.DAMAGED: _damaged,
    Did.INSPECTED: _inspected,
    Did.TOUCHED_UP: _touched_up,
}
