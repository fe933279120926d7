"""Look and Finish: verdicts on joints, the closing note."""

from typing import Annotated, Any

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse, Response
from pydantic import BaseModel, ConfigDict, Field

from yellowfen.core.work.job import Verdict
from yellowfen.errors import YellowfenError
from yellowfen.store import bench_runs as stored
from yellowfen.store import boards, jobs
from yellowfen.web.database import Database
from yellowfen.web.errors import status_of
from yellowfen.web.pages import page
from yellowfen.web.plan_svg import plan_svg
from yellowfen.workflows import bench_runs

router = APIRouter()


class MarkForm(BaseModel):
    model_config = ConfigDict(extra="forbid")
    ref: str = Field(max_length=40)
    pin: str = Field("", max_length=20)
    verdict: Verdict | None


@router.get("/jobs/{job_id}/look")
def look_page(request: Request, job_id: int, database: Database) -> Response:
    job = jobs.get(database, job_id)
    board = boards.get(database, job.board_id)
    run = stored.latest_soldering(database, job_id)
    targets = run.in_doubt_first if run else ()
    parts = {part.ref: part for part in board.parts}
    joints = [
        {"ref": part.ref, "pin": land.pin, "kind": str(land.kind)}
        for part in (parts[ref] for ref in targets if ref in parts)
        for land in part.package.lands
    ]
    side = next((part.side for part in board.parts if part.ref in targets), "top")
    return page(
        request,
        "look.html",
        {
            "room": "jobs",
            "stage": "look",
            "job": job,
            "board": board,
            "run": run,
            "plan": plan_svg(board, side),
            "joints": joints,
            "marks": [{"ref": m.ref, "pin": m.pin, "verdict": str(m.verdict)} for m in run.marks]
            if run
            else [],
            "verdicts": [str(one) for one in Verdict],
        },
    )


@router.post("/jobs/{job_id}/unclocked")
def unclocked(job_id: int, database: Database, by_iron: Annotated[str, Form()] = "") -> Response:
    """A run that was soldered without the clock, so that it can be looked at and noted."""
    bench_runs.note_soldered(database, job_id, by_iron == "yes")
    return RedirectResponse(f"/jobs/{job_id}/look", status_code=303)


@router.post("/api/runs/{run_id}/marks")
def mark(run_id: int, form: MarkForm, database: Database) -> dict[str, Any]:
    run = bench_runs.mark(database, run_id, form.ref, form.pin, form.verdict)
    return {"marks": [{"ref": m.ref, "pin": m.pin, "verdict": str(m.verdict)} for m in run.marks]}


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
