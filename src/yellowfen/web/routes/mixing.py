"""The Paste stage's leaf of compatibility: what the solder meets on pads and parts, and what may
form.

What is refused is answered with its sentence, nothing changed.
"""

from dataclasses import replace
from typing import Annotated

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse, Response

from yellowfen.core.metal.mixing import (
    FINISH_MM,
    LEFT_OVER,
    PAD_FINISHES,
    PART_FINISHES,
    mixture,
    reactions,
)
from yellowfen.errors import InvalidValue
from yellowfen.store import paste as stored
from yellowfen.web.database import Database
from yellowfen.web.paste_page import leaf_page, number, openings_drawn, side_of
from yellowfen.workflows import paste as workflow
from yellowfen.workflows.paste import PasteState, paste_state

router = APIRouter()


@router.get("/jobs/{job_id}/paste/mixing")
def mixing_leaf(request: Request, job_id: int, database: Database, side: str = "top") -> Response:
    state, plan = paste_state(database, job_id), stored.paste_plan_of(database, job_id)
    found = reactions(state.paste.alloy, plan.pad_finish, plan.part_finish, plan.left_over)
    balls = [
        part.ref
        for part in state.board.parts
        if any(str(land.kind) == "ball" for land in part.package.lands)
    ]
    context = {
        "found": found,
        "chosen": plan,
        "pad_finishes": list(PAD_FINISHES),
        "part_finishes": list(PART_FINISHES),
        "left_overs": list(LEFT_OVER),
        "shares": _shares(state),
        "balls": balls,
        "alloy": state.paste.alloy,
    }
    return leaf_page(
        request,
        "paste_mixing.html",
        state,
        leaf="/mixing",
        side=side_of(side),
        context=context,
        overlay=openings_drawn(state.judged, side_of(side)),
    )


def _shares(state: PasteState) -> list[tuple[str, float]]:
    """Composition of all joints together: printed solder, the pads' levelled finish, what was left
    on them.
    """
    printed = sum(
        {
            one.opening.pad: one.pad_solder_mm3
            for one in state.judged.openings
            if one.opening.pad is not None
        }.values()
    )
    area = sum(
        state.board.pads[pad].area_mm2
        for pad in {one.pad for one in state.board.openings if one.pad is not None}
    )
    amounts = [(state.paste.alloy, printed)]
    finish, left = PAD_FINISHES[state.plan.pad_finish][1], LEFT_OVER[state.plan.left_over]
    if finish:
        amounts.append((finish, area * FINISH_MM))
    if left:
        amounts.append((left, area * state.plan.left_um / 1000))
    return list(mixture(amounts).items()) if printed > 0 else []


@router.post("/jobs/{job_id}/paste/mixing")
def keep(
    request: Request,
    job_id: int,
    database: Database,
    pad_finish: Annotated[str, Form()] = "",
    part_finish: Annotated[str, Form()] = "",
    left_over: Annotated[str, Form()] = "",
    left_um: Annotated[str, Form()] = "",
) -> Response:
    """Keep what the solder meets."""
    kept = stored.paste_plan_of(database, job_id)
    if not (pad_finish and part_finish and left_over):
        raise InvalidValue(
            "pad_finish", "choose what is on the pads, on the parts, and what was left"
        )
    workflow.keep_paste_plan(
        database,
        job_id,
        replace(
            kept,
            pad_finish=pad_finish,
            part_finish=part_finish,
            left_over=left_over,
            left_um=number("left_um", left_um, kept.left_um),
        ),
    )
    return RedirectResponse(f"/jobs/{job_id}/paste/mixing", status_code=303)
