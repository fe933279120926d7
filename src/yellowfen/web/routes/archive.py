"""Restoring what was archived."""

from fastapi import APIRouter
from starlette.responses import RedirectResponse, Response

from yellowfen.store import archive
from yellowfen.web.database import Database

router = APIRouter()
PAGES = {
    "board": "/boards",
    "tool": "/bench",
    "paste_lot": "/bench/materials",
    "own_package": "/packages",
}


@router.post("/archive/{table}/{row}/back")
def bring_back(table: str, row: int, database: Database) -> Response:
    """Restore a record; the page that lists its like is shown."""
    archive.bring_back(database, table, row)
    return RedirectResponse(PAGES[table], status_code=303)
