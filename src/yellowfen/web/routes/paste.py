"""The Paste stage, its first leaf: every stencil opening judged in a foil with a paste, drawn on
the plan, worst first.
"""

import time
from collections.abc import Sequence
from dataclasses import replace
from typing import Annotated, Any

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse, Response

from yellowfen.core.board.board import Board
from yellowfen.core.deposit.better import state_of
from yellowfen.core.deposit.judge import Judged, JudgedOpening
from yellowfen.core.deposit.leadless import Leadless, leadless_parts
from yellowfen.core.deposit.paste_plan import PastePlan
from yellowfen.core.deposit.stencil import coarsest_powder
from yellowfen.core.metal.lot import WASTE_G
from yellowfen.core.metal.paste import PASTES, POWDERS, Paste
from yellowfen.core.quantity.units import MM, with_unit
from yellowfen.core.quantity.wording import listed
from yellowfen.errors import InvalidValue
from yellowfen.store import materials
from yellowfen.store import paste as stored
from yellowfen.web.database import Database
from yellowfen.web.pages import fragment
from yellowfen.web.paste_page import (
    as_drawn,
    leaf_page,
    number,
    openings_drawn,
    paste_words,
    side_of,
)
from yellowfen.workflows.paste import PasteState, keep_paste_plan, paste_state, printed_mg

router = APIRouter()
ROWS_SHOWN = 60


@router.get("/jobs/{job_id}/paste")
def foil_leaf(
    request: Request,
    job_id: int,
    database: Database,
    foil: str = "",
    paste: str = "",
    side: str = "top",
) -> Response:
    """The leaf as kept, or as it would be in another foil or paste (nothing is stored)."""
    side, kept = side_of(side), stored.paste_plan_of(database, job_id)
    return _leaf(request, database, job_id, kept=kept, foil=foil, paste=paste, side=side)


def _leaf(
    request: Request,
    database: Database,
    job_id: int,
    kept: PastePlan,
    foil: str,
    paste: str,
    side: str,
) -> Response:
    problem = ""
    try:
        state = paste_state(database, job_id, _wanted(kept, foil, paste))
    except InvalidValue as refused:
        if refused.field == "paste":
            raise
        problem, state = str(refused), paste_state(database, job_id)
    context = _context(database, state, side) | {
        "problem": problem,
        "typed": foil if problem else f"{state.foil_mm:g}",
    }
    return leaf_page(
        request,
        "paste.html",
        state,
        leaf="",
        side=side,
        context=context,
        overlay=as_drawn(state, side) + openings_drawn(state.judged, side),
        status=422 if problem else 200,
    )


def _wanted(kept: PastePlan, foil: str, paste: str) -> PastePlan:
    """The kept plan with the foil and paste asked for; a paste is named, or a lot by 'lot' and its
    number.
    """
    wanted = (
        kept
        if not foil.strip()
        else replace(kept, foil_mm=None if foil == "best" else number("foil_mm", foil))
    )
    if paste.startswith("lot") and paste[3:].isascii() and paste[3:].isdigit():
        return replace(wanted, lot_id=int(paste[3:]))
    return replace(wanted, paste=paste, lot_id=None) if paste else wanted


@router.post("/jobs/{job_id}/paste")
def keep(
    request: Request,
    job_id: int,
    database: Database,
    foil: Annotated[str, Form()] = "",
    typed: Annotated[str, Form()] = "",
    was: Annotated[str, Form()] = "",
    paste: Annotated[str, Form()] = "",
    side: Annotated[str, Form()] = "top",
) -> Response:
    """Keep foil and paste with the job; a foil is pressed or typed, one left as it stood stays as
    it was.
    """
    foil = foil or ("" if typed == was else typed or "best")
    kept = stored.paste_plan_of(database, job_id)
    try:
        keep_paste_plan(database, job_id, _wanted(kept, foil, paste))
    except InvalidValue:
        return _leaf(
            request, database, job_id, kept=kept, foil=foil, paste=paste, side=side_of(side)
        )
    return RedirectResponse(f"/jobs/{job_id}/paste?side={side_of(side)}", status_code=303)


@router.get("/api/jobs/{job_id}/paste")
def judged_anew(
    job_id: int, database: Database, foil: str = "", paste: str = "", side: str = "top"
) -> dict[str, str]:
    """What the slider asks: the answer's part of the page and the openings over the plan; nothing
    is stored.
    """
    side = side_of(side)
    state = paste_state(
        database, job_id, _wanted(stored.paste_plan_of(database, job_id), foil, paste)
    )
    context = _context(database, state, side) | {
        "foil": state.foil_mm,
        "state": state,
        "side": side,
    }
    return {
        "answer": fragment("paste_judged.html", context),
        "overlay": str(as_drawn(state, side) + openings_drawn(state.judged, side)),
    }


def _context(database: Database, state: PasteState, side: str) -> dict[str, Any]:
    judged, foil_mm = state.judged, state.foil_mm
    floats = [one for one in leadless_parts(state.board, judged, state.paste) if not one.well]
    lots = materials.lots(database)
    lot = next((one for one in lots if one.id == state.plan.lot_id), None)
    return {
        "lot": lot,
        "owned": [one.name for one in lots if one.left_g > 0],
        "lot_says": lot.findings(time.time()) if lot else (),
        "prints_left": lot.boards_left(printed_mg(judged, side) / 1000 + WASTE_G) if lot else None,
        "judged": judged,
        "best": state.best_mm,
        "words": _words(state) + _but(floats),
        "powder": _powder(state.board, state.paste),
        "foils": [(one.foil_mm, one.wrong, _minds(one)) for one in state.foils],
        "most": max([1, *(one.wrong + _minds(one) for one in state.foils)]),
        "pastes": [(f"lot{one.id}", f"{one.name} ({paste_words(one.paste)})") for one in lots]
        + [(name, paste_words(one)) for name, one in PASTES.items()],
        "chosen": f"lot{state.plan.lot_id}" if state.plan.lot_id else state.plan.paste,
        "slider": (min(0.08, foil_mm), max(0.2, foil_mm)),
        "rows": _grouped(judged)[:ROWS_SHOWN],
        "why": _why(state),
        "not_right": judged.wrong + len(floats),
        "floats": [one for one in floats if one.part.side == side],
    }


def _but(floats: Sequence[Leadless]) -> str:
    """What the leaf Leadless says against a print whose every opening comes out right."""
    if not floats:
        return ""
    names = listed([one.part.ref for one in floats], 6)
    return f" But {names} {'does' if len(floats) == 1 else 'do'} not settle well with it: see Leadless parts."


def _grouped(judged: Judged) -> list[tuple[JudgedOpening, str, list[str]]]:
    """Openings that are not right, those of one part with the same trouble together: the worst, its
    state, the pins.
    """
    groups: dict[tuple[str, str, str], tuple[JudgedOpening, str, list[str]]] = {}
    for one in judged.openings:
        state = state_of(one)
        if state != "good":
            key = (one.ref, state, one.warnings[0] if one.warnings else "")
            groups.setdefault(key, (one, state, []))[2].append(one.pin)
    return list(groups.values())


def _minds(judged: Judged) -> int:
    """Openings that come out right, but with something to mind."""
    return sum(state_of(one) == "mind" for one in judged.openings)


def _words(state: PasteState) -> str:
    """What to take away first."""
    judged, best = state.judged, state.best_mm
    if not judged.openings:
        return "This board has no stencil apertures: add its paste layer, or work by hand."
    better = f" {with_unit(best, MM)} is better." if abs(best - judged.foil_mm) > 1e-9 else ""
    if not judged.wrong:
        minds = f"; {_minds(judged)} need care" if _minds(judged) else ""
        return f"All apertures work at {with_unit(judged.foil_mm, MM)}{minds}.{better}"
    return f"{judged.wrong} of {len(judged.openings)} apertures fail at {with_unit(judged.foil_mm, MM)}.{better}"


def _why(state: PasteState) -> str:
    """Why this foil is proposed."""
    best = next(one for one in state.foils if abs(one.foil_mm - state.best_mm) < 1e-9)
    stuck = f", {best.failing} of them apertures that do not empty" if best.failing else ""
    return f"{with_unit(state.best_mm, MM)} is proposed: with it the fewest touch-ups are expected from the print, {_about(best.mends)}{stuck} (weights from memory). A thicker stencil gives more solder and more bridges."


def _about(mends: float) -> str:
    return f"about {mends:.1f}" if mends >= 0.05 else "hardly any"


def _powder(board: Board, paste: Paste) -> dict[str, Any]:
    """The coarsest powder that suits every opening, and the opening that asks for it."""
    if not board.openings:
        return {"type": None, "narrow": 0.0, "enough": True}
    narrow = min(one.narrowest_mm for one in board.openings)
    kind = coarsest_powder(narrow, False, POWDERS)
    return {"type": kind, "narrow": narrow, "enough": kind is not None and paste.powder >= kind}
