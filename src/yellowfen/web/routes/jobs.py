"""Jobs: what each is for, opening and changing it, its heats and pieces, putting it away and back.

What is refused is answered with its sentence, nothing changed.
"""

from typing import Annotated, Any

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse, Response

from yellowfen.core.board.board import BoardPart
from yellowfen.core.run.ledger import Ledger, PartAt, damage_told
from yellowfen.core.run.pad_heats import told
from yellowfen.core.run.stages import next_stage
from yellowfen.core.work.job import Job, Purpose, Verdict
from yellowfen.errors import InvalidValue, YellowfenError
from yellowfen.store import boards, jobs
from yellowfen.web.database import Database
from yellowfen.web.errors import status_of
from yellowfen.web.pages import page
from yellowfen.web.paste_page import side_of
from yellowfen.web.plan_svg import plan_svg
from yellowfen.workflows import jobs as workflow
from yellowfen.workflows.ledger import board_runs, ledger_of_piece, pins_of, stages_behind

router = APIRouter()
WHAT = {
    Purpose.BUILD: "new bare boards",
    Purpose.REWORK: "remove, refit, replace or move these parts",
    Purpose.SALVAGE: "take these parts off a donor board to keep",
}


def _purpose(text: str) -> Purpose:
    if text not in set(Purpose):
        raise InvalidValue("purpose", f"choose what the job is for: {', '.join(Purpose)}")
    return Purpose(text)


@router.get("/jobs/{job_id}")
def job_page(job_id: int, database: Database) -> Response:
    """A job opens at its first stage that has something to do."""
    job = jobs.get(database, job_id)
    return RedirectResponse(
        f"/jobs/{job_id}/{next_stage(job.purpose, stages_behind(database, job)).key}", 303
    )


@router.get("/boards/{board_id}/open")
def open_page(request: Request, board_id: int, database: Database, side: str = "top") -> Response:
    typed = {"name": "", "purpose": "build", "parts": "", "pieces": ""}
    return _form(request, database, board_id, side_of(side), typed)


@router.get("/jobs/{job_id}/purpose")
def purpose_page(request: Request, job_id: int, database: Database, side: str = "") -> Response:
    job = jobs.get(database, job_id)
    sides = {part.ref: part.side for part in boards.get(database, job.board_id).parts}
    shown = side or next((sides[ref] for ref in job.parts if ref in sides), "top")
    return _form(request, database, job.board_id, side_of(shown), _typed(job), job=job)


def _typed(job: Job) -> dict[str, str]:
    return {
        "name": job.name,
        "purpose": str(job.purpose),
        "parts": " ".join(job.parts),
        "pieces": ", ".join(piece.name for piece in job.pieces),
    }


def _form(
    request: Request,
    database: Database,
    board_id: int,
    side: str,
    typed: dict[str, str],
    *,
    job: Job | None = None,
    problem: str = "",
    status: int = 200,
) -> Response:
    board = boards.get(database, board_id)
    context = {
        "room": "jobs",
        "stage": "",
        "job": job,
        "board": board,
        "board_id": board_id,
        "side": side,
        "plan": plan_svg(board, side),
        "on_side": [part.ref for part in board.parts if part.side == side],
        "typed": typed,
        "purposes": [(str(one), str(one).capitalize(), what) for one, what in WHAT.items()],
        "known": jobs.board_pieces(database, board_id),
        "problem": problem,
    }
    return page(request, "job_purpose.html", context, status=status)


@router.post("/boards/{board_id}/open")
def open_job(
    request: Request,
    board_id: int,
    database: Database,
    name: Annotated[str, Form()] = "",
    purpose: Annotated[str, Form()] = "build",
    parts: Annotated[str, Form()] = "",
    pieces: Annotated[str, Form()] = "",
    side: Annotated[str, Form()] = "top",
    once: Annotated[str, Form()] = "",
) -> Response:
    typed = {"name": name, "purpose": purpose, "parts": parts, "pieces": pieces}
    try:
        refs = workflow.parts_named(boards.get(database, board_id), parts)
        job = request.app.state.once.make(
            once,
            lambda: workflow.open_job(
                database,
                board_id,
                name,
                purpose=_purpose(purpose),
                parts=refs,
                pieces=workflow.pieces_named(pieces),
            ),
        )
    except YellowfenError as refused:
        return _form(
            request,
            database,
            board_id,
            side_of(side),
            typed,
            problem=str(refused),
            status=status_of(refused),
        )
    return RedirectResponse(f"/jobs/{job}", 303)


@router.post("/jobs/{job_id}/purpose")
def change(
    request: Request,
    job_id: int,
    database: Database,
    name: Annotated[str, Form()] = "",
    purpose: Annotated[str, Form()] = "build",
    parts: Annotated[str, Form()] = "",
    pieces: Annotated[str, Form()] = "",
    side: Annotated[str, Form()] = "top",
) -> Response:
    job = jobs.get(database, job_id)
    typed = {"name": name, "purpose": purpose, "parts": parts, "pieces": pieces}
    try:
        refs = workflow.parts_named(boards.get(database, job.board_id), parts)
        named = workflow.pieces_named(pieces)
        workflow.change_purpose(
            database, job_id, name, purpose=_purpose(purpose), parts=refs, pieces=named
        )
    except YellowfenError as refused:
        return _form(
            request,
            database,
            job.board_id,
            side_of(side),
            typed,
            job=job,
            problem=str(refused),
            status=status_of(refused),
        )
    return RedirectResponse(f"/jobs/{job_id}", 303)


# heats
@router.post("/jobs/{job_id}/heats")
def heats(
    job_id: int,
    database: Database,
    do: Annotated[str, Form()] = "take",
    heat: Annotated[int, Form()] = 0,
    name: Annotated[str, Form()] = "",
) -> Response:
    """Take a heat in hand, add one like it, or remove one."""
    job = jobs.get(database, job_id)
    if do == "take":
        jobs.choose_heat(database, job_id, heat)
    elif do == "add":
        called = name.strip()[:80] or f"Heat {len(job.heats) + 1}"
        jobs.choose_heat(database, job_id, jobs.add_heat(database, job_id, called, job.plan))
    elif do == "remove":
        jobs.remove_heat(database, job_id, heat)
    else:
        raise InvalidValue("do", "choose take, add or remove")
    now = jobs.get(database, job_id).heat.id
    return RedirectResponse(f"/jobs/{job_id}/heat?heat={now}", 303)


@router.post("/jobs/{job_id}/piece")
def take_piece(
    request: Request, job_id: int, database: Database, piece: Annotated[int, Form()] = 0
) -> Response:
    """Take one board in hand, or all alike (0)."""
    jobs.take_piece(database, job_id, piece or None)
    return RedirectResponse(f"/jobs/{job_id}/pieces", 303)


@router.get("/jobs/{job_id}/pieces")
def pieces_page(request: Request, job_id: int, database: Database) -> Response:
    """The job's boards one by one, part by part."""
    job = jobs.get(database, job_id)
    board = boards.get(database, job.board_id)
    about = [part for part in board.parts if job.about(part.ref)]
    pins = pins_of(board)
    rows: list[dict[str, Any]] = []
    for piece in job.pieces:
        ledger = ledger_of_piece(database, job, piece)
        side = _side_to_see(about, ledger)
        mine = [part.ref for part in about]
        rows.append(
            {
                "piece": piece,
                "ledger": ledger,
                "side": side,
                "plan": plan_svg(board, side, _grades(about, ledger)),
                "soldered": len(ledger.soldered(mine)),
                "placed": len(ledger.placed(mine)),
                "left_out": [
                    f"{one.ref} ({one.left_out})" for one in ledger.parts.values() if one.left_out
                ],
                "damage": damage_told(ledger),
                "faults": [
                    f"{one.ref}.{one.pin} {one.verdict}".replace(". ", " ")
                    for one in ledger.marks()
                    if one.verdict is not Verdict.GOOD
                ],
                "heats": told({p: one for p, one in ledger.pads.items() if one.known}, pins),
                "near": told({p: one for p, one in ledger.pads.items() if not one.known}, pins),
                "again": sum(one.again > 0 for one in ledger.pads.values()),
                "notes": [
                    run.note
                    for run in board_runs(database, job, piece)
                    if run.note and run.finished
                ],
            }
        )
    context = {"room": "jobs", "stage": "", "job": job, "rows": rows, "count": len(about)}
    return page(request, "job_pieces.html", context)


def _side_to_see(about: list[BoardPart], ledger: Ledger) -> str:
    """The face on which most has been done."""
    touched = [part.side for part in about if ledger.parts[part.ref].on]
    return "bottom" if 2 * touched.count("bottom") > len(touched) else "top"


def _grades(about: list[BoardPart], ledger: Ledger) -> dict[str, str]:
    shown = {PartAt.SOLDERED: "way-print", PartAt.PLACED: "way-bumps"}
    return {part.ref: shown.get(ledger.parts[part.ref].at, "") for part in about}


# away and back
@router.post("/jobs/{job_id}/remove")
def remove_job(job_id: int, database: Database) -> Response:
    jobs.get(database, job_id)
    jobs.remove(database, job_id)
    return RedirectResponse("/", 303)


@router.post("/jobs/{job_id}/back")
def bring_back(job_id: int, database: Database) -> Response:
    jobs.remove(database, job_id, back=True)
    jobs.get(database, job_id)
    return RedirectResponse("/", 303)
