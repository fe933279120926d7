"""The first page: jobs and what to do next."""

from fastapi import APIRouter, Request
from fastapi.responses import FileResponse, Response

from yellowfen.store import boards, jobs
from yellowfen.web.database import Database
from yellowfen.web.pages import STATIC, page

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


@router.get("/favicon.ico")
def favicon() -> Response:
    return FileResponse(STATIC / "icon.svg", media_type="image/svg+xml")
