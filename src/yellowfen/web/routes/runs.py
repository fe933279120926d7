"""The run at the bench: full-screen clock, taps, undo."""

import time
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import Response
from pydantic import BaseModel, ConfigDict, Field

from yellowfen.core.work.job import Run, TapKind
from yellowfen.store import jobs, runs, stations
from yellowfen.web.database import Database
from yellowfen.web.pages import page
from yellowfen.workflows import bench

router = APIRouter()


class TapForm(BaseModel):
    model_config = ConfigDict(extra="forbid")
    key: str = Field(min_length=1, max_length=64)
    kind: TapKind
    ref: str = Field("", max_length=40)
    at_ms: int = Field(ge=0, le=10**14)


@router.get("/runs/{run_id}")
def run_page(request: Request, run_id: int, database: Database) -> Response:
    run = runs.get(database, run_id)
    job = jobs.get(database, run.job_id)
    labels = next(
        (
            (s.outlet_label, s.flow_label)
            for s in stations.rows(database)
            if s.id == run.plan.station_id
        ),
        ("", ""),
    )
    return page(
        request,
        "run.html",
        {"room": "jobs", "run": run, "job": job, "labels": labels, "state": _state(run)},
    )


def _state(run: Run) -> dict[str, Any]:
    return {
        "run": run.id,
        "job": run.job_id,
        "started_ms": run.started_ms,
        "finished": run.finished,
        "now_ms": int(time.time() * 1000),
        "taps": [
            {"key": t.key, "kind": str(t.kind), "ref": t.ref, "at_s": t.at_s} for t in run.taps
        ],
        "moves": [
            {
                "do": str(m.deed),
                "seconds": m.seconds,
                "height_mm": m.height_mm,
                "circle_mm": m.circle_mm,
                "path": str(m.path),
                "blows": m.blows,
            }
            for m in run.plan.moves
        ],
        "targets": [
            {"ref": t.ref, "flows_s": t.flows_s, "early_s": t.early_s, "late_s": t.late_s}
            for t in run.forecast.targets
        ],
        "latest_s": run.forecast.latest_s,
        "latest_why": run.forecast.latest_why,
    }


@router.post("/api/runs/{run_id}/taps")
def tap(run_id: int, form: TapForm, database: Database) -> dict[str, Any]:
    """Store one tap; answers only when it is on disk."""
    return _state(bench.tap(database, run_id, form.key, form.kind, form.ref, form.at_ms))


@router.delete("/api/runs/{run_id}/taps/{key}")
def undo(run_id: int, key: str, database: Database) -> dict[str, Any]:
    return _state(bench.undo_tap(database, run_id, key))
