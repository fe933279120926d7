"""A large import: how far it is, and giving it up."""

import sqlite3
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response

from yellowfen.core.board.board import Role
from yellowfen.store import imports
from yellowfen.web.database import Database
from yellowfen.web.fields import Fields, role_named
from yellowfen.web.pages import page
from yellowfen.workflows import boards as work

router = APIRouter()


@router.get("/imports/{import_id}")
def progress_page(request: Request, import_id: int, database: Database) -> Response:
    one = imports.get(database, import_id)
    if one.state == "done" and one.board_id is not None:
        return RedirectResponse(f"/boards/{one.board_id}", status_code=303)
    if one.state in ("waiting", "working"):
        request.app.state.importer.wake()
    return page(request, "import.html", import_context(database, one))


def import_context(database: sqlite3.Connection, one: imports.Import) -> dict[str, Any]:
    """What the page of an import shows; of a refused set also what each file was taken for."""
    guesses = imports.guesses_of(database, one.id) if one.state == "failed" else ()
    return {
        "room": "boards",
        "one": one,
        "guesses": guesses,
        "roles": [str(role) for role in Role],
    }


@router.post("/api/reader", status_code=204)
def files_will_come(request: Request) -> None:
    """Have what reads large sets ready: it takes a second or two to start."""
    request.app.state.importer.wake()


@router.post("/imports/{import_id}/roles")
def read_as(request: Request, import_id: int, database: Database, fields: Fields) -> Response:
    """Read a refused set as its owner says what the files are."""
    roles = {
        name.removeprefix("role:"): role_named(value)
        for name, value in fields.items()
        if name.startswith("role:")
    }
    kind, number = work.read_import_as(database, import_id, roles)
    if kind == "board":
        return RedirectResponse(f"/boards/{number}", status_code=303)
    one = imports.get(database, number)
    return page(request, "import.html", import_context(database, one), status=422)


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
