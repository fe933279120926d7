"""Reference: answers without a job."""

from fastapi import APIRouter, Request
from fastapi.responses import Response

from yellowfen.core.look.reference import entries
from yellowfen.web.pages import page
from yellowfen.web.reference_svg import seen_drawn

router = APIRouter()


@router.get("/reference")
def reference(request: Request, see: str = "") -> Response:
    """I see this: why, and what now."""
    every = entries()
    chosen = next((one for one in every if one.name == see), None)
    context = {
        "room": "reference",
        "entries": [(one, seen_drawn(one.name)) for one in every],
        "chosen": chosen,
        "drawn": seen_drawn(chosen.name) if chosen else "",
    }
    return page(request, "reference.html", context)
