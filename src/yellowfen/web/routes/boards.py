"""Boards: bringing files in, the plan with its leaves, corrections, revisions, opening a job.

What is refused is answered with its sentence, nothing changed.
"""

import re
from collections.abc import Mapping, Sequence
from typing import Annotated, Any
from urllib.parse import quote

from fastapi import APIRouter, File, Form, Request, UploadFile
from fastapi.responses import RedirectResponse, Response
from pydantic import BaseModel, Field

from yellowfen.core.board.board import Board, BoardPart, Pad, Role
from yellowfen.core.board.bridges import harmless_bridges, pads_by_pin
from yellowfen.core.board.choices import PartChoice
from yellowfen.core.board.compare import BoardChange, changes
from yellowfen.core.board.find import MOST_LETTERS, found_parts
from yellowfen.core.part.catalogue import HOUSINGS, PALETTE, housing_of, named_with_housing
from yellowfen.core.part.package import JointKind
from yellowfen.core.quantity.number import typed_number, typed_whole
from yellowfen.core.work.advice import advise, build_minutes
from yellowfen.core.work.triage import FlagKind, Triaged, triage
from yellowfen.errors import InvalidValue, NotFound, YellowfenError
from yellowfen.formats.board_parts import is_unnamed
from yellowfen.formats.bundle import zipped
from yellowfen.formats.part_table import FIELDS
from yellowfen.store import board_steps, boards, imports, packages
from yellowfen.store.archive import archived, put_away
from yellowfen.store.bench_runs import notes_on
from yellowfen.store.proofs import proof_of
from yellowfen.web.database import Database
from yellowfen.web.downloads import saved_as
from yellowfen.web.errors import status_of
from yellowfen.web.fields import Fields, role_named
from yellowfen.web.pages import page
from yellowfen.web.plan_svg import plan_svg
from yellowfen.web.routes.imports import import_context
from yellowfen.workflows import boards as work
from yellowfen.workflows import parts as part_work
from yellowfen.workflows import proof
from yellowfen.workflows.reading import reader

router = APIRouter()
ROWS_SHOWN = 100
_LEAVES = {"parts": "Parts", "files": "Files", "advice": "Next board", "changes": "What changed"}


class PartName(BaseModel):
    """A proposed part and the name its owner gives it."""

    ref: str = Field(max_length=40)
    name: str = Field(max_length=20)


@router.get("/boards")
def board_list(request: Request, database: Database) -> Response:
    reader().warm()  # by the time files are chosen
    return page(request, "boards.html", _list_context(database))


def _list_context(
    database: Database, problem: str = "", name: str = "", thickness: str = "1.6"
) -> dict[str, object]:
    return {
        "room": "boards",
        "boards": boards.rows(database),
        "archived": archived(database, "board"),
        "problem": problem,
        "name": name,
        "thickness": thickness,
    }


def _uploads(files: list[UploadFile] | None) -> list[tuple[str, bytes]]:
    return [(one.filename or "", one.file.read()) for one in files or []]


def _opened(request: Request, database: Database, kind: str, number: int) -> Response:
    """To the board, or to the page that shows how far its reading is."""
    if kind == "import":
        one = imports.get(database, number)
        if one.state == "failed":
            return page(request, "import.html", import_context(database, one), status=422)
        request.app.state.importer.wake()
        return RedirectResponse(f"/imports/{number}", status_code=303)
    return RedirectResponse(f"/boards/{number}", status_code=303)


@router.post("/boards")
def bring_in(
    request: Request,
    database: Database,
    files: Annotated[list[UploadFile] | None, File()] = None,
    name: Annotated[str, Form()] = "",
    thickness_mm: Annotated[str, Form()] = "1.6",
    once: Annotated[str, Form()] = "",
) -> Response:
    try:
        thickness = typed_number("thickness_mm", thickness_mm)
        made = request.app.state.once.make(
            once, lambda: work.bring_in(database, _uploads(files), name, thickness)
        )
        return _opened(request, database, *made)
    except YellowfenError as problem:
        return page(
            request,
            "boards.html",
            _list_context(database, str(problem), name, thickness_mm),
            status=status_of(problem),
        )


# --- the page
# ------------------------------------------------------------------------------------------------------


@router.get("/boards/{board_id}")
def board_page(
    request: Request,
    board_id: int,
    database: Database,
    side: str = "top",
    leaf: str = "",
    kind: str = "",
    all_rows: bool = False,
    part: str = "",
    find: str = "",
) -> Response:
    return page(
        request,
        "board.html",
        _board_context(
            database, board_id, side, leaf=leaf, kind=kind, all_rows=all_rows, part=part, find=find
        ),
    )


def _board_context(
    database: Database,
    board_id: int,
    side: str = "top",
    leaf: str = "",
    kind: str = "",
    all_rows: bool = False,
    part: str = "",
    find: str = "",
    problem: str = "",
) -> dict[str, Any]:
    board = boards.get(database, board_id)
    side = "bottom" if side == "bottom" else "top"
    changed = work.changes_of(database, board_id)
    judged = triage(board)
    among = set(found_parts(board, find))
    marked = [
        one
        for one in judged
        if one.part.ref in among and (not kind or any(flag.kind == kind for flag in one.flags))
    ]
    only = marked[0].part.ref if find.strip() and len(marked) == 1 else part
    chosen = next((one for one in judged if one.part.ref == only), None)
    if chosen is not None:
        side = chosen.part.side
    shown = (
        leaf if leaf in _LEAVES else "changes" if changed else "parts" if board.parts else "files"
    )
    return {
        "room": "boards",
        "board": board,
        "board_id": board_id,
        "side": side,
        "leaf": shown,
        "problem": problem,
        "leaves": [(key, name) for key, name in _LEAVES.items() if key != "changes" or changed],
        "plan": plan_svg(board, side, _marks(shown, marked, changed, bool(find.strip()))),
        "nets": _net_names(board),
        "counts": {
            grade: sum(one.grade == grade for one in judged) for grade in ("hard", "mind", "easy")
        },
        "kinds": [
            (str(one), sum(any(flag.kind is one for flag in each.flags) for each in judged))
            for one in FlagKind
        ],
        "kind": kind,
        "find": find.strip()[:MOST_LETTERS],
        "found_on": {at: sum(one.part.side == at for one in marked) for at in ("top", "bottom")},
        "rows": marked if all_rows else marked[:ROWS_SHOWN],
        "found": len(marked),
        "all_rows": all_rows,
        "card": _card_context(database, board_id, board, chosen) if chosen else None,
        "roles": [str(role) for role in Role],
        "fields": FIELDS,
        "tables": work.tables_of(database, board_id) if shown == "files" else [],
        "unnamed": [_unnamed(part) for part in board.parts if is_unnamed(part)],
        "loose": _loose(board, side) if shown == "parts" else [],
        "known": _known_packages(database) if shown == "parts" else [],
        "reading": _reading(database, board_id, board),
        "sketched": boards.sketch_of(database, board_id) is not None,
        "shifted": _shifted(database, board_id),
        "advice": advise(board) if shown == "advice" else (),
        "minutes": build_minutes(board) if shown == "advice" else 0.0,
        "lessons": proof_of(database, board_id).lessons if shown == "advice" else (),
        "changed": changed,
        "notes": notes_on(database, board_id),
        "last_change": board_steps.newest(database, board_id),
    }


@router.post("/boards/{board_id}/lessons/{number}/remove")
def forget_lesson(board_id: int, number: int, database: Database) -> Response:
    """Leave a lesson of the bench out."""
    proof.forget_lesson(database, board_id, number)
    return RedirectResponse(f"/boards/{board_id}?leaf=advice", status_code=303)


def _unnamed(part: BoardPart) -> dict[str, str]:
    return {"ref": part.ref, "package": part.package.name, "side": part.side}


def _loose(board: Board, side: str) -> list[tuple[int, Pad]]:
    """Pads of a side that belong to no part, with their places in the board's pads; those with
    paste first.
    """
    parts = {part.ref for part in board.parts}
    mine = [
        (place, pad)
        for place, pad in enumerate(board.pads)
        if pad.ref not in parts and pad.side == side
    ]
    return sorted(mine, key=lambda one: one[1].paste_mm2 == 0)[:ROWS_SHOWN]


def _known_packages(database: Database) -> list[str]:
    own = [one.name for one in packages.rows(database)]
    return [*own, *(name for names in PALETTE.values() for name in names)]


def _reading(database: Database, board_id: int, board: Board) -> Sequence[BoardChange]:
    """What would change if this version's reading of the board were taken."""
    other = boards.proposed_reading(database, board_id)
    return () if other is None else changes(board, other)


def _marks(
    leaf: str,
    marked: Sequence[Triaged],
    changed: tuple[int, tuple[BoardChange, ...]] | None,
    searched: bool,
) -> dict[str, str]:
    """How parts are marked on the plan: by what will hurt, by what changed, or as found."""
    if leaf == "changes" and changed:
        return {one.about: "changed" for one in changed[1]}
    return {one.part.ref: "found" if searched else one.grade for one in marked}


def _shifted(database: Database, board_id: int) -> bool:
    choices = boards.source_of(database, board_id).choices
    return choices.shift is not None or bool(choices.turns)


def _net_names(board: Board) -> list[str]:
    return sorted({pad.net for pad in board.pads if pad.net})


def _card_context(database: Database, board_id: int, board: Board, one: Triaged) -> dict[str, Any]:
    pads = pads_by_pin(board, one.part.ref)
    choices = boards.source_of(database, board_id).choices
    choice = choices.parts.get(choices.key_of(one.part.ref), PartChoice())
    return {
        "housing": housing_of(one.part.package),
        "housings": {name: why.removeprefix("housing of ") for name, (_, why) in HOUSINGS.items()},
        "one": one,
        "part": one.part,
        "unnamed": is_unnamed(one.part),
        "known_footprint": bool(work.library_of(database).candidates(one.part.footprint)),
        "board_id": board_id,
        "choice": choice,
        "sketched": not board.layers,
        "pins": [
            (pin, pad.net or "", pad.tie)
            for pin, pad in sorted(pads.items(), key=lambda pair: (len(pair[0]), pair[0]))
        ],
        "harmless": harmless_bridges(one.part, pads),
        "known": _known_packages(database),
        "joints": [
            (str(kind), kind.value)
            for kind in (
                JointKind.GULL_WING,
                JointKind.LEADLESS,
                JointKind.CHIP,
                JointKind.J_LEAD,
                JointKind.UNDER_BODY,
                JointKind.BALL,
            )
        ],
    }


@router.get("/boards/{board_id}/parts/{ref:path}")
def part_card(request: Request, board_id: int, ref: str, database: Database) -> Response:
    """The card of one part, to be put beside the plan."""
    board = boards.get(database, board_id)
    chosen = next((one for one in triage(board) if one.part.ref == ref), None)
    if chosen is None:
        raise NotFound(f"there is no part {ref} on this board")
    return page(
        request, "part_card.html", {"card": _card_context(database, board_id, board, chosen)}
    )


# --- corrections
# -----------------------------------------------------------------------------------------------------


def _again(
    request: Request,
    database: Database,
    board_id: int,
    problem: YellowfenError,
    leaf: str,
    part: str = "",
) -> Response:
    """The page as it stands, with the sentence."""
    return page(
        request,
        "board.html",
        _board_context(database, board_id, leaf=leaf, part=part, problem=str(problem)),
        status=status_of(problem),
    )


@router.post("/boards/{board_id}/files")
def change_roles(request: Request, board_id: int, database: Database, fields: Fields) -> Response:
    try:
        chosen = {
            name.removeprefix("role:"): role_named(value)
            for name, value in fields.items()
            if name.startswith("role:")
        }
        before = {guess.file: guess.role for guess in boards.get(database, board_id).layers}
        changed = {name: role for name, role in chosen.items() if before.get(name) != role}
        work.choose_roles(
            database,
            board_id,
            changed,
            typed_number("thickness_mm", fields.get("thickness_mm", "1.6")),
        )
    except YellowfenError as problem:
        return _again(request, database, board_id, problem, "files")
    return RedirectResponse(f"/boards/{board_id}?leaf=files", status_code=303)


@router.post("/boards/{board_id}/columns")
def change_columns(request: Request, board_id: int, database: Database, fields: Fields) -> Response:
    try:
        work.choose_columns(database, board_id, fields.get("file", ""), _columns(fields))
    except YellowfenError as problem:
        return _again(request, database, board_id, problem, "files")
    return RedirectResponse(f"/boards/{board_id}?leaf=files", status_code=303)


def _columns(fields: Mapping[str, str]) -> dict[str, int]:
    """Field by column: the form names each column's meaning."""
    columns: dict[str, int] = {}
    for name, meaning in fields.items():
        if name.startswith("column:") and meaning in FIELDS:
            if meaning in columns:
                raise InvalidValue(meaning, "two columns cannot mean the same; leave one out")
            columns[meaning] = typed_whole("column", name.removeprefix("column:"))
    return columns


@router.post("/boards/{board_id}/openings-from-pads")
def make_openings(board_id: int, database: Database, back: Annotated[str, Form()] = "") -> Response:
    """Give a board without a paste layer openings over its pads."""
    work.make_openings(database, board_id)
    inside = re.fullmatch(r"/jobs/\d{1,18}/paste", back, re.ASCII)
    return RedirectResponse(back if inside else f"/boards/{board_id}", status_code=303)


@router.post("/boards/{board_id}/reading")
def take_reading(board_id: int, database: Database, take: Annotated[str, Form()] = "") -> Response:
    """Take what this version reads of a board of an earlier one, or leave it."""
    work.take_reading(database, board_id, take == "yes")
    return RedirectResponse(f"/boards/{board_id}", status_code=303)


@router.post("/boards/{board_id}/anew")
def work_out_anew(board_id: int, database: Database) -> Response:
    """Work the unnamed parts out of their pads once more."""
    work.work_out_anew(database, board_id)
    return RedirectResponse(f"/boards/{board_id}?leaf=parts", status_code=303)


@router.post("/boards/{board_id}/together")
def put_together(request: Request, board_id: int, database: Database, fields: Fields) -> Response:
    """Make chosen pads one part."""
    try:
        places = [typed_whole("pads", one) for one in fields.get("pads", "").split()[:3000]]
        named = work.put_together(
            database, board_id, places, fields.get("name", ""), fields.get("package", "").strip()
        )
    except YellowfenError as problem:
        return _again(request, database, board_id, problem, "parts")
    return RedirectResponse(f"/boards/{board_id}?leaf=parts&part={quote(named)}", status_code=303)


@router.post("/api/boards/{board_id}/names")
def name_part(board_id: int, database: Database, given: PartName) -> dict[str, str]:
    """Name one proposed part, without the page being loaded anew."""
    name = work.name_part(database, board_id, given.ref, given.name)
    return {"name": name, "last_change": board_steps.newest(database, board_id)}


@router.post("/boards/{board_id}/proposals/{place}")
def accept(request: Request, board_id: int, place: int, database: Database) -> Response:
    try:
        work.accept_proposal(database, board_id, place)
    except YellowfenError as problem:
        return _again(request, database, board_id, problem, "files")
    return RedirectResponse(f"/boards/{board_id}?leaf=parts", status_code=303)


@router.post("/boards/{board_id}/placement/undo")
def undo(board_id: int, database: Database) -> Response:
    work.undo_placement(database, board_id)
    return RedirectResponse(f"/boards/{board_id}?leaf=files", status_code=303)


@router.post("/boards/{board_id}/undo")
def undo_change(
    board_id: int,
    database: Database,
    leaf: Annotated[str, Form()] = "",
    side: Annotated[str, Form()] = "",
) -> Response:
    """Take the newest change of this board back."""
    work.take_back(database, board_id)
    shown = f"leaf={leaf if leaf in _LEAVES else ''}&side={'bottom' if side == 'bottom' else 'top'}"
    return RedirectResponse(f"/boards/{board_id}?{shown}", status_code=303)


@router.post("/boards/{board_id}/part")
def correct(request: Request, board_id: int, database: Database, fields: Fields) -> Response:
    ref = fields.get("ref", "")
    try:
        turn = typed_number("turn", fields.get("turn", "0") or "0")
        package = fields.get("package", "").strip()[:120]
        if "housing" in fields:
            own = next(
                (part for part in boards.get(database, board_id).parts if part.ref == ref), None
            )
            standing = package or (own.package.name if own else "")
            named = named_with_housing(standing, fields["housing"])
            package = named if package or named != standing else ""
        choice = PartChoice(
            name=fields.get("name", "").strip()[:20],
            value=fields.get("value", "").strip()[:80],
            footprint=package,
            turn_deg=turn,
            left_out=fields.get("left_out", "") == "yes",
        )
        now = work.correct_part(database, board_id, ref, choice, fields.get("for_all", "") == "yes")
    except YellowfenError as problem:
        return _again(request, database, board_id, problem=problem, leaf="parts", part=ref)
    return RedirectResponse(
        f"/boards/{board_id}?leaf=parts" + ("" if choice.left_out else f"&part={quote(now)}"),
        status_code=303,
    )


@router.post("/boards/{board_id}/answers")
def answer(request: Request, board_id: int, database: Database, fields: Fields) -> Response:
    ref = fields.get("ref", "")
    try:
        joint = next((kind for kind in JointKind if kind == fields.get("joint", "")), None)
        if joint is None:
            raise InvalidValue("joint", "choose how its leads look")
        shy = fields.get("shy", "no")
        material = "plastic" if shy in ("yes", "iron") else fields.get("material", "moulded")
        part_work.answer_questions(
            database,
            board_id,
            ref,
            height_mm=typed_number("height_mm", fields.get("height_mm", "")),
            joint=joint,
            material=material,
            iron_only=shy == "iron",
        )
    except YellowfenError as problem:
        return _again(request, database, board_id, problem=problem, leaf="parts", part=ref)
    return RedirectResponse(f"/boards/{board_id}?leaf=parts&part={quote(ref)}", status_code=303)


# --- more files, revisions, jobs
# -------------------------------------------------------------------------------------


@router.post("/boards/{board_id}/more")
def more(
    request: Request,
    board_id: int,
    database: Database,
    files: Annotated[list[UploadFile] | None, File()] = None,
    what: Annotated[str, Form()] = "revision",
) -> Response:
    try:
        if what == "more":
            work.add_files(database, board_id, _uploads(files))
            return RedirectResponse(f"/boards/{board_id}?leaf=files", status_code=303)
        thickness = boards.get(database, board_id).thickness_mm
        return _opened(
            request, database, *work.bring_in(database, _uploads(files), "", thickness, board_id)
        )
    except YellowfenError as problem:
        return _again(request, database, board_id, problem, "files")


@router.get("/boards/{board_id}/files.zip")
def save(board_id: int, database: Database) -> Response:
    """The board's files as one zip."""
    data = zipped(work.saved_files(database, board_id))
    return Response(
        data,
        media_type="application/zip",
        headers=saved_as(f"board-{board_id}.zip"),
    )


@router.post("/boards/{board_id}/restore")
def restore(board_id: int, database: Database) -> Response:
    """Read a damaged board again from its files, with what was chosen for it as far as that can be
    read.
    """
    work.restore(database, board_id)
    return RedirectResponse(f"/boards/{board_id}", status_code=303)


@router.post("/boards/{board_id}/remove")
def remove(board_id: int, database: Database) -> Response:
    put_away(database, "board", board_id)
    return RedirectResponse("/boards", status_code=303)
