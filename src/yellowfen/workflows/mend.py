"""Mending: each bad joint of the board in hand with its causes, its remedy, how to touch it; the
run at the bench that ends in a second look.
"""

import json
import sqlite3
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace

from yellowfen.core.board.board import BoardPart
from yellowfen.core.heat.heat_plan import HeatPlan, SourceKind, usual_moves
from yellowfen.core.heat.pad_copper import Tie
from yellowfen.core.heat.scene import Deed
from yellowfen.core.heat.source import Iron
from yellowfen.core.look.mend import Cause, Fault, Mend, MendWay, causes, mend, nearest_gap_mm
from yellowfen.core.look.risk import Known
from yellowfen.core.look.touches import Touches, touches_at
from yellowfen.core.part.package import JointKind, tip_reaches
from yellowfen.core.quantity.units import SECONDS, with_unit
from yellowfen.core.run.machine import worked_s
from yellowfen.core.run.mend import MEND, MendRun, MendStep
from yellowfen.core.run.pad_heats import Pad, PadHeats
from yellowfen.core.run.run import BenchRun
from yellowfen.core.work.job import FoundMark, Verdict
from yellowfen.errors import InvalidValue, NotFound, Refused, YellowfenError
from yellowfen.store import bench_runs, jobs, pictures, tasks
from yellowfen.store.kept import Bounded, kept_of
from yellowfen.store.packing import unpack
from yellowfen.workflows.heat import keep_heat_plan
from yellowfen.workflows.iron_answers import Question, QuestionKind, answer_to, ask
from yellowfen.workflows.ledger import board_runs, ledger_now
from yellowfen.workflows.look import LookState, facts_of, liquid_s, look_state, metered, soldering
from yellowfen.workflows.paste import paste_state, proposals, take
from yellowfen.workflows.proof import proof_state
from yellowfen.workflows.ready import ReadyState, iron_for, ready_state
from yellowfen.workflows.rework import heats_of_parts, off_scene
from yellowfen.workflows.washing import cleaning_state

_TIES = {"signal": Tie.SIGNAL, "relief": Tie.RELIEF, "plane": Tie.PLANE}
FINE_PITCH_MM = 0.65


class WorkedTouches:
    """Touches of an iron at bad joints that were worked out."""

    def __init__(self) -> None:
        self.by_question: Bounded[Touches] = Bounded(KEPT)


KEPT = 200


@dataclass(frozen=True, kw_only=True)
class Bad:
    """One bad joint (pin "" for the whole part): what is wrong, why, what to do, how to touch it
    (None: no iron does this).
    """

    fault: Fault
    causes: tuple[Cause, ...]
    mend: Mend
    touches: Touches | None = None

    @property
    def name(self) -> str:
        fault = self.fault
        if fault.other:
            return f"{fault.ref} pins {fault.pin} and {fault.other}"
        return f"{fault.ref} pin {fault.pin}" if fault.pin else fault.ref


@dataclass(frozen=True, kw_only=True)
class MendState:
    """All bad joints of the board in hand, and the mending run that is begun (None: none is)."""

    look: LookState
    bad: tuple[Bad, ...]
    run: BenchRun | None


def mend_state(connection: sqlite3.Connection, job_id: int, *, reckoned: bool = True) -> MendState:
    """What is wrong now and what to do about it, part by part; unless `reckoned`, without how to
    touch the joints, which takes a second for each sort.
    """
    job = jobs.get(connection, job_id)
    look, state = look_state(connection, job_id), ready_state(connection, job_id)
    pads = ledger_now(connection, job).pads
    marks = faults_of(connection, look, job_id)
    runs = soldering(connection, job)
    facts = facts_of(connection, state, runs) if marks else {}
    parts = {part.ref: part for part in look.board.parts}
    found = []
    for mark in sorted(marks, key=lambda one: (one.ref, len(one.pin), one.pin)):
        if mark.ref in parts:
            known = facts[mark.ref].joints.get(mark.pin, Known())
            one = _bad(state, parts[mark.ref], mark, known=known, runs=runs, pads=pads)
            touches = _touches(connection, state, parts[mark.ref], one.fault) if reckoned else None
            found.append(replace(one, touches=touches))
    latest = bench_runs.latest(connection, job_id, MEND)
    begun = latest if latest is not None and latest.taps and latest.state.to_do else None
    return MendState(look=look, bad=tuple(found), run=begun)


PROVED = 0.8  # a suspect with this share of what explains the meter's results is a fault


def faults_of(connection: sqlite3.Connection, look: LookState, job_id: int) -> list[FoundMark]:
    """What is wrong with the board on the bench: what was seen, and what the meter proves."""
    found = [one for one in look.marks if one.verdict is not Verdict.GOOD]
    known = {(one.ref, pin) for one in found for pin in (one.pin, one.other)}
    parts = {part.ref for part in look.board.parts}
    for suspect, share in metered(connection, job_id).diagnosis.suspects[:1]:
        ref, _, pin = suspect.joint.partition(".")
        far, _, other = suspect.other.partition(".")
        if share < PROVED or ref not in parts or (ref, pin) in known:
            continue
        verdict = Verdict.BRIDGE if suspect.other else Verdict.OPEN
        found.append(FoundMark(ref, pin, verdict, other if far == ref else ""))
    return found


def _bad(
    state: ReadyState,
    part: BoardPart,
    mark: FoundMark,
    *,
    known: Known,
    runs: list[BenchRun],
    pads: Mapping[Pad, PadHeats],
) -> Bad:
    kinds = {land.kind for land in part.package.lands}
    fault = Fault(
        ref=mark.ref,
        pin=mark.pin,
        verdict=mark.verdict,
        known=known,
        gap_mm=nearest_gap_mm(part.package, mark.pin, mark.other),
        other=mark.other,
        liquid_s=liquid_s(mark.ref, runs),
        heats=max(
            (
                one.known
                for (ref, pin), one in pads.items()
                if ref == mark.ref and mark.pin in ("", pin)
            ),
            default=0,
        ),
        fine=part.package.pitch_mm <= FINE_PITCH_MM and JointKind.GULL_WING in kinds,
        leadless=JointKind.THERMAL_PAD in kinds and JointKind.LEADLESS in kinds,
    )
    alloy = state.paste.paste.metal
    return Bad(fault=fault, causes=causes(fault), mend=mend(fault, alloy))


def touches_of(connection: sqlite3.Connection, job_id: int, ref: str, pin: str) -> Touches | None:
    """How to touch one bad joint; None where no iron does it. Raises NotFound for one not marked."""
    fault, state = _marked(connection, job_id, ref, pin), ready_state(connection, job_id)
    return _touches(connection, state, state.whole.part(ref), fault)


def touches_asked(connection: sqlite3.Connection, job_id: int, ref: str, pin: str) -> tasks.JobTask:
    """Have the worker find how to touch one bad joint. Raises NotFound for one not marked."""
    fault, state = _marked(connection, job_id, ref, pin), ready_state(connection, job_id)
    return ask(connection, job_id, _question(fault, iron_for(connection, state.way(ref))))


def _question(fault: Fault, iron: Iron) -> Question:
    return Question(
        what=QuestionKind.MEND, ref=fault.ref, pin=fault.pin, tie=fault.known.tie, iron=iron
    )


def _marked(connection: sqlite3.Connection, job_id: int, ref: str, pin: str) -> Fault:
    for one in mend_state(connection, job_id, reckoned=False).bad:
        if (one.fault.ref, one.fault.pin) == (ref, pin):
            return one.fault
    raise NotFound(f"no defect is marked at {ref[:40]} pin {pin[:20]}")


def _touches(
    connection: sqlite3.Connection, state: ReadyState, part: BoardPart, fault: Fault
) -> Touches | None:
    """How to touch a joint with the bench's iron; None where no tip helps or reaches."""
    land = next((one for one in part.package.lands if one.pin == fault.pin), None)
    if land is None or fault.way is not MendWay.IRON or not tip_reaches(part.package, land):
        return None
    iron, alloy = iron_for(connection, state.way(part.ref)), state.paste.paste.metal.name
    kept = answer_to(connection, state.paste.job.id, _question(fault, iron))
    if kept is not None:
        found = json.loads(kept)
        return None if found is None else unpack(Touches, json.dumps(found["touches"]))
    tie = _TIES.get(fault.known.tie, Tie.SIGNAL)
    plan = state.paste.job.plan
    # One reckoning, of a second or so, serves all joints alike on this board.
    alike = (land.kind, round(land.size_x_mm, 3), round(land.size_y_mm, 3))
    copper = [(foil.layer, foil.thickness_um, foil.area_mm2) for foil in state.whole.copper]
    key = repr(
        (
            state.whole.name,
            state.whole.thickness_mm,
            copper,
            part.package.name,
            part.package.limit_c,
            *sorted(alike[1:]),
            alike[0],
            tie,
            iron,
            alloy,
            plan.ambient_c,
        )
    )
    worked = kept_of(connection, WorkedTouches).by_question
    if (known := worked.get(key)) is not None:
        return known
    try:
        found = touches_at(
            off_scene(state.whole, plan, part.ref, alloy), iron, part.ref, fault.pin, tie
        )
    except YellowfenError:
        return None  # a part that the model does not know is still mended by eye
    worked[key] = found
    return found


def start_mending(connection: sqlite3.Connection, job_id: int) -> int:
    """Open the bench's run over all that is wrong, or go on with the one that is begun, unless more
    was found since: then one over all of it. Raises Refused where nothing is wrong.
    """
    found = mend_state(connection, job_id)
    if found.run is not None:
        known = {(step.ref, step.pin) for step in found.run.planned(MendRun).steps}
        if all((one.fault.ref, one.fault.pin) in known for one in found.bad):
            return found.run.id
    if not found.bad:
        raise Refused("no defect is marked: inspect the joints first")
    sides = {part.ref: part.side for part in found.look.board.parts}
    first = sides[found.bad[0].fault.ref]
    steps = tuple(
        MendStep(
            ref=one.fault.ref,
            pin=one.fault.pin,
            fault=str(one.fault.verdict),
            steps=one.mend.steps,
            amounts=one.mend.amounts,
            touches=one.touches.says if one.touches else "",
            stop=one.mend.stop,
            side=sides[one.fault.ref],
            other=one.fault.other,
        )
        for one in sorted(found.bad, key=lambda one: sides[one.fault.ref] != first)
    )
    side = first if all(step.side == first for step in steps) else ""
    return bench_runs.add(connection, job_id, MendRun(steps=steps), side=side)


@dataclass(frozen=True, kw_only=True)
class Standing:
    """How the board on the bench stands, never better than what was looked at and measured: joints
    good at first, good after touch-ups, bad, not looked at; probes and function steps as expected,
    not, left; joints that neither proves; parts that are `not_done`, with what is open; `moved`
    neighbours, `damage` of pads.
    """

    first: int
    mended: int
    bad: int
    unseen: int
    passed: int
    failed: int
    left: int
    does: int = 0
    does_not: int = 0
    to_show: int = 0
    unproved: int = 0
    not_done: tuple[tuple[str, str], ...] = ()
    moved: tuple[str, ...] = ()
    damage: tuple[str, ...] = ()

    @property
    def says(self) -> str:
        """Its verdict in a line."""
        if self.bad or self.failed or self.does_not:
            return "not good yet"
        if self.not_done or self.moved:
            return "not done yet"
        if self.unseen or self.left or self.to_show or not (self.passed or self.does):
            return "not proved yet"
        return "good after touch-up" if self.mended else "good at first pass"


def standing(connection: sqlite3.Connection, job_id: int) -> Standing:
    """Where the board on the bench stands."""
    look, test = look_state(connection, job_id), metered(connection, job_id)
    parts = ledger_now(connection, jobs.get(connection, job_id)).parts
    good = [one for one in look.fresh if one.verdict is Verdict.GOOD and one.pin]
    mended = sum(one.pin in parts[one.ref].once_bad for one in good)
    marked = {f"{one.ref}.{one.pin}" for one in look.fresh}
    passed = sum(test.results.values())
    proof = proof_state(connection, job_id)
    does = sum(proof.results.get(title, False) for title in proof.titles)
    shown = sum(title in proof.results for title in proof.titles)
    return Standing(
        first=len(good) - mended,
        mended=mended,
        bad=sum(one.verdict is not Verdict.GOOD for one in look.marks),
        unseen=sum(one.key not in marked and not one.hidden for one in look.joints),
        passed=passed,
        failed=len(test.results) - passed,
        left=len({one.key for one in test.plan.probes} - test.results.keys()),
        does=does,
        does_not=shown - does,
        to_show=len(proof.titles) - shown,
        unproved=sum(name not in proof.proved for name, _ in test.plan.unproved),
        not_done=look.not_done,
        moved=look.moved,
        damage=look.damage,
    )


@dataclass(frozen=True, kw_only=True)
class Gathered:
    """What the board on the bench took: minutes by what was done (pauses left out), how often which
    parts were heated, pictures, washed or not.
    """

    minutes: tuple[tuple[str, float], ...]
    heats: tuple[tuple[int, tuple[str, ...]], ...]
    pictures: int
    washed: bool

    @property
    def total_min(self) -> float:
        """All of it."""
        return sum(minutes for _, minutes in self.minutes)


def gathered(connection: sqlite3.Connection, job_id: int) -> Gathered:
    """What the job's board in hand took so far."""
    job = jobs.get(connection, job_id)
    runs = [run for run in board_runs(connection, job, job.piece) if run.job_id == job_id]
    spent: dict[str, float] = {}
    for run in runs:
        if len(run.taps) > 1:
            taken = worked_s(run.kind.rule, run.taps) / 60.0
            spent[run.kind.spent] = spent.get(run.kind.spent, 0.0) + taken
    by_count: dict[int, list[str]] = {}
    for ref, count in heats_of_parts(connection, job).items():
        by_count.setdefault(count, []).append(ref)
    return Gathered(
        minutes=tuple(sorted(spent.items(), key=lambda row: -row[1])),
        heats=tuple((count, tuple(by_count[count])) for count in sorted(by_count, reverse=True)),
        pictures=len(pictures.rows(connection, job.board_id, job_id)),
        washed=cleaning_state(connection, job_id).washed,
    )


LONGER_S = 30.0  # so much longer the board is warmed at one press


def presses(connection: sqlite3.Connection, job_id: int, bad: Sequence[Bad]) -> dict[str, str]:
    """What one press does against the first cause of each bad joint, by the joint's name; nothing
    where no better opening is proposed or the heat in hand is no plan of hot air.
    """
    wanted = {one.name: one.causes[0].press for one in bad if one.causes}
    found: dict[str, str] = {}
    if "openings" in wanted.values():
        state = paste_state(connection, job_id)
        proposed = {one.ref: str(one.kind) for one in proposals(state)}
        found |= {
            one.name: f"change the apertures of {one.fault.ref}: {proposed[one.fault.ref]}"
            for one in bad
            if wanted.get(one.name) == "openings" and one.fault.ref in proposed
        }
    if "warm" in wanted.values() and _warmable(jobs.get(connection, job_id).plan):
        said = f"preheat {with_unit(LONGER_S, SECONDS, 0)} longer"
        found |= {name: said for name, press in wanted.items() if press == "warm"}
    return found


def prevent(connection: sqlite3.Connection, job_id: int, ref: str, press: str) -> str:
    """Change the job's plans for the next board at one press; returns what was done and how it is
    taken back. Raises Refused where that changes nothing, InvalidValue for another word.
    """
    if press == "openings":
        state = paste_state(connection, job_id)
        keys = [one.key for one in proposals(state) if one.ref == ref]
        if not keys:
            raise Refused(f"no better aperture is proposed for {ref[:40]}: change it in Apertures")
        take(connection, job_id, keys)
        return f"the apertures of {ref} are changed; undo it in Apertures"
    if press != "warm":
        raise InvalidValue("press", "choose apertures or preheat")
    plan = jobs.get(connection, job_id).plan
    if not _warmable(plan):
        raise Refused("this heat is not hot air with moves: change it in Heat")
    first = plan.moves[0]
    if first.deed is Deed.WARM:
        moves = (replace(first, seconds=first.seconds + LONGER_S), *plan.moves[1:])
    else:
        moves = (replace(usual_moves(plan.targets)[0], seconds=LONGER_S), *plan.moves)
    keep_heat_plan(connection, job_id, replace(plan, moves=moves))
    return f"the heat now preheats for {with_unit(moves[0].seconds, SECONDS, 0)}; you can change it in Heat"


def _warmable(plan: HeatPlan) -> bool:
    return plan.source is SourceKind.AIR and bool(plan.moves) and not plan.tour
