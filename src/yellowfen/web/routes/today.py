"""What is going on today: the next task of every build, paste standing out of the cold."""

import time
from contextlib import suppress
from typing import Annotated, Any

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse, Response

from yellowfen.core.work.job import Job, Purpose
from yellowfen.errors import Damaged
from yellowfen.store import jobs, materials
from yellowfen.store import ready as stored
from yellowfen.store import work as long
from yellowfen.store.moment import clock_words
from yellowfen.web.database import Database
from yellowfen.web.pages import page
from yellowfen.workflows import long_work
from yellowfen.workflows import ready as workflow
from yellowfen.workflows.ledger import done_tasks

router = APIRouter()
MOST_JOBS = 20


def _begun(database: Database, job: Job, now: float) -> list[dict[str, Any]]:
    """What is next of a build that was begun or has a date; nothing of others."""
    if job.purpose is not Purpose.BUILD:
        return []
    done = stored.done_of(database, job.id) or done_tasks(database, job)
    plan = stored.ready_plan_of(database, job.id)
    if not done and plan.start_s is None and plan.finish_s is None:
        return []
    found = workflow.timed(database, workflow.ready_state(database, job.id), now).found
    waiting = [one for one in found.tasks if not one.done]
    running = [one for one in waiting if one.task.passive and one.start_s <= now < one.end_s]
    return [
        {
            "job": job,
            "next": next((one for one in waiting if not one.task.passive), None),
            "running": [(one, max(0, round((one.end_s - now) / 60))) for one in running],
            "left": len(waiting),
            "of": len(found.tasks),
            "end": clock_words(found.end_s),
            "warnings": found.warnings,
            "starts": clock_words(found.start_s) if found.start_s > now else "",
        }
    ]


@router.get("/today")
def today(request: Request, database: Database) -> Response:
    now = time.time()
    builds = []
    for job in jobs.rows(database)[:MOST_JOBS]:
        with suppress(Damaged):  # told on its own page; the others are worked on today
            builds += _begun(database, job, now)
    out = [
        {
            "name": lot.name,
            "id": lot.id,
            "hours": (now - (lot.out_since_s() or now)) / 3600,
            "total": lot.warm_h(now),
            "says": lot.findings(now),
        }
        for lot in materials.lots(database)
        if lot.is_out
    ]
    context = {"room": "today", "builds": builds, "out": out, "work": long.listed(database)}
    return page(request, "today.html", context)


@router.post("/today/cancel")
def cancel(database: Database, work: Annotated[int, Form()] = 0) -> Response:
    """Give a piece of long work up."""
    long_work.cancel(database, work)
    return RedirectResponse("/today", 303)
