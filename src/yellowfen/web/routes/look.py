"""Look and Finish: verdicts on joints, the meter's plan, the closing note."""

from typing import Annotated, Any

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse, Response

from yellowfen.core.look.acceptance import Limits
from yellowfen.core.look.meter_plan import by_part
from yellowfen.core.quantity.number import in_range, typed_number
from yellowfen.core.run.look import likely_left
from yellowfen.core.work.job import Verdict
from yellowfen.errors import YellowfenError
from yellowfen.formats.table_out import table_text
from yellowfen.store import bench_runs as stored
from yellowfen.store import boards, jobs
from yellowfen.store.proofs import keep_limits, limits_of, proof_of
from yellowfen.web.database import Database
from yellowfen.web.downloads import saved_as
from yellowfen.web.errors import status_of
from yellowfen.web.look_run import by_joint, criteria_of
from yellowfen.web.pages import page
from yellowfen.web.plan_svg import plan_svg
from yellowfen.web.working import told
from yellowfen.workflows import bench_runs, proof
from yellowfen.workflows.ledger import ledger_now
from yellowfen.workflows.look import (
    look_state,
    metered,
    soldering,
    start_looking,
    start_meter,
    take_back,
)
from yellowfen.workflows.mend import (
    gathered,
    mend_state,
    presses,
    prevent,
    standing,
    start_mending,
    touches_asked,
)

router = APIRouter()
Typed = Annotated[str, Form(max_length=40)]


@router.get("/jobs/{job_id}/look")
def look_page(request: Request, job_id: int, database: Database) -> Response:
    """What there is to look at, how far it is, what counts as good."""
    job, state = jobs.get(database, job_id), look_state(database, job_id)
    grade = jobs.grade_of(database, job_id)
    limits = limits_of(database, grade)
    keys = [(one.ref, one.pin) for one in state.joints]
    _, goods = criteria_of(state.board, keys, grade, limits)
    refs = {one.ref for one in state.joints}
    sides = {part.ref: part.side for part in state.board.parts}
    marks = by_joint(state.fresh)
    begun = state.run is not None and any(
        look.taps for look in stored.looks(database, state.run.id)
    )
    context = {
        "room": "jobs",
        "stage": "look",
        "leaf": "joints",
        "job": job,
        "board": state.board,
        "state": state,
        "begun": begun,
        "plans": [
            plan_svg(state.board, side, dict.fromkeys(refs, "target"))
            for side in dict.fromkeys(sides[one.ref] for one in state.joints)
        ],
        "next": sorted(
            (one for one in state.joints if not one.hidden and one.key not in marks),
            key=lambda one: (-one.chance, one.key),
        ),
        "bad": [one for one in state.marks if one.verdict is not Verdict.GOOD],
        "hidden": sum(one.hidden for one in state.joints),
        "marks": marks,
        "left": likely_left(state.left),
        "seen": len(marks.keys() & {one.key for one in state.joints}),
        "goods": list(
            {
                (one.example, tuple(limit.says for limit in one.limits)): one for one in goods
            }.values()
        ),
        "grade": grade,
        "limits": limits,
    }
    return page(request, "look.html", context)


@router.post("/jobs/{job_id}/look")
def look_run(job_id: int, database: Database) -> Response:
    """Open the bench's look, or go on with it."""
    return RedirectResponse(f"/runs/{start_looking(database, job_id)}", 303)


@router.post("/jobs/{job_id}/look/back")
def mark_back(
    job_id: int,
    database: Database,
    ref: Annotated[str, Form(max_length=40)],
    pin: Annotated[str, Form(max_length=20)] = "",
) -> Response:
    """Take a mark of an earlier look back."""
    take_back(database, job_id, ref, pin)
    return RedirectResponse(f"/runs/{start_looking(database, job_id)}", 303)


@router.post("/jobs/{job_id}/class")
def keep_class(
    job_id: int, database: Database, grade: Annotated[int, Form(ge=1, le=3)]
) -> Response:
    """By which class the job's joints count as good."""
    jobs.set_grade(database, jobs.get(database, job_id).id, grade)
    return RedirectResponse(f"/jobs/{job_id}/look", status_code=303)


@router.post("/jobs/{job_id}/limits")
def say_limits(
    job_id: int,
    database: Database,
    side: Typed = "50",
    end: Typed = "50",
    leadless_side: Typed = "25",
    leadless_end: Typed = "75",
    over_most_mm: Typed = "0.5",
    back: Annotated[str, Form(max_length=5)] = "",
) -> Response:
    """The limits of the job's class as the user has them, for all jobs; or as remembered again."""
    grade = jobs.grade_of(database, jobs.get(database, job_id).id)
    if back == "yes":
        keep_limits(database, grade, None)
        return RedirectResponse(f"/jobs/{job_id}/look", status_code=303)

    def typed(field: str, text: str, most: float, unit: str) -> float:
        return in_range(field, typed_number(field, text), 0, most, unit)

    own = Limits(
        side=typed("over the side", side, 100, "%"),
        end=typed("end joint", end, 100, "%"),
        leadless_side=typed("leadless_side", leadless_side, 100, "%"),
        leadless_end=typed("leadless_end", leadless_end, 100, "%"),
        over_most_mm=typed("over_most_mm", over_most_mm, 2, "mm"),
        own=True,
    )
    keep_limits(database, grade, own)
    return RedirectResponse(f"/jobs/{job_id}/look", status_code=303)


@router.post("/jobs/{job_id}/unclocked")
def unclocked(job_id: int, database: Database, by_iron: Annotated[str, Form()] = "") -> Response:
    """A run that was soldered without the clock, so that it can be looked at and noted."""
    bench_runs.note_soldered(database, job_id, by_iron == "yes")
    return RedirectResponse(f"/jobs/{job_id}/look", status_code=303)


# mending
@router.get("/jobs/{job_id}/mend")
def mend_page(request: Request, job_id: int, database: Database) -> Response:
    """What is wrong, why, what to do about it."""
    return _mend_page(request, database, job_id)


def _mend_page(request: Request, database: Database, job_id: int, said: str = "") -> Response:
    job, found = jobs.get(database, job_id), mend_state(database, job_id, reckoned=False)
    refs = [one.fault.ref for one in found.bad]
    sides = {part.ref: part.side for part in found.look.board.parts}
    grades = dict.fromkeys(refs, "comes-off")
    context = {
        "room": "jobs",
        "stage": "look",
        "leaf": "mend",
        "job": job,
        "board": found.look.board,
        "found": found,
        "presses": presses(database, job_id, found.bad),
        "said": said,
        "lessons": {one.seen for one in proof_of(database, job.board_id).lessons},
        "plans": [
            plan_svg(found.look.board, side, grades)
            for side in dict.fromkeys(sides[ref] for ref in refs) or ("top",)
        ],
    }
    return page(request, "mend.html", context)


@router.post("/jobs/{job_id}/mend/lessons")
def keep_lesson(
    job_id: int,
    database: Database,
    seen: Annotated[str, Form(max_length=200)],
    change: Annotated[str, Form(max_length=200)],
) -> Response:
    """What a fault taught, onto the list for the next board."""
    proof.keep_lesson(database, job_id, seen, change)
    return RedirectResponse(f"/jobs/{job_id}/mend", status_code=303)


@router.post("/jobs/{job_id}/mend/prevent")
def prevent_now(
    request: Request,
    job_id: int,
    database: Database,
    ref: Annotated[str, Form(max_length=40)],
    press: Annotated[str, Form(max_length=20)],
) -> Response:
    """Change the job's plans for the next board, at one press."""
    return _mend_page(request, database, job_id, prevent(database, job_id, ref, press))


@router.post("/api/jobs/{job_id}/touches")
def touches(
    request: Request, job_id: int, database: Database, ref: str, pin: str
) -> dict[str, Any]:
    """Ask how to touch a bad joint; the answer is null where no iron does it."""
    return told(request, touches_asked(database, job_id, ref, pin))


@router.post("/jobs/{job_id}/mend")
def mend_run(job_id: int, database: Database) -> Response:
    """Open the bench's run over all that is wrong."""
    return RedirectResponse(f"/runs/{start_mending(database, job_id)}", 303)


# by meter
@router.get("/jobs/{job_id}/test")
def test_page(request: Request, job_id: int, database: Database) -> Response:
    """The meter's plan, what was measured, and what that says."""
    job, found = jobs.get(database, job_id), metered(database, job_id)
    board = boards.get(database, job.board_id)
    suspects = [one.joint.split(".")[0] for one, _ in found.diagnosis.suspects[:6]]
    parts = {part.ref: part.side for part in board.parts}
    side = next((parts[ref] for ref in suspects if ref in parts), "top")
    context = {
        "room": "jobs",
        "stage": "look",
        "leaf": "meter",
        "job": job,
        "board": board,
        "found": found,
        "unproved": by_part(found.plan.unproved),
        "plan": plan_svg(board, side, dict.fromkeys(suspects, "comes-off")),
        "rows": found.rows,
        "first": found.first,
    }
    return page(request, "look_test.html", context)


@router.post("/jobs/{job_id}/test")
def test_run(job_id: int, database: Database) -> Response:
    """Open the bench's run over the meter's plan."""
    return RedirectResponse(f"/runs/{start_meter(database, job_id)}", 303)


@router.get("/jobs/{job_id}/test.csv")
def test_table(job_id: int, database: Database) -> Response:
    """The plan with its results, as a table."""
    found = metered(database, job_id)
    rows: list[tuple[object, ...]] = [("from", "to", "expect", "note", "covers", "result")]
    for one in found.plan.probes:
        passed = found.results.get(one.key)
        result = "" if passed is None else "as expected" if passed else "not"
        covers = "; ".join(suspect.says for suspect in one.covers)
        rows.append((one.here, one.there, str(one.expect), one.says, covers, result))
    headers = saved_as(f"test-{job_id}.csv")
    return Response(table_text(rows), media_type="text/csv; charset=utf-8", headers=headers)


@router.get("/jobs/{job_id}/finish")
def finish_page(request: Request, job_id: int, database: Database) -> Response:
    return page(request, "finish.html", _finish_context(database, job_id))


def _finish_context(
    database: Database, job_id: int, problem: str = "", note: str | None = None
) -> dict[str, Any]:
    job = jobs.get(database, job_id)
    run = next(iter(soldering(database, job)), None)
    text = note if note is not None else (run.note if run else "")
    return {
        "room": "jobs",
        "stage": "finish",
        "job": job,
        "run": run,
        "marks": ledger_now(database, job).marks(),
        "problem": problem,
        "note": text,
        "stands": None if run is None else standing(database, job_id),
        "took": None if run is None else gathered(database, job_id),
    }


@router.post("/runs/{run_id}/finish")
def finish(
    request: Request, run_id: int, database: Database, note: Annotated[str, Form()] = ""
) -> Response:
    try:
        bench_runs.finish(database, run_id, note)
    except YellowfenError as problem:
        job_id = stored.get(database, run_id).job_id
        return page(
            request,
            "finish.html",
            _finish_context(database, job_id, str(problem), note),
            status=status_of(problem),
        )
    return RedirectResponse(f"/logbook#run-{run_id}", status_code=303)
