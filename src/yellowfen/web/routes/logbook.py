"""The Logbook: every run with what was set, forecast, seen and found."""

from collections import Counter

from fastapi import APIRouter, Request
from fastapi.responses import Response

from yellowfen.core.work.bench_run import RunKind
from yellowfen.store import bench_runs
from yellowfen.web.database import Database
from yellowfen.web.pages import page

router = APIRouter()


@router.get("/logbook")
def logbook(request: Request, database: Database) -> Response:
    found = bench_runs.rows(database, RunKind.HEAT)
    counts = {
        run.id: Counter(str(mark.verdict) for mark in run.marks).most_common() for run in found
    }
    return page(request, "logbook.html", {"room": "logbook", "runs": found, "counts": counts})
