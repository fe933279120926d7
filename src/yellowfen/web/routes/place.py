"""The Place stage: the order on the plan, exceptions, the printed guide.

What is refused is answered with its sentence, nothing changed.
"""

from dataclasses import replace
from typing import Annotated, Any

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse, Response
from markupsafe import Markup

from yellowfen.core.board.board import Board
from yellowfen.core.part.direction import direction_of
from yellowfen.core.run.placing import PLACE, way_round
from yellowfen.core.work.kit import line_key
from yellowfen.core.work.order import SCHOOLS, Order
from yellowfen.core.work.schedule import TACK_LIFE_H
from yellowfen.errors import InvalidValue, YellowfenError
from yellowfen.store import bench_runs as stored_runs
from yellowfen.store import ready as stored
from yellowfen.store import tasks
from yellowfen.store.ready import HANDS, bench_setting
from yellowfen.web.database import Database
from yellowfen.web.errors import status_of
from yellowfen.web.package_svg import package_drawing
from yellowfen.web.pages import page
from yellowfen.web.paste_page import side_of, whole_number
from yellowfen.web.plan_svg import plan_svg
from yellowfen.web.working import working_page
from yellowfen.workflows import bench_runs
from yellowfen.workflows import ready as workflow
from yellowfen.workflows.ready import ReadyState, ready_state
from yellowfen.workflows.tasks import ask_order

router = APIRouter()


@router.get("/jobs/{job_id}/place")
def place_page(request: Request, job_id: int, database: Database, side: str = "") -> Response:
    return _page(request, database, ready_state(database, job_id), side)


def _page(
    request: Request,
    database: Database,
    state: ReadyState,
    side: str,
    problem: str = "",
    status: int = 200,
) -> Response:
    side = side_of(side or state.sides.first)
    if not workflow.order_ready(database, state, side):
        context = {"room": "jobs", "stage": "place", "job": state.paste.job}
        task = tasks.get(database, ask_order(database, state.paste.job.id, side))
        return working_page(request, context, task, f"Ordering {len(state.board.parts)} parts")
    order = workflow.order_of(database, state, side)
    parts = {part.ref: part for part in state.board.parts}
    context = {
        "room": "jobs",
        "stage": "place",
        "job": state.paste.job,
        "board": state.board,
        "side": side,
        "order": order,
        "parts": parts,
        "shaky": bench_setting(database, HANDS) == "shaky",
        "problem": problem,
        "plan": plan_svg(state.whole, side, overlay=_path(state.board, order)),
        "schools": SCHOOLS,
        "batches": _batches(order),
        "wishes": state.plan.wishes,
        "unfinished": stored_runs.unfinished(database, state.paste.job.id, PLACE),
        "school": order.school,
        "first": state.sides.first,
        "places": stored.places(database),
        "keys": {ref: line_key(part) for ref, part in parts.items()},
        "batch": state.plan.batch,
        "tack_h": TACK_LIFE_H,
    }
    return page(request, "place.html", context, status=status)


@router.get("/api/jobs/{job_id}/place/order")
def work_out(job_id: int, database: Database, side: str = "top") -> dict[str, int]:
    """Work the order of a large board out; answers when it is there."""
    return {
        "parts": len(
            workflow.order_of(database, ready_state(database, job_id), side_of(side)).steps
        )
    }


def _batches(order: Order) -> list[list[tuple[int, Any]]]:
    """Steps with their numbers, batch by batch."""
    found: list[list[tuple[int, Any]]] = []
    for number, step in enumerate(order.steps, 1):
        if not found or found[-1][0][1].batch != step.batch:
            found.append([])
        found[-1].append((number, step))
    return found


def _path(board: Board, order: Order) -> Markup:
    """The hand's way over the plan, a new line for every turn of the board, numbers at the parts."""
    places = {part.ref: (part.x_mm, part.y_mm) for part in board.parts}
    flip = "scale(1,-1)" if order.side == "top" else "scale(-1,-1)"
    shapes, line = [], ""
    for number, step in enumerate(order.steps, 1):
        x, y = places[step.ref]
        if step.turned and line:
            shapes.append(f'<path class="hand-way" d="{line}"/>')
            line = ""
        line += f"{'L' if line else 'M'}{x:.2f},{y:.2f}"
        kind = "turn-here" if step.turned else "value-here" if step.new_value else "same-here"
        shapes.append(
            f'<g class="stop {kind}" transform="translate({x:.2f},{y:.2f}) {flip}"><circle r="1"/><text y="0.42">{number}</text></g>'
        )
    if line:
        shapes.append(f'<path class="hand-way" d="{line}"/>')
    shapes.sort(key=lambda one: one.startswith("<g"))
    return Markup("".join(shapes))


@router.post("/jobs/{job_id}/place")
def change_order(
    request: Request,
    job_id: int,
    database: Database,
    do: Annotated[str, Form()] = "",
    side: Annotated[str, Form()] = "top",
    ref: Annotated[str, Form()] = "",
    after: Annotated[str, Form()] = "",
    school: Annotated[str, Form()] = "",
    batch: Annotated[str, Form()] = "10",
) -> Response:
    """An exception (`wish`, `unwish`, `plain`), another school or batch size (`rule`), or the start
    of a run (`start`).
    """

    side = side_of(side)
    try:
        if do == "start":
            return RedirectResponse(
                f"/runs/{bench_runs.start_placing(database, job_id, side)}", status_code=303
            )
        if do == "wish":
            workflow.wish(database, job_id, ref, after)
        elif do == "unwish":
            workflow.wish(database, job_id, ref, None)
        elif do == "plain":
            workflow.wish(database, job_id, "", None)
        elif do == "rule":
            kept = stored.ready_plan_of(database, job_id)
            workflow.keep_ready_plan(
                database,
                job_id,
                replace(
                    kept,
                    schools={**kept.schools, "order": school},
                    batch=whole_number("batch", batch),
                ),
            )
        else:
            raise InvalidValue("do", "choose wish, unwish, plain, rule or start")
    except YellowfenError as refused:
        return _page(
            request,
            database,
            ready_state(database, job_id),
            side=side,
            problem=str(refused),
            status=status_of(refused),
        )
    return RedirectResponse(f"/jobs/{job_id}/place?side={side}", status_code=303)


@router.get("/jobs/{job_id}/place/guide")
def guide(request: Request, job_id: int, database: Database, side: str = "top") -> Response:
    """The order as a page to print: where, what, which way round."""
    state, side = ready_state(database, job_id), side_of(side)
    order = workflow.order_of(database, state, side)
    parts = {part.ref: part for part in state.board.parts}
    rows = [
        {
            "number": number,
            "step": step,
            "part": parts[step.ref],
            "way": way_round(state.board, step.ref),
        }
        for number, step in enumerate(order.steps, 1)
    ]
    drawn = {
        part.package.name: package_drawing(part.package)
        for part in parts.values()
        if direction_of(part.package)
    }
    context = {
        "room": "jobs",
        "job": state.paste.job,
        "board": state.board,
        "side": side,
        "order": order,
        "rows": rows,
        "drawn": drawn,
        "plan": plan_svg(state.whole, side, overlay=_path(state.board, order)),
        "places": stored.places(database),
        "keys": {ref: line_key(part) for ref, part in parts.items()},
    }
    return page(request, "place_guide.html", context)
