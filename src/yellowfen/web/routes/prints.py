"""The Paste stage's leaf of weighing and of the print log.

What is refused is answered with its sentence, nothing changed.
"""

from typing import Annotated, Any

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse, Response

from yellowfen.core.deposit.paste_plan import FOUND
from yellowfen.core.quantity.share import wilson
from yellowfen.errors import InvalidValue, YellowfenError
from yellowfen.store import jobs
from yellowfen.store import paste as stored
from yellowfen.web.database import Database
from yellowfen.web.errors import status_of
from yellowfen.web.paste_page import leaf_page, number, openings_drawn, side_of, whole_number
from yellowfen.workflows import paste as workflow
from yellowfen.workflows.paste import PasteState, paste_state

router = APIRouter()
_BLANK = {"before": "", "after": "", "resolution": "1", "boards": "1", "unit": "mg", "sides": ""}


@router.get("/jobs/{job_id}/paste/weigh")
def weigh_leaf(request: Request, job_id: int, database: Database, side: str = "top") -> Response:
    return _leaf(request, database, paste_state(database, job_id), side_of(side), _BLANK)


def _leaf(
    request: Request,
    database: Database,
    state: PasteState,
    side: str,
    typed: dict[str, str],
    problem: str = "",
    status: int = 200,
) -> Response:
    prints = stored.prints_of(database, state.job.id)
    forecast = {sides: workflow.expected_mg(state, sides) for sides in ("top", "bottom", "both")}
    context: dict[str, Any] = {
        "typed": typed,
        "problem": problem,
        "prints": prints,
        "tally": _tally([one.found for one in prints]),
        "forecast": forecast,
        "sides": typed["sides"] if typed["sides"] in forecast else side,
        "found_words": FOUND,
        "wiped": sum(one.wiped for one in prints),
        "repeated": sum(one.repeated for one in prints),
        "judged": state.judged,
    }
    return leaf_page(
        request,
        "paste_weigh.html",
        state,
        leaf="/weigh",
        side=side,
        context=context,
        overlay=openings_drawn(state.judged, side),
        status=status,
    )


def _tally(found: list[str]) -> str:
    """How many prints were good, with an honest interval."""
    if not found:
        return "No print noted yet."
    low, high = wilson(good := found.count("good"), len(found))
    return f"{good} of {len(found)} prints good: the true share is between {100 * low:.0f} and {100 * high:.0f} % (95 %)."


@router.post("/jobs/{job_id}/paste/weigh")
def weigh(
    request: Request,
    job_id: int,
    database: Database,
    before: Annotated[str, Form()] = "",
    after: Annotated[str, Form()] = "",
    resolution: Annotated[str, Form()] = "1",
    boards: Annotated[str, Form()] = "1",
    unit: Annotated[str, Form()] = "mg",
    sides: Annotated[str, Form()] = "top",
) -> Response:
    """Keep a weighing; masses come in mg or g."""
    typed = {
        "before": before,
        "after": after,
        "resolution": resolution,
        "boards": boards,
        "unit": unit,
        "sides": sides,
    }
    try:
        scale = {"mg": 1.0, "g": 1000.0}.get(unit)
        if scale is None:
            raise InvalidValue("unit", "enter masses in mg or g")
        workflow.weigh(
            database,
            job_id,
            sides,
            before_mg=scale * number("before", before),
            after_mg=scale * number("after", after),
            resolution_mg=scale * number("resolution", resolution),
            count=whole_number("boards", boards),
        )
    except YellowfenError as refused:
        jobs.get(database, job_id)
        return _leaf(
            request,
            database,
            paste_state(database, job_id),
            side="top",
            typed=typed,
            problem=str(refused),
            status=status_of(refused),
        )
    return RedirectResponse(f"/jobs/{job_id}/paste/weigh?side={side_of(sides)}", status_code=303)


@router.post("/jobs/{job_id}/paste/weigh/{weighing_id}/remove")
def remove(job_id: int, weighing_id: int, database: Database) -> Response:
    stored.remove_weighing(database, weighing_id)
    return RedirectResponse(f"/jobs/{job_id}/paste/weigh", status_code=303)


@router.post("/jobs/{job_id}/paste/prints")
def note_print(
    job_id: int,
    database: Database,
    found: Annotated[str, Form()] = "",
    wiped: Annotated[str, Form()] = "",
    repeated: Annotated[str, Form()] = "",
    side: Annotated[str, Form()] = "top",
) -> Response:
    """Note how a print looked, or take the newest note back."""
    if found == "undo":
        workflow.undo_print(database, job_id)
    else:
        if found not in FOUND:
            raise InvalidValue("found", f"a print is {', '.join(FOUND)}")
        workflow.log_print(
            database, job_id, side_of(side), found=found, wiped=bool(wiped), repeated=bool(repeated)
        )
    return RedirectResponse(f"/jobs/{job_id}/paste/weigh?side={side_of(side)}", status_code=303)
