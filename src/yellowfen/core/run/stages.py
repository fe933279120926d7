"""The stages of a job as data: one course per purpose, what each stage is for, what comes next, and
when each is behind, as the ledger of the board says.
"""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass

from yellowfen.core.run.ledger import Ledger, PartAt, PartRecord
from yellowfen.core.work.job import Purpose


@dataclass(frozen=True, kw_only=True)
class Stage:
    """One stage: the word of its address, its name, what is done there."""

    key: str
    name: str
    what: str


READY = Stage(key="ready", name="Plan", what="methods, sides, schedule, kit, time")
PASTE = Stage(key="paste", name="Paste", what="print paste, or put it on by hand")
PLACE = Stage(key="place", name="Place", what="part by part, by one key")
HEAT = Stage(key="heat", name="Heat", what="rehearse, then run it at the bench")
LOOK = Stage(key="look", name="Inspect", what="joint by joint")
FINISH = Stage(key="finish", name="Finish", what="one note for next time")
SURVEY = Stage(key="survey", name="Survey", what="what is in the way, which method")
LIFT = Stage(key="lift", name="Remove", what="lift it when every joint is molten")
PADS = Stage(key="pads", name="Clean pads", what="old solder to remove or add")
LEGS = Stage(key="legs", name="Leads", what="clean, straight, tested, in which bag")
REFIT = Stage(key="refit", name="Refit", what="fit the part on the cleaned pads")
COURSES: dict[Purpose, tuple[Stage, ...]] = {
    Purpose.BUILD: (READY, PASTE, PLACE, HEAT, LOOK, FINISH),
    Purpose.REWORK: (SURVEY, LIFT, PADS, REFIT, LOOK, FINISH),
    Purpose.SALVAGE: (SURVEY, LIFT, LEGS, REFIT),
}


def course(purpose: Purpose) -> tuple[Stage, ...]:
    """The stages of a purpose in order."""
    return COURSES[purpose]


def next_stage(purpose: Purpose, done: Iterable[str]) -> Stage:
    """The first stage with something to do; the last one when all is done."""
    behind = set(done)
    stages = course(purpose)
    return next((stage for stage in stages if stage.key not in behind), stages[-1])


def strip(purpose: Purpose, done: Iterable[str]) -> list[tuple[Stage, bool]]:
    """The stages of a purpose, each with whether it is behind."""
    behind = set(done)
    return [(stage, stage.key in behind) for stage in course(purpose)]


# when a stage is behind
@dataclass(frozen=True, kw_only=True)
class Progress:
    """What the strip asks besides the ledger: the parts that the job is about, those that heats put
    on (side, ref), pins that an eye sees by part; whether the kit is complete; how many prints were
    written down without a key for each board; parts whose way off is chosen, that lie in a bag, that
    are on a board again; whether a note was written, and whether meter or power still says no.
    """

    refs: tuple[str, ...]
    heated: tuple[tuple[str, str], ...] = ()
    seen: Mapping[str, Sequence[str]]
    kit: bool = False
    typed_prints: int = 0
    chosen: frozenset[str] = frozenset()
    bagged: frozenset[str] = frozenset()
    used: frozenset[str] = frozenset()
    noted: bool = False
    fails: bool = False


def behind(purpose: Purpose, job: int, ledger: Ledger, facts: Progress) -> frozenset[str]:
    """The stages of a job that are behind one board: nothing of it is left to do there."""
    mine = [ledger.parts[ref] for ref in facts.refs if ref in ledger.parts]
    inspected = bool(mine) and all(_inspected(one, facts.seen.get(one.ref, ())) for one in mine)
    build = purpose is Purpose.BUILD
    found = _built(mine, ledger, facts) if build else _reworked(mine, job, facts)
    found |= {READY.key} if facts.kit else set()
    last = HEAT if build else REFIT
    if last.key in found and inspected:
        found.add(LOOK.key)
        open_now = any(ledger.not_done(facts.refs, purpose, job)) or bool(ledger.moved())
        found |= {FINISH.key} if facts.noted and not facts.fails and not open_now else set()
    return frozenset(found)


def _built(mine: Sequence[PartRecord], ledger: Ledger, facts: Progress) -> set[str]:
    found: set[str] = set()
    heated = [(side, ledger.parts[ref]) for side, ref in facts.heated if ref in ledger.parts]
    sides = {side for side, _ in heated}
    pasted = facts.typed_prints >= len(sides) > 0 or all(
        side in ledger.printed or one.on or one.dotted or one.left_out for side, one in heated
    )
    if heated and pasted:
        found.add(PASTE.key)
    placed = [one for _, one in heated] or list(mine)
    if placed and all(one.on or one.left_out for one in placed):
        found.add(PLACE.key)
    fitted = [one for one in mine if not one.left_out]
    if fitted and all(one.at is PartAt.SOLDERED for one in fitted):
        found |= {HEAT.key, PLACE.key} | ({PASTE.key} if heated else set())
    return found


def _reworked(mine: Sequence[PartRecord], job: int, facts: Progress) -> set[str]:
    if not mine:
        return set()
    came_off = [one.reworked(job) for one in mine]
    found = set()
    if all(off or one.ref in facts.chosen for off, one in zip(came_off, mine, strict=True)):
        found.add(SURVEY.key)
    if all(came_off):
        found.add(LIFT.key)
        if all(one.pads_done or one.at is PartAt.SOLDERED for one in mine):
            found.add(PADS.key)
        if all(one.at is PartAt.SOLDERED for one in mine) or all(
            one.ref in facts.used for one in mine
        ):
            found.add(REFIT.key)
    if all(one.ref in facts.bagged | facts.used for one in mine):
        found.add(LEGS.key)
    return found


def _inspected(part: PartRecord, seen: Sequence[str]) -> bool:
    """True where every joint that an eye sees was looked at since it was molten, and none is bad."""
    if part.bad():
        return False
    return not part.to_inspect or all(
        pin in part.marks and not part.marks[pin].stale for pin in seen
    )
