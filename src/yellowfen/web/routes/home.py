"""The first page: jobs and what to do next."""

from fastapi import APIRouter, Request
from fastapi.responses import FileResponse, RedirectResponse, Response

from yellowfen.core.work.job import Job
from yellowfen.errors import YellowfenError
from yellowfen.store import boards, jobs
from yellowfen.web.database import Database
from yellowfen.web.pages import STATIC, page
from yellowfen.web.plan_svg import board_thumb
from yellowfen.workflows.ledger import stages_behind
from yellowfen.workflows.opening import replace_good_copy

router = APIRouter()


@router.get("/")
def home(request: Request, database: Database) -> Response:
    return page(
        request,
        "home.html",
        {
            "room": "jobs",
            "jobs": [(job, _behind(database, job)) for job in jobs.rows(database)],
            "boards": boards.rows(database),
            "removed": jobs.removed(database),
            "lacks": request.app.state.lacks,
        },
    )


def _behind(database: Database, job: Job) -> frozenset[str]:
    """The stages behind a job; none of one whose board cannot be read, which its own page says."""
    try:
        return stages_behind(database, job)
    except YellowfenError:
        return frozenset()


@router.post("/storage/copy")
def replace_copy(request: Request) -> Response:
    """The user wants this database as the good copy, though the one that is there holds more."""
    replace_good_copy(request.app.state.data)
    request.app.state.lacks = ""
    return RedirectResponse("/", status_code=303)


@router.get("/jobs/{job_id}/board.svg")
def thumb(job_id: int, database: Database) -> Response:
    """The job's board, small, with its parts filled."""
    job = jobs.get(database, job_id)
    drawn = board_thumb(
        boards.get(database, job.board_id),
        job.plan.side if job.parts else "top",
        set(job.parts),
    )
    return Response(str(drawn), media_type="image/svg+xml")


@router.get("/favicon.ico")
def favicon() -> Response:
    return FileResponse(STATIC / "icon.svg", media_type="image/svg+xml")
