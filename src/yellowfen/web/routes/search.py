"""Long work of the Heat stage: the safe window's map and the search for settings, asked, watched,
given up, taken over.

What is refused is answered with its sentence, nothing changed.
"""

from dataclasses import asdict
from typing import Any

from fastapi import APIRouter, Request
from pydantic import Field

from yellowfen.core.heat.tour_search import TourWish
from yellowfen.core.heat.tour_walk import Charge
from yellowfen.core.heat.window import Axis
from yellowfen.errors import InvalidValue
from yellowfen.formats.rehearsal_file import Strict
from yellowfen.store import boards, jobs, tasks
from yellowfen.store.tasks import JobTask
from yellowfen.web.database import Database
from yellowfen.web.working import told
from yellowfen.workflows import long_work
from yellowfen.workflows import tasks as work

router = APIRouter()


class AskForm(Strict):
    kind: str = Field(pattern="^(window|settings|tour)$")
    axis: Axis | None = None
    free_alloy: bool = False
    order: str = Field("", max_length=40)
    charge: Charge = Charge.SPARING


class TakeForm(Strict):
    key: str = Field("", max_length=200)
    setting: float | None = None
    dwell_s: float | None = None


@router.post("/api/jobs/{job_id}/tasks")
def ask(request: Request, job_id: int, form: AskForm, database: Database) -> dict[str, Any]:
    """Ask for a map or a search of the plan as it stands."""
    wish = TourWish(order=form.order, charge=form.charge)
    task_id = work.ask(
        database, job_id, form.kind, axis=form.axis, free_alloy=form.free_alloy, wish=wish
    )
    request.app.state.worker.wake()
    return _seen(database, tasks.get(database, task_id))


@router.get("/api/jobs/{job_id}/tasks/{kind}")
def newest(request: Request, job_id: int, kind: str, database: Database) -> dict[str, Any]:
    """The newest task of a kind as far as it is; empty when none was asked."""
    jobs.get(database, job_id)
    task = tasks.latest(database, job_id, kind)
    if task is None:
        return {"state": "none"}
    if task.state in ("waiting", "working"):
        request.app.state.worker.wake()
    return _seen(database, task)


@router.get("/api/tasks/{task_id}/progress")
def progress(request: Request, task_id: int, database: Database) -> dict[str, Any]:
    """How far a piece of work is, and its answer where it has one."""
    return told(request, tasks.get(database, task_id))


def _seen(database: Database, task: JobTask) -> dict[str, Any]:
    plain: dict[str, Any] = {
        "id": task.id,
        "state": task.state,
        "said": task.said,
        "steps": len(task.steps),
    }
    if task.kind == long_work.WINDOW:
        return plain | {"map": work.map_so_far(database, task)}
    if task.kind == long_work.TOUR:
        best, whole = work.toured(task)
        fresh = work.still_asked(database, task)
        return plain | {
            "tour": best and _on_plan(database, task, best),
            "whole": whole,
            "fresh": fresh,
        }
    if task.kind != long_work.SETTINGS:
        return plain
    found = work.tuned(database, task)
    if found is None:
        return plain | {"proposals": [], "sentence": "", "relaxes": ""}
    rows = [
        {
            "key": one.key,
            "change": one.change,
            "best": None if one.best is None else asdict(one.best) | {"spills": one.best.spills},
            "blocker": one.blocker,
        }
        for one in found.proposals
    ]
    return plain | {"proposals": rows, "sentence": found.sentence, "relaxes": found.relaxes}


def _on_plan(database: Database, task: JobTask, tour: dict[str, Any]) -> dict[str, Any]:
    """A tour with the places of its stops, mm as the plan is drawn; without what only taking needs."""
    board = boards.get(database, jobs.get(database, task.job_id).board_id)
    place = {part.ref: (part.x_mm, part.y_mm) for part in board.parts}
    for stop in tour["stops"]:
        known = [place[ref] for ref in stop["over"] if ref in place]
        stop["x_mm"] = sum(x for x, _ in known) / max(len(known), 1)
        stop["y_mm"] = sum(y for _, y in known) / max(len(known), 1)
    return {key: value for key, value in tour.items() if key != "moves"}


@router.post("/api/tasks/{task_id}/cancel")
def cancel(task_id: int, database: Database) -> dict[str, Any]:
    long_work.cancel(database, task_id)
    return _seen(database, tasks.get(database, task_id))


@router.post("/api/tasks/{task_id}/take")
def take(task_id: int, form: TakeForm, database: Database) -> dict[str, Any]:
    """Put a proposal, or a point of the map, into the job's plan."""
    if tasks.get(database, task_id).kind == long_work.TOUR:
        work.take_tour(database, task_id)
    elif form.key:
        kept = work.take_proposal(database, task_id, form.key)
        if kept is None:
            raise InvalidValue("key", "this proposal is not there any more; search again")
    elif form.setting is not None and form.dwell_s is not None:
        work.take_point(database, task_id, form.setting, form.dwell_s)
    else:
        raise InvalidValue("setting", "say which proposal or which point to take")
    return {"taken": True}
