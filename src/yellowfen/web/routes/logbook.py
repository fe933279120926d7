"""The Logbook: every run with what was set, forecast, seen and found."""

from collections import Counter
from typing import Any

from fastapi import APIRouter, Request
from fastapi.responses import Response

from yellowfen.core.heat.heat_plan import HeatPlan
from yellowfen.core.look.trust import binned
from yellowfen.core.quantity.wording import counted
from yellowfen.core.run.heat import arrived_s
from yellowfen.core.run.heat_cues import ALL_FLOWED, shortened, stop_key
from yellowfen.core.run.look import LOOK
from yellowfen.core.run.machine import moments_s
from yellowfen.core.run.run import BenchRun
from yellowfen.store import bench_runs
from yellowfen.web.chances_svg import chances_drawn
from yellowfen.web.database import Database
from yellowfen.web.pages import page
from yellowfen.workflows.look import own_chances

router = APIRouter()
_SHOWN = 200  # runs at once


@router.get("/logbook")
def logbook(request: Request, database: Database, before: int = 0) -> Response:
    """Runs, the newest first; `before` one of them the older ones."""
    found = bench_runs.rows(database, most=_SHOWN, before=before)
    context = {
        "room": "logbook",
        "runs": [_row(run) for run in found if run.kind is not LOOK and (run.taps or run.marks)],
        "older": found[-1].id if len(found) == _SHOWN else 0,
        "removed": bench_runs.removed(database),
    }
    return page(request, "logbook.html", context)


def _lines(run: BenchRun) -> list[dict[str, Any]]:
    """What was forecast and what was seen: part by part, of a tour stop by stop (seconds there), of
    many parts watched as one in a line.
    """
    forecast = run.forecast
    if forecast is None:
        return []
    if forecast.stops and isinstance(run.plan, HeatPlan):
        moments, lines = moments_s(run.taps), []
        for number, stop in enumerate(forecast.stops, 1):
            came, left = arrived_s(run.plan, moments, number), run.seconds_of(stop_key(number))
            lines.append(
                {
                    "name": f"Stop {number}: {shortened(stop.refs)}",
                    "flows_s": stop.seconds,
                    "early_s": stop.early_s,
                    "late_s": stop.late_s,
                    "seen_s": None if came is None or left is None else left - came,
                }
            )
        return lines
    if forecast.grouped:
        last = max(forecast.targets, key=lambda one: one.flows_s or 0.0)
        lates = [one.late_s for one in forecast.targets]
        return [
            {
                "name": f"{counted(len(forecast.targets), 'part')}, the last {last.ref}",
                "flows_s": last.flows_s,
                "early_s": last.early_s,
                "late_s": None if None in lates else max(at for at in lates if at is not None),
                "seen_s": run.seconds_of(ALL_FLOWED),
            }
        ]
    return [
        {
            "name": one.ref,
            "flows_s": one.flows_s,
            "early_s": one.early_s,
            "late_s": one.late_s,
            "seen_s": run.flowed_s(one.ref),
        }
        for one in forecast.targets
    ]


def _row(run: BenchRun) -> dict[str, Any]:
    """A run with its marks counted; one without a heat in a line."""
    state, titles = run.state, {cue.key: cue.name or cue.title for cue in run.script.cues}
    aside = ", ".join(f"{titles.get(key, key)} {word}" for key, word in state.aside.items())
    so_far = "done" if state.over else f"{len(state.done)} of {len(run.script.cues)}"
    return {
        "run": run,
        "counts": Counter(str(mark.verdict) for mark in run.marks).most_common(),
        "hands": "" if run.forecast or not run.kind.did else run.kind.did(run),
        "line": so_far + (f"; {aside}" if aside else ""),
        "lines": _lines(run),
    }


@router.get("/logbook/chances")
def chances(request: Request, database: Database) -> Response:
    """What was told of joints against what was found at them."""
    bins = binned(own_chances(database))
    context: dict[str, Any] = {
        "room": "logbook",
        "bins": bins,
        "drawn": chances_drawn(bins) if bins else "",
        "expected": sum(one.told * one.of for one in bins),
    }
    return page(request, "chances.html", context)
