"""Starting runs at the bench, taps during them, the note afterwards. Each call returns only when
its write is on disk.
"""

import sqlite3
import time
from dataclasses import replace
from uuid import uuid4

from yellowfen.core.deposit.paste_plan import FOUND
from yellowfen.core.heat.heat_plan import Forecast, HeatPlan, LiftForecast
from yellowfen.core.heat.outcome import heating_moves
from yellowfen.core.heat.revise import Course, course_of
from yellowfen.core.quantity.units import CELSIUS, MM, with_unit
from yellowfen.core.rework.lift import LiftWindow, lift_samples
from yellowfen.core.run.heat import HEAT, live_script, next_course
from yellowfen.core.run.heat_cues import UNCLOCKED
from yellowfen.core.run.iron import RECORD, IronPlan, iron_plan
from yellowfen.core.run.kit import KIT, kit_plan
from yellowfen.core.run.machine import Script, Tap, allowed, asked_of_haste, sure_key, undoable
from yellowfen.core.run.pads import PADS
from yellowfen.core.run.placing import placing_plan
from yellowfen.core.run.printing import PRINT, PrintRun
from yellowfen.core.run.run import BenchRun
from yellowfen.core.work.iron_rows import joint_plans, usual_need_s
from yellowfen.core.work.job import Job
from yellowfen.core.work.kit import KitAnswer
from yellowfen.errors import InvalidValue, Refused
from yellowfen.store import bench_runs, boards, jobs
from yellowfen.store import ready as stored
from yellowfen.store.database import atomic
from yellowfen.workflows.heat import forecast_of, rehearse_job, sureness_of
from yellowfen.workflows.jobs import fixture_of
from yellowfen.workflows.paste import log_print, paste_state, undo_print
from yellowfen.workflows.ready import (
    dot_plan,
    iron_for,
    iron_rows,
    kit_answers,
    kit_lines,
    order_of,
    ready_state,
)
from yellowfen.workflows.rework import answers_of, lift_of, note_removed, removal_of, tell_mixing


def start_heat(connection: sqlite3.Connection, job_id: int) -> int:
    """Open a heat with the job's present plan and its forecast; returns the run's id. Raises
    InvalidValue for a plan that cannot be rehearsed.
    """
    job = jobs.get(connection, job_id)
    forecast, course = next_heat(connection, job)
    with atomic(connection):
        run = bench_runs.add(connection, job_id, job.plan, forecast=forecast)
        bench_runs.keep_course(connection, run, course)
    return run


def next_heat(connection: sqlite3.Connection, job: Job) -> tuple[Forecast, Course]:
    """What the next run of the heat in hand begins with: its forecast, and its samples, as the last
    board of the same heat left them.
    """
    done, sure = rehearse_job(connection, job), sureness_of(connection, job)
    window = lift_of(connection, job)
    lift = None if window is None else _lift_forecast(window)
    forecast = forecast_of(done, sure, lift)
    samples = sure.samples
    if window is not None:
        forecast = replace(forecast, latest_s=window.leave_s, latest_why=window.leave_why)
        samples = lift_samples(done.scene, sure, answers_of(connection, job).matters)
    course = _taught(connection, job) or course_of(
        sure.targets, heating_moves(done.scene), samples, watched=window is not None
    )
    return forecast, course


def taught_says(connection: sqlite3.Connection, job: Job) -> str:
    """What the last board of this heat taught of the next run, as its clock will say it; "" where
    none has been run.
    """
    forecast, course = next_heat(connection, job)
    if not course.taught:
        return ""
    return live_script(job.plan, forecast, course, ()).cues[0].detail


def _lift_forecast(window: LiftWindow) -> LiftForecast:
    """What a run keeps of when its part may be lifted."""
    return LiftForecast(
        opens_s=window.opens_s,
        closes_s=window.closes_s,
        closed_by=window.closed_by,
        last_pin=window.last_pin,
        last_why=window.last_why,
        along=tuple(one.ref for one in window.comes_along),
    )


def _taught(connection: sqlite3.Connection, job: Job) -> Course | None:
    """What the last board of this job showed in the same heat, set as now; None where none was run."""
    for run in bench_runs.rows(connection, HEAT, job_id=job.id):
        if run.plan == job.plan and isinstance(run.plan, HeatPlan) and run.taps:
            before = bench_runs.course(connection, run.id)
            forecast = run.forecast or Forecast(targets=())
            return before and next_course(run.plan, forecast, before, run.taps)
    return None


def script_now(connection: sqlite3.Connection, run: BenchRun) -> Script:
    """A run's script as it is shown: that of a heat moved by what was seen in it."""
    if not isinstance(run.plan, HeatPlan):
        return asked_of_haste(run.script, run.taps)
    course = bench_runs.course(connection, run.id)
    return live_script(run.plan, run.forecast or Forecast(targets=()), course, run.taps)


def start_placing(connection: sqlite3.Connection, job_id: int, side: str) -> int:
    """Open a placement run with the present order; returns its id. Raises Refused where no part of
    the side is placed.
    """
    state = ready_state(connection, job_id)
    order = order_of(connection, state, side)
    if not order.steps:
        raise Refused(f"no part of the {side} is placed on paste")
    plan = placing_plan(state.board, order.steps, stored.places(connection))
    return bench_runs.add(connection, job_id, plan, side=side)


def start_dotting(connection: sqlite3.Connection, job_id: int, side: str) -> int:
    """Open a run of the dot plan; returns its id. Raises Refused where nothing takes paste."""
    state = ready_state(connection, job_id)
    plan = dot_plan(connection, state, side, ordered=True)
    if not plan.steps:
        raise Refused(f"nothing on the {side} side gets paste by hand")
    return bench_runs.add(connection, job_id, plan, side=side)


def start_printing(connection: sqlite3.Connection, job_id: int, side: str) -> int:
    """Open a run that prints the board in hand, or all boards of the job; returns its id. Raises
    Refused where the side has no openings.
    """
    state = paste_state(connection, job_id)
    if not any(one.side == side for one in state.board.openings):
        raise Refused(f"the stencil has no apertures on the {side} side")
    job, found = state.job, fixture_of(connection, job_id, side)
    names = (
        (job.piece.name,)
        if job.piece
        else tuple(piece.name for piece in job.pieces)
        or tuple(map(str, range(1, state.plan.boards + 1)))
    )
    plan = PrintRun(
        boards=names,
        stroke=found.blade_way,
        before=found.before,
    )
    return bench_runs.add(connection, job_id, plan, side=side)


def start_by_iron(connection: sqlite3.Connection, job_id: int, ref: str) -> int:
    """Open a run of one part by iron, row by row or joint by joint; returns its id.

    Raises InvalidValue for a part that is not there, Refused for one whose joints no tip reaches.
    """
    state = ready_state(connection, job_id)
    way, alloy = state.way_by_iron(ref), state.paste.paste.metal
    part, iron, found = way.part, iron_for(connection, way), iron_rows(state, way)
    pads = {pad.pin or "": pad for pad in state.board.pads if pad.ref == ref}
    need = usual_need_s(iron.set_c, alloy.liquidus_c)
    rows = found.rows or joint_plans(part.package, pads, alloy, need)
    if not rows:
        raise Refused(f"no joint of {ref} is reached by an iron")
    said = f"{with_unit(iron.set_c, CELSIUS, 0)}, {with_unit(iron.tip_mm, MM)} {iron.shape}"
    plan = iron_plan(ref, part.package, rows, said)
    return bench_runs.add(connection, job_id, plan, side=part.side)


def note_soldered(connection: sqlite3.Connection, job_id: int, by_iron: bool) -> int:
    """Note the job's parts as soldered without the bench's clock: by its heat plan, or by iron.

    Returns the run's id. Raises Refused for a job without parts.
    """
    job = jobs.get(connection, job_id)
    if not job.plan.targets:
        raise Refused("choose the parts first, in Heat")
    if not by_iron:
        run = start_heat(connection, job_id)
        return _recorded(connection, run, UNCLOCKED)
    with atomic(connection):
        run = bench_runs.add(connection, job_id, IronPlan(refs=job.plan.targets))
        return _recorded(connection, run, RECORD)


def _recorded(connection: sqlite3.Connection, run_id: int, cue: str) -> int:
    """Tap the one cue of what was done without the clock."""
    now = int(time.time() * 1000)
    return tap(connection, run_id, Tap(key=uuid4().hex, cue=cue, word="done", at_ms=now)).id


def start_removal(
    connection: sqlite3.Connection, job_id: int, ref: str, *, clocked: bool = True
) -> int:
    """Open the bench's run that takes a part off by the way chosen for it, or note it as done
    without the clock; returns its id. Raises Refused where that way is a heat, or none is chosen.
    """
    job = jobs.get(connection, job_id)
    side = boards.get(connection, job.board_id).part(ref).side
    made = removal_of(connection, job, ref)
    if clocked:
        return bench_runs.add(connection, job_id, made, side=side)
    return note_removed(connection, job, ref)


def start_kit_check(connection: sqlite3.Connection, job_id: int) -> int:
    """The job's kit check: the one that was begun, or a new one when the pick list is another now.

    Answers of an earlier check are taken over where their line is still there. Raises Refused
    where there is nothing to fetch.
    """
    lines = kit_lines(connection, ready_state(connection, job_id))
    if not lines:
        raise Refused("there is nothing to fetch for this job")
    plan = kit_plan(lines)
    before = bench_runs.latest(connection, job_id, KIT)
    if before is not None and before.plan == plan:
        return before.id
    keys = {line.key for line in plan.lines}
    with atomic(connection):
        run = bench_runs.add(connection, job_id, plan)
        for one in before.taps if before else ():
            if one.cue in keys:
                bench_runs.add_tap(connection, run, one)
        bench_runs.set_over(connection, run, bench_runs.get(connection, run).state.over)
    return run


def note_line(
    connection: sqlite3.Connection,
    job_id: int,
    key: str,
    found: str,
    instead: str,
    where: str | None,
) -> None:
    """Keep what was found of a line of the kit ("" takes it back), and where it lives.

    Raises InvalidValue for a line not in the kit.
    """
    if key not in {line.key for line in kit_lines(connection, ready_state(connection, job_id))}:
        raise InvalidValue("line", f"{key[:60]!r} is not in this kit list")
    if found and found not in {str(one) for one in KitAnswer}:
        raise InvalidValue("found", f"{found[:20]!r} is not one of {', '.join(KitAnswer)}")
    if len(instead) > 120 or len(where or "") > 80:
        raise InvalidValue("where", "keep places within 80 letters and alternatives within 120")
    with atomic(connection):
        if where is not None:
            stored.keep_place(connection, key, where.strip())
        before = kit_answers(connection, job_id).get(key)
        now = (KitAnswer(found), instead.strip()) if found else None
        if now != before:
            answer = Tap(
                key=uuid4().hex,
                cue=key,
                word=found or "not yet",
                at_ms=int(time.time() * 1000),
                text=instead.strip(),
            )
            tap(connection, start_kit_check(connection, job_id), answer)


def tap(connection: sqlite3.Connection, run_id: int, one: Tap) -> BenchRun:
    """Store one tap; the same key twice is one tap. Raises Refused with the reason where it may not
    follow, InvalidValue for one that is malformed.
    """
    if not 1 <= len(one.key) <= 64:
        raise InvalidValue("key", "a tap needs a key of 1 to 64 letters")
    if len(one.text) > 400:
        raise InvalidValue("text", "what is typed with a tap is longer than 400 letters")
    with atomic(connection):
        run = bench_runs.get(connection, run_id)
        if any(done.key == one.key for done in run.taps):
            return run
        if run.finished:
            raise Refused("this run is finished; start another")
        reason = allowed(run.script, run.taps, one)
        reason = reason or run.refused(one)
        if reason:
            raise Refused(reason)
        bench_runs.add_tap(connection, run_id, one)
        run = bench_runs.get(connection, run_id)
        bench_runs.set_over(connection, run_id, run.state.over)
        if run.kind is PADS or run.lifting:
            tell_mixing(connection, jobs.get(connection, run.job_id))
        if run.kind is PRINT and one.word in FOUND:
            repeated = any(before.cue == one.cue for before in run.taps[:-1])
            told = f"{run_id} {one.key}"
            log_print(
                connection, run.job_id, run.side, one.word, wiped=True, repeated=repeated, tap=told
            )
    return run


def undo_tap(connection: sqlite3.Connection, run_id: int, key: str) -> BenchRun:
    """Take the newest tap back, or the one that is asked about. Raises Refused for another, or in a
    run that is finished.
    """
    with atomic(connection):
        before = bench_runs.get(connection, run_id)
        if before.finished:
            raise Refused("this run is finished; its taps stay as they are")
        taps, asks = before.taps, script_now(connection, before).ask_key
        reason = undoable(taps, key, asks.removeprefix(sure_key("")))
        if reason:
            raise Refused(reason)
        taken_back = next((one for one in taps if one.key == key), None)
        bench_runs.remove_tap(connection, run_id, key)
        run = bench_runs.get(connection, run_id)
        bench_runs.set_over(connection, run_id, run.state.over)
        if run.kind is PADS or run.lifting:
            tell_mixing(connection, jobs.get(connection, run.job_id))
        if run.kind is PRINT and taken_back and taken_back.word in FOUND:
            undo_print(connection, run.job_id, f"{run_id} {key}")
    return run


def finish(connection: sqlite3.Connection, run_id: int, note: str) -> BenchRun:
    """Store the note and close the run. Raises InvalidValue for one that is too long."""
    if len(note) > 4000:
        raise InvalidValue("note", "the note is longer than 4000 letters; shorten it")
    bench_runs.get(connection, run_id)
    bench_runs.keep_note(connection, run_id, note.strip(), True)
    return bench_runs.get(connection, run_id)
