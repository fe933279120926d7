"""Paste by hand: the dot plan, stencil or hand."""

from dataclasses import replace
from itertools import groupby
from typing import Annotated, Any

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse, Response

from yellowfen.core.deposit.by_hand import NEEDLES, Costs, needles_for
from yellowfen.core.deposit.hand_plan import HandPlan
from yellowfen.core.run.hand_paste import PASTE
from yellowfen.core.work.schedule import TACK_LIFE_H
from yellowfen.errors import YellowfenError
from yellowfen.store import bench_runs as stored_runs
from yellowfen.store import jobs, materials
from yellowfen.store import paste as stored
from yellowfen.store.ready import ready_plan_of
from yellowfen.web.database import Database
from yellowfen.web.errors import status_of
from yellowfen.web.hand_svg import spots_drawn, stencil_chart
from yellowfen.web.paste_page import leaf_page, number, side_of, whole_number
from yellowfen.workflows import bench_runs
from yellowfen.workflows import paste as workflow
from yellowfen.workflows.paste import PasteState, paste_state
from yellowfen.workflows.ready import dot_plan, ready_state
from yellowfen.workflows.ready import keep_ready_plan as keep_ready

router = APIRouter()


@router.get("/jobs/{job_id}/paste/hand")
def hand_leaf(request: Request, job_id: int, database: Database, side: str = "top") -> Response:
    return _leaf(request, database, paste_state(database, job_id), side_of(side))


def _leaf(
    request: Request,
    database: Database,
    state: PasteState,
    side: str,
    typed: dict[str, str] | None = None,
    problem: str = "",
    status: int = 200,
) -> Response:
    costs, ready = state.plan.costs, ready_state(database, state.job.id)
    plan = dot_plan(database, ready, side)
    weighed = ready.techniques.weighed
    context: dict[str, Any] = {
        "plan_by_hand": plan,
        "needles": [_needle(gauge, plan) for gauge in plan.needles],
        "batches": _batches(plan),
        "bores": NEEDLES,
        "batch": ready.plan.batch,
        "tack_h": TACK_LIFE_H,
        "weighed": weighed,
        "stencil": ready.techniques.stencil,
        "stencil_why": ready.techniques.stencil_why,
        "chart": stencil_chart(weighed, state.plan.boards) if weighed else "",
        "typed": typed
        or {
            "boards": f"{state.plan.boards}",
            "set_up_min": f"{costs.set_up_min:g}",
            "print_min": f"{costs.print_min:g}",
            "dot_s": f"{costs.dot_s:g}",
            "panel": f"{costs.panel}",
            "price_min": f"{costs.price_min:g}",
        },
        "owned": materials.supply(database, "needle"),
        "clogs": [
            int(one)
            for one in materials.supply(database, "needle")
            if int(one) not in needles_for(plan.paste)
        ],
        "unfinished": stored_runs.unfinished(database, state.job.id, PASTE),
        "problem": problem,
        "stencil_there": bool(state.board.openings),
        "by_bumps": sorted(one for one in ready.by_bumps if state.board.part(one).side == side),
        "by_iron": sorted(one for one in ready.by_iron if state.board.part(one).side == side),
    }
    return leaf_page(
        request,
        "paste_hand.html",
        state,
        leaf="/hand",
        side=side,
        context=context,
        overlay=spots_drawn(plan),
        status=status,
    )


def _batches(plan: HandPlan) -> list[dict[str, Any]]:
    """The steps batch by batch, and by needle within each."""
    found = []
    for _, steps in groupby(plan.steps, key=lambda one: one.batch):
        mine = list(steps)
        by_needle = [(gauge, list(its)) for gauge, its in groupby(mine, key=lambda one: one.gauge)]
        parts = len({one.ref for one in mine})
        found.append({"parts": parts, "anew": mine[0].anew, "by_needle": by_needle})
    return found


def _needle(gauge: int | None, plan: HandPlan) -> dict[str, Any]:
    steps = [one for one in plan.steps if one.gauge == gauge]
    return {
        "gauge": gauge,
        "bore": NEEDLES[gauge] if gauge else None,
        "parts": len({one.ref for one in steps}),
        "spots": sum(len(one.spots) for one in steps),
        "steps": steps,
    }


@router.post("/jobs/{job_id}/paste/hand")
def set_hand(
    request: Request,
    job_id: int,
    database: Database,
    do: Annotated[str, Form()] = "costs",
    side: Annotated[str, Form()] = "top",
    by_pad: Annotated[str, Form()] = "",
    boards_: Annotated[str, Form(alias="boards")] = "1",
    set_up_min: Annotated[str, Form()] = "",
    print_min: Annotated[str, Form()] = "",
    dot_s: Annotated[str, Form()] = "",
    panel: Annotated[str, Form()] = "1",
    price_min: Annotated[str, Form()] = "0",
    batch: Annotated[str, Form()] = "10",
) -> Response:
    """Set the times that decide between stencil and hand, or how the plan is cut up (pad by pad, so
    many parts at a time); or start following it.
    """
    side, kept = side_of(side), stored.paste_plan_of(database, job_id)
    typed = {
        "boards": boards_,
        "set_up_min": set_up_min,
        "print_min": print_min,
        "dot_s": dot_s,
        "panel": panel,
        "price_min": price_min,
    }
    try:
        if do == "start":
            return RedirectResponse(
                f"/runs/{bench_runs.start_dotting(database, job_id, side)}", status_code=303
            )
        if do == "batch":
            keep_ready(
                database,
                job_id,
                replace(ready_plan_of(database, job_id), batch=whole_number("batch", batch)),
            )
        elif do == "cut":
            workflow.keep_paste_plan(database, job_id, replace(kept, by_pad=by_pad == "pad"))
        else:
            costs = Costs(
                set_up_min=number("set_up_min", set_up_min),
                print_min=number("print_min", print_min),
                dot_s=number("dot_s", dot_s),
                panel=whole_number("panel", panel),
                price_min=number("price_min", price_min, 0.0),
            )
            workflow.keep_paste_plan(
                database, job_id, replace(kept, boards=whole_number("boards", boards_), costs=costs)
            )
    except YellowfenError as refused:
        jobs.get(database, job_id)
        return _leaf(
            request,
            database,
            paste_state(database, job_id),
            side=side,
            typed=typed if do == "costs" else None,
            problem=str(refused),
            status=status_of(refused),
        )
    return RedirectResponse(f"/jobs/{job_id}/paste/hand?side={side}", status_code=303)
