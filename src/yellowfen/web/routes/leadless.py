"""The Paste stage's leaf of leadless parts: how each settles, how much beneath works, by print, by
mounds, by dots.
"""

from dataclasses import dataclass

from fastapi import APIRouter, Request
from fastapi.responses import Response
from markupsafe import Markup

from yellowfen.core.board.board import BoardPart
from yellowfen.core.deposit.floating import Settled
from yellowfen.core.deposit.leadless import (
    ByHand,
    Leadless,
    by_hand,
    leadless_parts,
    loose_leadless,
    mound_height_mm,
)
from yellowfen.core.part.package import JointKind
from yellowfen.web.database import Database
from yellowfen.web.leadless_svg import coverage_bar, settled_view
from yellowfen.web.paste_page import leaf_page, openings_drawn, side_of
from yellowfen.workflows.paste import paste_state

router = APIRouter()
WIRE_MM = 0.5


@dataclass(frozen=True, kw_only=True)
class ShownLeadless:
    """One leadless part as the page shows it; `printed` is None when the stencil has nothing for
    it.
    """

    ref: str
    package: str
    printed: Leadless | None
    print_view: Markup
    bar: Markup
    hand: ByHand
    mound_view: Markup
    dot_view: Markup
    mound_um: float


@router.get("/jobs/{job_id}/paste/leadless")
def leadless_leaf(request: Request, job_id: int, database: Database, side: str = "top") -> Response:
    state, side = paste_state(database, job_id), side_of(side)
    printed = {one.part.ref: one for one in leadless_parts(state.board, state.judged, state.paste)}
    shown = []
    for part in loose_leadless(state.board):
        one, hand = printed.get(part.ref), by_hand(part.package, state.paste, WIRE_MM)
        edge = next(land for land in part.package.lands if land.kind is JointKind.LEADLESS)

        def view(settled: Settled | None, part: BoardPart = part) -> Markup:
            return settled_view(part, settled) if settled else Markup("")

        shown.append(
            ShownLeadless(
                ref=part.ref,
                package=part.package.name,
                printed=one,
                print_view=view(one.settled if one else None),
                bar=coverage_bar(one) if one else Markup(""),
                hand=hand,
                mound_view=view(hand.mounds),
                dot_view=view(hand.dots),
                mound_um=1000 * mound_height_mm(edge),
            )
        )
    shown.sort(key=lambda one: one.printed.settled.margin_mm if one.printed else 9.0)
    context = {"shown": shown, "wire": WIRE_MM}
    return leaf_page(
        request,
        "paste_leadless.html",
        state,
        leaf="/leadless",
        side=side,
        context=context,
        overlay=openings_drawn(state.judged, side),
    )
