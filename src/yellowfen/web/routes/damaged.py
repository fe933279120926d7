"""Damaged records: what they are, carried out as they are, removed."""

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from yellowfen.store import damaged
from yellowfen.web.database import Database
from yellowfen.web.downloads import saved_as
from yellowfen.web.pages import page

router = APIRouter()


@router.get("/damaged")
def damaged_page(request: Request, database: Database) -> Response:
    return page(request, "damaged.html", {"room": "", "records": damaged.found(database)})


@router.get("/damaged/{table}/{row}.json")
def carry_out(table: str, row: int, database: Database) -> Response:
    """A record as it is stored."""
    return Response(
        damaged.carried_out(database, table, row),
        media_type="application/json",
        headers=saved_as(f"record-{row}.json"),
    )


@router.post("/damaged/{table}/{row}/remove")
def remove(table: str, row: int, database: Database) -> Response:
    damaged.remove(database, table, row)
    return RedirectResponse("/damaged", status_code=303)
