"""The Paste stage's leaf of better openings: proposals with before and after, what was taken, and
the stencil as files.

What is refused is answered with its sentence, nothing changed.
"""

from collections import defaultdict
from dataclasses import dataclass, replace
from typing import Annotated

from fastapi import APIRouter, Form, Query, Request
from fastapi.responses import RedirectResponse, Response
from markupsafe import Markup

from yellowfen.core.deposit.better import OpeningProposal, state_of
from yellowfen.core.deposit.changes import ChangeKind, Frame, OpeningChange, place_of
from yellowfen.errors import InvalidValue, YellowfenError
from yellowfen.formats.stencil_out import stencil_drawing, stencil_dxf, stencil_gerber, stencil_svg
from yellowfen.store import jobs
from yellowfen.store import paste as stored
from yellowfen.web.database import Database
from yellowfen.web.downloads import saved_as
from yellowfen.web.errors import status_of
from yellowfen.web.paste_page import (
    as_drawn,
    leaf_page,
    number,
    openings_drawn,
    refs_in_short,
    side_of,
)
from yellowfen.web.plan_svg import ring_path
from yellowfen.workflows import paste as workflow
from yellowfen.workflows.paste import PasteState, paste_state

router = APIRouter()
_VERBS = {
    ChangeKind.NARROW: "Narrow",
    ChangeKind.LENGTHEN: "Lengthen",
    ChangeKind.PANES: "Divide into panes",
    ChangeKind.HOME_PLATE: "Make home plates",
    ChangeKind.OVERPRINT: "Print larger",
    ChangeKind.LEAVE_OUT: "Leave out",
}


@dataclass(frozen=True, kw_only=True)
class ProposalRow:
    """Proposals of one kind for one package, as a row of the page."""

    title: str
    refs: str
    count: int
    said: str
    before: str
    after: str
    numbers: str
    drawing: Markup
    keys: tuple[str, ...]
    each: tuple[OpeningProposal, ...]


@router.get("/jobs/{job_id}/paste/openings")
def openings_leaf(request: Request, job_id: int, database: Database, side: str = "top") -> Response:
    return _leaf(request, database, paste_state(database, job_id), side_of(side))


def _leaf(
    request: Request,
    database: Database,
    state: PasteState,
    side: str,
    problem: str = "",
    status: int = 200,
) -> Response:
    found = workflow.proposals(state)
    context = {
        "groups": _groups(state, found),
        "all_keys": [one.key for one in found],
        "problem": problem,
        "judged": state.judged,
        "taken": len(state.changes),
        "last": state.steps[-1].said if state.steps else "",
        "has_side": any(one.side == side for one in state.board.openings),
        "steps": [step.said for step in state.steps],
        "wrong_drawn": workflow.wrong_as_drawn(state),
    }
    return leaf_page(
        request,
        "paste_openings.html",
        state,
        leaf="/openings",
        side=side,
        context=context,
        overlay=openings_drawn(state.judged, side) + as_drawn(state, side),
        status=status,
    )


def _groups(state: PasteState, found: tuple[OpeningProposal, ...]) -> list[ProposalRow]:
    """Proposals of one kind, package and measure together."""
    together: dict[tuple[str, str, str], list[OpeningProposal]] = defaultdict(list)
    for one in found:
        together[(str(one.kind), one.package, one.said)].append(one)
    return [_group(state, group) for group in together.values()]


def _group(state: PasteState, group: list[OpeningProposal]) -> ProposalRow:
    worst = group[0]
    package = f": {worst.package}" if worst.package and worst.package != "unknown" else ""
    return ProposalRow(
        title=f"{_VERBS[worst.kind]}{package}",
        refs=refs_in_short(one.ref or "bare area" for one in group),
        count=sum(len(one.changes) for one in group),
        said=worst.said,
        before=state_of(worst.before),
        after=state_of(worst.after) if worst.after else "no paste",
        numbers=_numbers(worst),
        drawing=_before_and_after(state, worst.changes[0]),
        keys=tuple(one.key for one in group),
        each=tuple(group),
    )


def _numbers(one: OpeningProposal) -> str:
    """Solder and area ratio before and after."""
    before = f"{1000 * one.before.pad_solder_mm3:.1f}"
    if one.after is None:
        return f"{before} nl of solder saved at each"
    wants = (
        f" (needs {1000 * one.after.wanted.least_mm3:.1f} to {1000 * one.after.wanted.most_mm3:.1f})"
        if one.after.wanted
        else ""
    )
    bridge = (
        f"; tendency to bridge {one.before.bridge:.2f} → {one.after.bridge:.2f}"
        if one.before.bridge > 0
        else ""
    )
    return f"{before} → {1000 * one.after.pad_solder_mm3:.1f} nl of solder{wants}; area ratio {one.before.release.area_ratio:.2f} → {one.after.release.area_ratio:.2f}{bridge}"


def _before_and_after(state: PasteState, change: OpeningChange) -> Markup:
    """One pad with its opening now (dashed) and as proposed (filled), laid level."""
    before = [one for one in state.board.openings if place_of(state.board, one) == change.place]
    pad = state.board.pads[before[0].pad] if before[0].pad is not None else None
    angle = pad.angle_deg if pad else before[0].angle_deg
    level = Frame(x_mm=0.0, y_mm=0.0, along_mm=1.0, across_mm=1.0, angle_deg=angle)

    def laid(ring: tuple[tuple[float, float], ...]) -> tuple[tuple[float, float], ...]:
        return tuple((u, -v) for u, v in (level.seen_from(x, y) for x, y in ring))

    was, now = [laid(one.ring) for one in before], [laid(ring) for ring in change.rings]
    land = [laid(pad.ring)] if pad else []
    points = [point for ring in (*was, *now, *land) for point in ring]
    x0, x1 = min(x for x, _ in points), max(x for x, _ in points)
    y0, y1 = min(y for _, y in points), max(y for _, y in points)
    room = 0.08 * max(x1 - x0, y1 - y0)
    upright = y1 - y0 > x1 - x0  # long openings lie, so that rows of the page stay low
    box = (x0 - room, y0 - room, x1 - x0 + 2 * room, y1 - y0 + 2 * room)
    turn = f' transform="rotate(90 {(x0 + x1) / 2:.3f} {(y0 + y1) / 2:.3f})"' if upright else ""
    if upright:
        middle = (x0 + x1) / 2, (y0 + y1) / 2
        box = (middle[0] - box[3] / 2, middle[1] - box[2] / 2, box[3], box[2])
    body = "".join(f'<path class="pad" d="{ring_path(ring)}"/>' for ring in land)
    body += "".join(f'<path class="opening is-good" d="{ring_path(ring)}"/>' for ring in now)
    body += "".join(f'<path class="opening-was" d="{ring_path(ring)}"/>' for ring in was)
    return Markup(
        f'<svg class="before-after" viewBox="{" ".join(f"{value:.3f}" for value in box)}" aria-hidden="true"><g{turn}>{body}</g></svg>'
    )


@router.post("/jobs/{job_id}/paste/openings")
def decide(
    request: Request,
    job_id: int,
    database: Database,
    do: Annotated[str, Form()] = "take",
    key: Annotated[list[str] | None, Form()] = None,
    coverage: Annotated[str, Form()] = "",
    side: Annotated[str, Form()] = "top",
) -> Response:
    """Take proposals (`key`, several in one by a line each), give all back, undo the newest
    decision, or set the coverage of thermal pads.
    """
    try:
        if do == "take":
            workflow.take(
                database, job_id, [one for keys in key or [] for one in keys.splitlines()]
            )
        elif do == "none":
            workflow.give_back_all(database, job_id)
        elif do == "undo":
            workflow.undo(database, job_id)
        elif do == "coverage":
            share = number("coverage", coverage, 0.0)
            workflow.keep_paste_plan(
                database,
                job_id,
                replace(
                    stored.paste_plan_of(database, job_id), coverage=share / 100 if share else None
                ),
            )
        else:
            raise InvalidValue("do", "choose take, none, undo or coverage")
    except YellowfenError as refused:
        jobs.get(database, job_id)
        return _leaf(
            request,
            database,
            paste_state(database, job_id),
            side=side_of(side),
            problem=str(refused),
            status=status_of(refused),
        )
    return RedirectResponse(f"/jobs/{job_id}/paste/openings?side={side_of(side)}", status_code=303)


@router.get("/jobs/{job_id}/paste/stencil.{kind}")
def stencil_file(
    job_id: int,
    kind: str,
    database: Database,
    side: str = "top",
    margin: str = "25",
    mirrored: bool = False,
    said: Annotated[str, Query(max_length=60)] = "",
) -> Response:
    """The stencil of one side as Gerber (a zip), DXF or SVG, with the changes that stand."""
    job = jobs.get(database, job_id)
    board = workflow.changed_board(database, job_id)
    side = side_of(side)
    text = said or f"{board.name} {side}"
    drawing = stencil_drawing(board, side, text, number("margin", margin), mirrored)
    if kind == "zip":
        media, data = "application/zip", stencil_gerber(board, side, drawing)
    elif kind == "dxf":
        media, data = "image/vnd.dxf", stencil_dxf(drawing)
    elif kind == "svg":
        media, data = "image/svg+xml", stencil_svg(drawing).encode()
    else:
        raise InvalidValue(
            "kind", f"there is no stencil file of kind {kind[:10]!r}; take zip, dxf or svg"
        )
    return Response(
        data,
        media_type=media,
        headers=saved_as(f"stencil-{job.id}-{side}.{kind}"),
    )
