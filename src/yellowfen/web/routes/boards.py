"""Boards: bringing files in, the plan, what each file is, opening a job."""

from typing import Annotated

from fastapi import APIRouter, Depends, File, Form, Request, UploadFile
from fastapi.responses import RedirectResponse, Response

from yellowfen.core.board.board import Role
from yellowfen.errors import InvalidValue, YellowfenError
from yellowfen.store import boards
from yellowfen.web.database import Database
from yellowfen.web.errors import status_of
from yellowfen.web.pages import page
from yellowfen.web.plan_svg import plan_svg
from yellowfen.workflows.boards import choose_roles, import_board
from yellowfen.workflows.heat import open_job

router = APIRouter()


@router.get("/boards")
def board_list(request: Request, database: Database) -> Response:
    return page(request, "boards.html", _list_context(database))


def _list_context(database: Database, problem: str = "", name: str = "", thickness: str = "1.6") -> dict[str, object]:
    return {"room": "boards", "boards": boards.rows(database), "problem": problem, "name": name, "thickness": thickness}


@router.post("/boards")
def bring_in(request: Request, database: Database, files: Annotated[list[UploadFile] | None, File()] = None, name: Annotated[str, Form()] = "",
             thickness_mm: Annotated[str, Form()] = "1.6") -> Response:  # fmt: skip
    try:
        uploads = [(one.filename or "", one.file.read()) for one in files or []]
        board_id = import_board(database, uploads, name, _number("thickness_mm", thickness_mm))
    except YellowfenError as problem:
        return page(request, "boards.html", _list_context(database, str(problem), name, thickness_mm), status=status_of(problem))
    return RedirectResponse(f"/boards/{board_id}", status_code=303)


def _number(field: str, text: str) -> float:
    try:
        return float(text.replace(",", "."))
    except ValueError:
        raise InvalidValue(field, f"{text[:20]!r} is not a number") from None


@router.get("/boards/{board_id}")
def board_page(request: Request, board_id: int, database: Database, side: str = "top") -> Response:
    return page(request, "board.html", _board_context(database, board_id, side))


def _board_context(database: Database, board_id: int, side: str, problem: str = "") -> dict[str, object]:
    board = boards.get(database, board_id)
    shown = side if side in ("top", "bottom") else "top"
    return {
        "room": "boards", "board_id": board_id, "board": board, "side": shown, "plan": plan_svg(board, shown),
        "roles": [str(role) for role in Role], "problem": problem,
    }  # fmt: skip


async def _fields(request: Request) -> dict[str, str]:
    """The text fields of a form whose names are not known beforehand."""
    form = await request.form(max_files=0, max_fields=500)
    return {name: str(value) for name, value in form.items()}


@router.post("/boards/{board_id}/files")
def change_roles(request: Request, board_id: int, database: Database, fields: Annotated[dict[str, str], Depends(_fields)]) -> Response:
    try:
        chosen = {name.removeprefix("role:"): _role(value) for name, value in fields.items() if name.startswith("role:")}
        before = {guess.file: guess.role for guess in boards.get(database, board_id).layers}
        changed = {name: role for name, role in chosen.items() if before.get(name) != role}
        choose_roles(database, board_id, changed, _number("thickness_mm", fields.get("thickness_mm", "1.6")))
    except YellowfenError as problem:
        return page(request, "board.html", _board_context(database, board_id, "top", str(problem)), status=status_of(problem))
    return RedirectResponse(f"/boards/{board_id}", status_code=303)


def _role(text: str) -> Role:
    try:
        return Role(text)
    except ValueError:
        raise InvalidValue("role", f"{text[:30]!r} is not a kind of file") from None


@router.post("/boards/{board_id}/remove")
def remove(board_id: int, database: Database) -> Response:
    boards.get(database, board_id)
    boards.remove(database, board_id)
    return RedirectResponse("/boards", status_code=303)


@router.post("/boards/{board_id}/jobs")
def new_job(board_id: int, database: Database, name: Annotated[str, Form()] = "") -> Response:
    return RedirectResponse(f"/jobs/{open_job(database, board_id, name)}/heat", status_code=303)
