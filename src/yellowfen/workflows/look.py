"""Looking and measuring: which joints, in which order, what is left to expect; the meter's plan and
what its results say.
"""

import math
import sqlite3
import time
from collections import defaultdict
from collections.abc import Callable, Sequence, Set
from dataclasses import dataclass, replace
from uuid import uuid4

from yellowfen.core.board.board import Board
from yellowfen.core.board.bridges import harmless_bridges, neighbouring_pins, pads_by_pin
from yellowfen.core.deposit.fillet import wanted
from yellowfen.core.deposit.hand_plan import HandPlan
from yellowfen.core.heat.heat_plan import Forecast, HeatPlan
from yellowfen.core.look.measured import readings_of, standing_results
from yellowfen.core.look.meter_plan import (
    Diagnosis,
    Expect,
    MeterPlan,
    Probe,
    diagnose,
    meter_plan,
)
from yellowfen.core.look.proof import with_nets
from yellowfen.core.look.risk import Joint, Known, PartFacts, in_order, judged, left_to_expect
from yellowfen.core.run.heat import HEAT, arrived_s
from yellowfen.core.run.heat_cues import AWAY
from yellowfen.core.run.iron import IRON, IronPlan
from yellowfen.core.run.ledger import Ledger, PartAt, PartRecord, damage_told
from yellowfen.core.run.look import LOOK, LookJoint, LookPlan
from yellowfen.core.run.machine import Tap, moments_s
from yellowfen.core.run.mend import MEND, MendRun
from yellowfen.core.run.meter import METER, CheckLine, CheckPlan
from yellowfen.core.run.run import BenchRun
from yellowfen.core.work.iron_rows import tie_of
from yellowfen.core.work.job import FoundMark, Job, Piece
from yellowfen.errors import NotFound, Refused, YellowfenError
from yellowfen.store import bench_runs, boards, jobs
from yellowfen.store.database import asked_once, atomic
from yellowfen.store.proofs import proof_of
from yellowfen.store.rework import passports
from yellowfen.workflows.bench_runs import tap
from yellowfen.workflows.ledger import board_runs, ledger_now, ledger_of_piece, scope_of
from yellowfen.workflows.paste import PasteState, paste_state
from yellowfen.workflows.ready import ReadyState, dot_plan, ready_state

FEW_PROBES, NEXT_PROBES = 20, 12  # shown without asking: all of few, the next of many
JOBS_TOLD = 20  # whose marks tell how true the chances were


@dataclass(frozen=True, kw_only=True)
class LookState:
    """What there is to look at of the board on the bench: its joints in order, the newest mark of
    each, those that were molten after it (`stale`, by "U1.3"), what is left to expect; `run` is what
    was soldered last (None: nothing yet); `not_done` parts of the job that are not soldered, with
    what is open; `moved` and `damage` of what a removal left behind.
    """

    board: Board
    run: BenchRun | None
    joints: tuple[Joint, ...]
    marks: tuple[FoundMark, ...]
    harmless: frozenset[str]
    stale: frozenset[str] = frozenset()
    not_done: tuple[tuple[str, str], ...] = ()
    moved: tuple[str, ...] = ()
    damage: tuple[str, ...] = ()

    @property
    def fresh(self) -> tuple[FoundMark, ...]:
        """Marks that still hold."""
        return tuple(one for one in self.marks if f"{one.ref}.{one.pin}" not in self.stale)

    @property
    def left(self) -> float:
        """Bad joints that are likely among those without a mark that holds."""
        return left_to_expect(self.joints, {f"{one.ref}.{one.pin}": "" for one in self.fresh})


@asked_once
def look_state(connection: sqlite3.Connection, job_id: int) -> LookState:
    """The joints soldered in this job on the board on the bench, riskiest first."""
    job, state = jobs.get(connection, job_id), ready_state(connection, job_id)
    ledger, runs = ledger_now(connection, job), soldering(connection, job)
    parts = {part.ref: part for part in state.whole.parts}
    refs = [ref for ref in ledger.soldered_by(job_id) if ref in parts]
    facts = facts_of(connection, state, runs)
    joints = [one for ref in refs for one in judged(parts[ref], facts[ref])]
    scope = scope_of(state.whole, job)
    harmless = frozenset(
        f"{ref}.{a}-{b}"
        for ref in refs
        for a, b in harmless_bridges(parts[ref], pads_by_pin(state.whole, ref))
    )
    return LookState(
        board=state.whole,
        run=runs[0] if runs else None,
        joints=tuple(_side_by_side(state.whole, joints)),
        marks=tuple(ledger.marks(dict.fromkeys([*refs, *scope]))),
        harmless=harmless,
        stale=frozenset(
            f"{ref}.{pin}"
            for ref in refs
            for pin, mark in ledger.parts[ref].marks.items()
            if mark.stale
        ),
        not_done=tuple(ledger.not_done(scope, job.purpose, job.id)),
        moved=tuple(ledger.moved()),
        damage=tuple(damage_told(ledger)),
    )


def _side_by_side(board: Board, joints: Sequence[Joint]) -> list[Joint]:
    """Joints in the order to look in, one side of the board after the other, the riskier first."""
    places = {f"{pad.ref}.{pad.pin}": (pad.x_mm, pad.y_mm) for pad in board.pads if pad.ref}
    sides = {part.ref: part.side for part in board.parts}
    by_side: dict[str, list[Joint]] = defaultdict(list)
    for one in joints:
        by_side[sides[one.ref]].append(one)
    riskier = sorted(by_side.values(), key=lambda mine: -sum(one.chance for one in mine))
    return [one for mine in riskier for one in in_order(mine, places)]


def soldering(connection: sqlite3.Connection, job: Job) -> list[BenchRun]:
    """The job's heats, runs by iron and touch-ups on the board on the bench, newest first, without
    removals.
    """
    return _soldering_on(connection, job, job.piece)


def _soldering_on(connection: sqlite3.Connection, job: Job, piece: Piece | None) -> list[BenchRun]:
    return [
        run
        for run in reversed(board_runs(connection, job, piece))
        if run.job_id == job.id and run.kind in (HEAT, IRON, MEND) and not run.lifting
    ]


def facts_of(
    connection: sqlite3.Connection,
    state: ReadyState,
    runs: list[BenchRun],
    ledger: Ledger | None = None,
) -> dict[str, PartFacts]:
    """What is known of every part of the board: its odds, amounts, ties, runs and earlier marks."""
    ledger = ledger or ledger_now(connection, state.paste.job)
    odds = {way.part.ref: way.chosen.odds for way in state.ways}
    heat = next((run for run in runs if run.kind is HEAT), None)
    # What was printed is what stood when it was heated, whatever was changed for the next board.
    printed = (
        paste_state(connection, state.paste.job.id, before=heat.started_at) if heat else state.paste
    )
    dots = (
        ()
        if state.techniques.stencil
        else tuple(dot_plan(connection, state, side) for side in ("top", "bottom"))
    )
    known = _joints(state, printed, dots)
    before = _marked(connection, {run.id for run in runs})
    dragged = _row_ends(runs)
    lifts = {
        one.passport.ref: one.passport.lift_mm
        for one in passports(connection, state.paste.job.id)
        if one.used and one.passport.lift_mm is not None
    }
    found = {}
    for part in state.whole.parts:
        mine = {
            land.pin: replace(
                known.get((part.ref, land.pin), Known()), row_end=(part.ref, land.pin) in dragged
            )
            for land in part.package.lands
        }
        marked, bad = before.get(part.package.name, (0, 0))
        found[part.ref] = PartFacts(
            odds=odds.get(part.ref, 0.05),
            flowed=_flowed(ledger.parts[part.ref]),
            liquid_s=liquid_s(part.ref, runs),
            late=_late(part.ref, runs),
            marked=marked,
            bad=bad,
            lift_mm=lifts.get(part.ref),
            joints=mine,
        )
    return found


def _row_ends(runs: list[BenchRun]) -> set[tuple[str, str]]:
    """The last two joints of every row that was dragged: (part, pin)."""
    return {
        (ref, pin)
        for run in runs
        if isinstance(run.plan, IronPlan)
        for ref in run.plan.refs
        for row in run.plan.rows
        if len(row.pins) > 2
        for pin in row.pins[-2:]
    }


def _flowed(part: PartRecord) -> bool | None:
    """Whether a part was seen to melt; None where nobody watched."""
    return False if part.unmelted else True if part.at is PartAt.SOLDERED else None


def liquid_s(ref: str, runs: list[BenchRun]) -> float | None:
    """Seconds that a part was molten in its newest heat by the clock: from its tap to heat away."""
    heat = next((run for run in runs if run.kind is HEAT and ref in run.targets), None)
    if heat is None:
        return None
    flowed, away = heat.flowed_s(ref), heat.seconds_of(AWAY)
    return None if flowed is None or away is None else max(away - flowed, 0.0)


def _late(ref: str, runs: list[BenchRun]) -> bool:
    """True where a part was tapped as flowing after the late end of what was forecast for it. Of
    parts that were watched as one it is said of the one that was expected last.
    """
    heat = next((run for run in runs if run.kind is HEAT and ref in run.targets), None)
    if heat is None or heat.forecast is None or not isinstance(heat.plan, HeatPlan):
        return False
    forecast = heat.forecast
    number = next((n for n, one in enumerate(forecast.stops, 1) if ref in one.refs), None)
    flowed = heat.flowed_s(ref)
    if number is not None:
        stop = forecast.stops[number - 1]
        came = arrived_s(heat.plan, moments_s(heat.taps), number)
        flowed = None if flowed is None or came is None else flowed - came
        return _past(flowed, stop.late_s) and ref == _last_of(forecast, stop.refs)
    if forecast.grouped and ref != _last_of(forecast, heat.targets):
        return False
    return _past(flowed, next((one.late_s for one in forecast.targets if one.ref == ref), None))


def _past(at_s: float | None, late_s: float | None) -> bool:
    return at_s is not None and late_s is not None and at_s > late_s


def _last_of(forecast: Forecast, refs: Sequence[str]) -> str:
    """The part of some that was expected to flow last."""
    due = {one.ref: one.flows_s or 0.0 for one in forecast.targets}
    return max(refs, key=lambda ref: due.get(ref, 0.0), default="")


def _joints(
    state: ReadyState, printed: PasteState, dots: Sequence[HandPlan]
) -> dict[tuple[str, str], Known]:
    """What print or dots and copper say of each joint."""
    found = {
        (pad.ref, pad.pin or ""): Known(tie=tie_of(pad)) for pad in state.whole.pads if pad.ref
    }
    for one in printed.judged.openings if state.techniques.stencil else ():
        before = found.get((one.ref, one.pin), Known())
        want = one.wanted
        found[one.ref, one.pin] = replace(
            before,
            solder_mm3=one.pad_solder_mm3 if want else None,
            least_mm3=want.least_mm3 if want else 0.0,
            most_mm3=want.most_mm3 if want else math.inf,
            bridge=max(one.bridge, before.bridge),
            fails=one.release.fails,
            paste_mm=printed.foil_mm * one.release.transfer,
        )
    parts = {part.ref: part.package for part in state.whole.parts}
    for plan in dots:
        for step in plan.steps:
            pins = set(step.pins)
            mine = [land for land in parts[step.ref].lands if land.pin in pins]
            area = sum(land.area_mm2 for land in mine)
            for land in mine:  # a step's paste by the lands' areas: larger pads take more dots
                want = wanted(parts[step.ref], land)
                solder = step.paste_mm3 * plan.paste.volume_share * land.area_mm2 / area
                found[step.ref, land.pin] = replace(
                    found.get((step.ref, land.pin), Known()),
                    solder_mm3=solder,
                    least_mm3=want.least_mm3,
                    most_mm3=want.most_mm3,
                )
    return found


def _marked(connection: sqlite3.Connection, but: set[int]) -> dict[str, tuple[int, int]]:
    """Joints marked before by package: how many, and how many not good."""
    counts: dict[str, list[int]] = defaultdict(lambda: [0, 0])
    packages: dict[int, dict[str, str]] = {}
    for run in bench_runs.rows(connection):
        if run.id in but or not run.marks:
            continue
        if run.board_id not in packages:
            parts = boards.get(connection, run.board_id).parts
            packages[run.board_id] = {part.ref: part.package.name for part in parts}
        for mark in run.marks:
            name = packages[run.board_id].get(mark.ref)
            if name and mark.pin:
                counts[name][0] += 1
                counts[name][1] += str(mark.verdict) != "good"
    return {name: (count, bad) for name, (count, bad) in counts.items()}


def own_chances(connection: sqlite3.Connection) -> list[tuple[float, bool]]:
    """Of the newest jobs' joints that were looked at: the chance as it would be told now without
    their own marks, and whether they were bad.
    """
    found = []
    for job in jobs.rows(connection)[:JOBS_TOLD]:
        for piece in job.pieces or (None,):
            try:
                found += _told_and_found(connection, job, piece)
            except YellowfenError:  # a board that is damaged tells nothing; its own page says so
                continue
    return found


def _told_and_found(
    connection: sqlite3.Connection, job: Job, piece: Piece | None
) -> list[tuple[float, bool]]:
    """Of one board: a joint that was bad once was bad, whatever a touch-up made of it."""
    ledger = ledger_of_piece(connection, job, piece)
    looked = [ref for ref in ledger.soldered_by(job.id) if any(ledger.parts[ref].marks)]
    if not looked:
        return []
    state, runs = ready_state(connection, job.id), _soldering_on(connection, job, piece)
    facts = facts_of(connection, state, runs, ledger)
    parts = {part.ref: part for part in state.whole.parts}
    return [
        (one.chance, one.pin in ledger.parts[ref].once_bad)
        for ref in looked
        if ref in parts
        for one in judged(parts[ref], facts[ref])
        if one.pin in ledger.parts[ref].marks
    ]


def start_looking(connection: sqlite3.Connection, job_id: int) -> int:
    """Open the look at what was soldered on the board in hand, or go on with the one that is begun;
    returns its run's id. Raises Refused where nothing was soldered yet.
    """
    state = look_state(connection, job_id)
    if state.run is None:
        raise Refused("nothing was soldered in this job yet, so there is no joint to inspect")
    plan = look_plan(state, {(one.ref, one.pin) for one in state.fresh})
    for begun in bench_runs.looks(connection, state.run.id)[:1]:
        if not begun.taps and begun.plan != plan:
            continue  # opened before what it looks at was heated
        joints, marked = begun.planned(LookPlan).joints, {(one.ref, one.pin) for one in state.fresh}
        if {one.key for one in state.joints} <= {one.key for one in joints} and all(
            (one.ref, one.pin) in marked for one in joints if one.marked
        ):
            return begun.id
    return bench_runs.add(connection, job_id, plan, looks_at=state.run.id)


def look_plan(state: LookState, marked: Set[tuple[str, str]]) -> LookPlan:
    """The joints of a board as a look goes through them, riskiest first; those `marked` (ref, pin)
    are not asked.
    """
    parts = {part.ref: part for part in state.board.parts}
    pairs = {ref: neighbouring_pins(parts[ref]) for ref in {one.ref for one in state.joints}}
    free: dict[str, list[str]] = defaultdict(list)
    for pair in sorted(state.harmless):
        ref, pins = pair.rsplit(".", 1)
        for pin in pins.split("-"):
            free[f"{ref}.{pin}"].append(pins)
    whole = [
        LookJoint(
            ref=ref,
            pin="",
            kind="part",
            seen_from="from above",
            marked=(ref, "") in marked,
            side=parts[ref].side,
        )
        for ref in dict.fromkeys(one.ref for one in state.joints)
    ]
    return LookPlan(
        joints=(
            *(
                LookJoint(
                    ref=one.ref,
                    pin=one.pin,
                    kind=one.kind,
                    chance=round(one.chance, 4),
                    why=one.why,
                    seen_from=one.seen_from,
                    marked=(one.ref, one.pin) in marked,
                    beside=tuple(
                        b if a == one.pin else a for a, b in pairs[one.ref] if one.pin in (a, b)
                    ),
                    harmless=tuple(free[one.key]),
                    side=parts[one.ref].side,
                )
                for one in state.joints
            ),
            *whole,
        )
    )


def take_back(connection: sqlite3.Connection, job_id: int, ref: str, pin: str) -> None:
    """Take a joint's newest mark back in whichever look it was made. What the second look of a
    mending run told is taken back at the bench. Raises NotFound for a joint without a mark.
    """
    part = ledger_now(connection, jobs.get(connection, job_id)).parts.get(ref)
    mark = part.marks.get(pin) if part else None
    if mark is None or bench_runs.get(connection, mark.run).kind is not LOOK:
        raise NotFound(f"{ref[:40]} pin {pin[:20]} has no inspection mark")
    now = int(time.time() * 1000)
    tap(connection, mark.run, Tap(key=uuid4().hex, cue=f"{ref}.{pin}", word="not yet", at_ms=now))


def mark_joints(connection: sqlite3.Connection, job_id: int, marks: Sequence[FoundMark]) -> int:
    """Answer joints of the board's look now, all or none; returns the look's run. Raises Refused
    for a joint that was not soldered in this job.
    """
    now = int(time.time() * 1000)
    with atomic(connection):
        look = start_looking(connection, job_id)
        for mark in marks:
            answer = Tap(
                key=uuid4().hex,
                cue=f"{mark.ref}.{mark.pin}",
                word=str(mark.verdict),
                at_ms=now,
                text=mark.other,
            )
            tap(connection, look, answer)
    return look


# by meter
@dataclass(frozen=True, kw_only=True)
class Metered:
    """The meter's plan for a job's board, the run that goes through it, what its results say;
    `readings` in mV over the gaps of nets that are bridged.
    """

    plan: MeterPlan
    run: BenchRun | None
    diagnosis: Diagnosis
    results: dict[str, bool]
    readings: dict[str, float]

    @property
    def rows(self) -> list[tuple[int, Probe, bool | None]]:
        """Every probe with its number and how it was measured (None: not yet)."""
        numbered = enumerate(self.plan.probes, 1)
        return [(number, one, self.results.get(one.key)) for number, one in numbered]

    @property
    def first(self) -> list[tuple[int, Probe, bool | None]]:
        """Of these what is looked at first: what was not as expected, and the next few to do; all
        where they are not many.
        """
        if len(self.rows) <= FEW_PROBES:
            return self.rows
        to_do = [number for number, _, passed in self.rows if passed is None][:NEXT_PROBES]
        return [row for row in self.rows if row[2] is False or row[0] in to_do]


@asked_once
def chances_of(connection: sqlite3.Connection, job_id: int) -> dict[str, float]:
    """Each joint's chance of being bad, by "U1.3"; of joints with a good mark almost nothing."""
    state = ready_state(connection, job_id)
    facts = facts_of(connection, state, soldering(connection, state.paste.job))
    found = {
        one.key: one.chance for part in state.whole.parts for one in judged(part, facts[part.ref])
    }
    for mark in look_state(connection, job_id).fresh:
        key = f"{mark.ref}.{mark.pin}"
        if key in found:
            found[key] = 1e-3 if str(mark.verdict) == "good" else 0.5
    return found


@asked_once
def metered(connection: sqlite3.Connection, job_id: int) -> Metered:
    """The plan for the parts that the job is about, with what was measured so far."""
    job = jobs.get(connection, job_id)
    proof = proof_of(connection, job.board_id)
    board = with_nets(boards.get(connection, job.board_id), proof.nets, kept=True)
    chances = chances_of(connection, job_id)
    plan = meter_plan(
        board, chances, refs=job.parts or None, ground=proof.ground, supplies=proof.supplies
    )
    runs = named_runs(connection, job, METER)
    melted = melted_by_run(soldering(connection, job))
    results = standing_results(runs, melted, _speaks_of(plan))
    return Metered(
        plan=plan,
        run=runs[0] if runs else None,
        results=results,
        readings=next((read for run in runs[:1] if (read := readings_of(run))), {}),
        diagnosis=diagnose(board, plan, results, chances),
    )


def named_runs(connection: sqlite3.Connection, job: Job, name: str) -> list[BenchRun]:
    """The job's lists of one name gone through on the board in hand, newest first."""
    return [
        run
        for run in reversed(board_runs(connection, job, job.piece))
        if run.job_id == job.id and isinstance(run.plan, CheckPlan) and run.plan.name == name
    ]


def melted_by_run(soldered: list[BenchRun]) -> dict[int, set[str]]:
    """The parts that each soldering run melted: something was tapped in it, or it is a record of
    iron work done without the clock.
    """
    return {
        run.id: {step.ref for step in run.plan.steps}
        if isinstance(run.plan, MendRun)
        else set(run.targets)
        for run in soldered
        if run.taps or (isinstance(run.plan, IronPlan) and not run.plan.rows)
    }


def _speaks_of(plan: MeterPlan) -> Callable[[str], set[str]]:
    """The parts that a probe, by its key, speaks of."""
    covers = {
        one.key: {pin for suspect in one.covers for pin in (suspect.joint, suspect.other) if pin}
        for one in plan.probes
    }
    return lambda key: {
        pin.rsplit(".", 1)[0] for pin in covers.get(key, set()) | set(key.split()[:2])
    }


def start_meter(connection: sqlite3.Connection, job_id: int) -> int:
    """Open the bench's run over the meter's plan, or go on with the one that is begun; a probe that
    would tell most next stands first where something failed. Raises Refused without known nets.
    """
    found = metered(connection, job_id)
    if not found.plan.probes:
        raise Refused(
            "no nets are known for these parts: read a netlist or copper layers with the board, or type them in Power-up"
        )
    if found.run is not None and found.run.taps and found.run.state.to_do:
        return found.run.id
    probes = list(found.plan.probes)
    left = [one for one in probes if one.key not in found.results]
    if found.diagnosis.gaps:
        probes = list(found.diagnosis.gaps)
    elif found.diagnosis.next is not None:
        probes = [found.diagnosis.next, *(one for one in left if one != found.diagnosis.next)]
    elif left:
        probes = left
    lines = tuple(
        CheckLine(
            here=one.here,
            there=one.there,
            expect=_expects(one.expect, one.says),
            reads="mV" if one.expect is Expect.READING else "",
        )
        for one in probes
    )
    return bench_runs.add(connection, job_id, CheckPlan(name=METER, lines=lines))


def _expects(expect: str, says: str) -> str:
    words = {"connects": "must connect", "does not connect": "must not connect", "reads": ""}
    return "; ".join(one for one in (words.get(expect, expect), says) if one)
