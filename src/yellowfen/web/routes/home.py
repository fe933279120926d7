"""The first page: jobs and what to do next."""

from fastapi import APIRouter, Request
from fastapi.responses import FileResponse, Response

from yellowfen.store import boards, jobs
from yellowfen.web.database import Database
from yellowfen.web.pages import STATIC, page
from yellowfen.web.plan_svg import board_thumb

router = APIRouter()


@router.get("/")
def home(request: Request, database: Database) -> Response:
    return page(
        request,
        "home.html",
        {
            "room": "jobs",
            "jobs": jobs.rows(database),
            "boards": boards.rows(database),
            "removed": jobs.removed(database),
        },
    )


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
