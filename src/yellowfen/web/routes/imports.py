"""A large import: how far it is, and giving it up."""

from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from yellowfen.store import imports
from yellowfen.web.database import Database
from yellowfen.web.pages import page

router = APIRouter()


@router.get("/imports/{import_id}")
def progress_page(request: Request, import_id: int, database: Database) -> Response:
    one = imports.get(database, import_id)
    if one.state == "done" and one.board_id is not None:
        return RedirectResponse(f"/boards/{one.board_id}", status_code=303)
    if one.state in ("waiting", "working"):
        request.app.state.importer.wake()
    return page(request, "import.html", {"room": "boards", "one": one})


@router.get("/api/imports/{import_id}")
def progress(request: Request, import_id: int, database: Database) -> dict[str, Any]:
    """State, step, and the board once it is there."""
    one = imports.get(database, import_id)
    if one.state in ("waiting", "working"):
        request.app.state.importer.wake()
    return {
        "state": one.state,
        "said": one.said,
        "done": one.done_steps,
        "of": one.all_steps,
        "board": one.board_id,
    }


@router.post("/imports/{import_id}/cancel")
def give_up(import_id: int, database: Database) -> Response:
    imports.get(database, import_id)
    imports.cancel(database, import_id)
    return RedirectResponse("/boards", status_code=303)
