"""Look and Finish: verdicts on joints, the meter's plan, the closing note."""

from typing import Annotated, Any, NamedTuple

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse, Response
from markupsafe import Markup
from pydantic import BaseModel, ConfigDict, Field

from yellowfen.core.board.bridges import neighbouring_pins
from yellowfen.core.look.acceptance import Criterion, Limits, Shape, criteria, shape_of
from yellowfen.core.look.meter_plan import by_part
from yellowfen.core.look.picture_work import Moment
from yellowfen.core.look.risk import Joint
from yellowfen.core.work.job import Verdict
from yellowfen.errors import YellowfenError
from yellowfen.formats.table_out import table_text
from yellowfen.store import bench_runs as stored
from yellowfen.store import boards, jobs, pictures
from yellowfen.store.proofs import keep_limits, limits_of, proof_of
from yellowfen.web.database import Database
from yellowfen.web.errors import status_of
from yellowfen.web.look_svg import joint_drawn
from yellowfen.web.pages import page
from yellowfen.web.plan_svg import plan_svg
from yellowfen.workflows import bench_runs, proof
from yellowfen.workflows.look import (
    LookState,
    look_state,
    mark_seen_good,
    metered,
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
    touches_of,
)

router = APIRouter()
Percent = Annotated[float, Form(ge=0, le=100, allow_inf_nan=False)]
COMMON = 8  # verdicts with a key of their own


class MarkForm(BaseModel):
    model_config = ConfigDict(extra="forbid")
    ref: str = Field(max_length=40)
    pin: str = Field("", max_length=20)
    verdict: Verdict | None
    other: str = Field("", max_length=20)


class GoodForm(BaseModel):
    model_config = ConfigDict(extra="forbid")
    joints: list[str] = Field(default_factory=list, max_length=4000)


class _Good(NamedTuple):
    """What counts as good for some joints, in words and drawn."""

    limits: tuple[Criterion, ...]
    drawn: Markup


@router.get("/jobs/{job_id}/look")
def look_page(request: Request, job_id: int, database: Database) -> Response:
    job, state = jobs.get(database, job_id), look_state(database, job_id)
    refs = {one.ref for one in state.joints}
    grade = jobs.grade_of(database, job_id)
    limits = limits_of(database, grade)
    joints, goods = _with_criteria(state, grade, limits)
    side = next((part.side for part in state.board.parts if part.ref in refs), "top")
    context = {
        "room": "jobs",
        "stage": "look",
        "leaf": "joints",
        "job": job,
        "board": state.board,
        "run": state.run,
        "plan": plan_svg(state.board, side),
        "joints": joints,
        "goods": goods,
        "grade": grade,
        "limits": limits,
        "marks": _marks(state),
        "left": state.left,
        "hidden": sum(one.hidden for one in state.joints),
        "harmless": sorted(state.harmless),
        "verdicts": [str(one) for one in list(Verdict)[:COMMON]],
        "more": [str(one) for one in list(Verdict)[COMMON:]],
        "pictures": {
            one.work.ref: one.id
            for one in reversed(pictures.rows(database, job.board_id, job_id))
            if one.work.ref and one.work.moment is not Moment.PRINTED
        },
    }
    return page(request, "look.html", context)


def _joint(one: Joint) -> dict[str, Any]:
    return {
        "ref": one.ref,
        "pin": one.pin,
        "kind": one.kind,
        "chance": round(one.chance, 4),
        "why": "; ".join(one.why),
        "seen": one.seen_from,
        "hidden": one.hidden,
    }


def _with_criteria(
    state: LookState, grade: int, limits: Limits
) -> tuple[list[dict[str, Any]], list[_Good]]:
    """The joints, each with the number of its criteria, and those criteria drawn once each."""
    parts = {part.ref: part.package for part in state.board.parts}
    pairs = {part.ref: neighbouring_pins(part) for part in state.board.parts}
    numbers: dict[tuple[Shape, tuple[Criterion, ...]], int] = {}
    joints = []
    for one in state.joints:
        package = parts[one.ref]
        found = criteria(package, one.pin, grade, limits)
        number = -1
        if found:
            land = next(land for land in package.lands if land.pin == one.pin)
            number = numbers.setdefault((shape_of(package, land), found), len(numbers))
        beside = [b if a == one.pin else a for a, b in pairs[one.ref] if one.pin in (a, b)]
        land = next(land for land in package.lands if land.pin == one.pin)
        wide = min(land.size_x_mm, land.size_y_mm)
        joints.append(_joint(one) | {"good": number, "beside": beside, "wide_mm": round(wide, 2)})
    return joints, [_Good(limits, joint_drawn(shape, limits)) for shape, limits in numbers]


def _marks(state: LookState) -> list[dict[str, str]]:
    return [
        {"ref": m.ref, "pin": m.pin, "verdict": str(m.verdict), "other": m.other}
        for m in state.marks
    ]


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
    side: Percent = 50.0,
    end: Percent = 50.0,
    leadless_side: Percent = 25.0,
    leadless_end: Percent = 75.0,
    over_most_mm: Annotated[float, Form(ge=0, le=2, allow_inf_nan=False)] = 0.5,
    back: Annotated[str, Form(max_length=5)] = "",
) -> Response:
    """The limits of the job's class as the user has them, for all jobs; or as remembered again."""
    grade = jobs.grade_of(database, jobs.get(database, job_id).id)
    own = Limits(
        side=side,
        end=end,
        leadless_side=leadless_side,
        leadless_end=leadless_end,
        over_most_mm=over_most_mm,
        own=True,
    )
    keep_limits(database, grade, None if back == "yes" else own)
    return RedirectResponse(f"/jobs/{job_id}/look", status_code=303)


@router.post("/jobs/{job_id}/unclocked")
def unclocked(job_id: int, database: Database, by_iron: Annotated[str, Form()] = "") -> Response:
    """A run that was soldered without the clock, so that it can be looked at and noted."""
    bench_runs.note_soldered(database, job_id, by_iron == "yes")
    return RedirectResponse(f"/jobs/{job_id}/look", status_code=303)


@router.post("/api/runs/{run_id}/marks")
def mark(run_id: int, form: MarkForm, database: Database) -> dict[str, Any]:
    """Keep what was found at a joint, or take it back; answers with all marks and what is left to
    expect.
    """
    if form.verdict is None:
        return _seen(database, take_back(database, run_id, form.ref, form.pin))
    run = bench_runs.mark(database, run_id, form.ref, form.pin, form.verdict, form.other)
    return _seen(database, run.job_id)


@router.post("/api/runs/{run_id}/marks/good")
def mark_good(run_id: int, form: GoodForm, database: Database) -> dict[str, Any]:
    """Mark joints good that can be seen and have no mark yet: those named, or all that are left."""
    run = stored.get(database, run_id)
    mark_seen_good(database, run_id, form.joints or None)
    return _seen(database, run.job_id)


def _seen(database: Database, job_id: int) -> dict[str, Any]:
    state = look_state(database, job_id)
    return {"marks": _marks(state), "left": round(state.left, 2)}


# mending
@router.get("/jobs/{job_id}/mend")
def mend_page(request: Request, job_id: int, database: Database) -> Response:
    """What is wrong, why, what to do about it."""
    return _mend_page(request, database, job_id)


def _mend_page(request: Request, database: Database, job_id: int, said: str = "") -> Response:
    job, found = jobs.get(database, job_id), mend_state(database, job_id, reckoned=False)
    refs = [one.fault.ref for one in found.bad]
    sides = {part.ref: part.side for part in found.look.board.parts}
    side = sides[refs[0]] if refs else "top"
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
        "plan": plan_svg(found.look.board, side, dict.fromkeys(refs, "comes-off")),
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


@router.get("/api/jobs/{job_id}/touches")
def touches(job_id: int, database: Database, ref: str, pin: str) -> dict[str, str]:
    """How to touch a bad joint, in a line; "" where no iron does it."""
    found = touches_of(database, job_id, ref, pin)
    return {"says": found.says if found else ""}


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
    headers = {"content-disposition": f'attachment; filename="test-{job_id}.csv"'}
    return Response(table_text(rows), media_type="text/csv; charset=utf-8", headers=headers)


@router.get("/jobs/{job_id}/finish")
def finish_page(request: Request, job_id: int, database: Database) -> Response:
    return page(request, "finish.html", _finish_context(database, job_id))


def _finish_context(
    database: Database, job_id: int, problem: str = "", note: str | None = None
) -> dict[str, Any]:
    run = stored.latest_soldering(database, job_id)
    text = note if note is not None else (run.note if run else "")
    return {
        "room": "jobs",
        "stage": "finish",
        "job": jobs.get(database, job_id),
        "run": run,
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
