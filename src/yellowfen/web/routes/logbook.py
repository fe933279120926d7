"""The Logbook: every run with what was set, forecast, seen and found."""

from collections import Counter
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import Response

from yellowfen.core.work.bench_run import RunKind
from yellowfen.store import bench_runs
from yellowfen.store.bench_runs import BenchRun
from yellowfen.web.database import Database
from yellowfen.web.pages import page

router = APIRouter()
_HANDS = {
    RunKind.PLACE: "placed",
    RunKind.PASTE: "paste by hand",
    RunKind.KIT: "kit checked",
    RunKind.LOOK: "looked at",
}


@router.get("/logbook")
def logbook(request: Request, database: Database) -> Response:
    found = bench_runs.rows(database)
    context = {
        "room": "logbook",
        "runs": [_row(run) for run in found if run.kind not in _HANDS or run.taps],
        "removed": bench_runs.removed(database),
    }
    return page(request, "logbook.html", context)


def _row(run: BenchRun) -> dict[str, Any]:
    """A run with its marks counted; one of the hands only in a line."""
    state = run.state
    aside = ", ".join(f"{key} {word}" for key, word in state.aside.items())
    line = f"{len(state.done)} of {len(run.script.cues)}" + (f"; {aside}" if aside else "")
    return {
        "run": run,
        "counts": Counter(str(mark.verdict) for mark in run.marks).most_common(),
        "hands": _HANDS.get(run.kind, ""),
        "line": line,
    }
