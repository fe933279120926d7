"""Runs at the bench, of every kind: one page, one key, one undo."""

import sqlite3
import time
from dataclasses import replace
from typing import Any

import numpy as np
from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response
from markupsafe import Markup
from pydantic import BaseModel, ConfigDict, Field

from yellowfen.core.board.board import Board
from yellowfen.core.deposit.hand_plan import HandPlan
from yellowfen.core.heat.follow import stops_of
from yellowfen.core.heat.heat_plan import HeatPlan, SourceKind, aimed
from yellowfen.core.run.heat import spans
from yellowfen.core.run.heat_cues import AWAY, START, lifted_key
from yellowfen.core.run.kit import KIT
from yellowfen.core.run.look import LOOK
from yellowfen.core.run.machine import (
    Effect,
    RunState,
    Script,
    ShownCue,
    Tap,
    chosen,
    moments_s,
    shown,
    sure_key,
)
from yellowfen.core.run.mend import MEND
from yellowfen.core.run.printing import PRINT
from yellowfen.core.run.run import BenchRun
from yellowfen.core.work.technique import SHAKY_REST_EVERY
from yellowfen.store import boards, ready, stations
from yellowfen.store.bench_runs import get, remove
from yellowfen.web.database import Database
from yellowfen.web.hand_svg import paste_drawn, spots_drawn
from yellowfen.web.look_run import look_frame
from yellowfen.web.package_svg import package_drawing
from yellowfen.web.pages import page
from yellowfen.web.plan_svg import plan_svg
from yellowfen.workflows import bench_runs

router = APIRouter()
SIGNS = {"flux": "f", "shine": "s", "springs": "b"}


class TapForm(BaseModel):
    model_config = ConfigDict(extra="forbid")
    key: str = Field(min_length=1, max_length=64)
    cue: str = Field(min_length=1, max_length=320)
    word: str = Field(min_length=1, max_length=40)
    at_ms: int = Field(ge=0, le=10**14)
    text: str = Field("", max_length=400)


@router.get("/runs/{run_id}")
def run_page(request: Request, run_id: int, database: Database) -> Response:
    run = get(database, run_id)
    board = boards.get(database, run.board_id)
    heat = run.plan if isinstance(run.plan, HeatPlan) else None
    labels = ("", "")
    if heat is not None and heat.source is SourceKind.AIR:
        labels = next(
            (
                one.marks_at(heat.air.outlet_c, heat.air.flow_lpm)
                for one in stations.rows(database)
                if one.id == heat.station_id
            ),
            labels,
        )
    look = look_frame(database, run) if run.kind is LOOK else None
    context = {
        "room": "jobs",
        "run": run,
        "heat": heat,
        "labels": labels,
        "doing": run.kind.doing,
        "on_board": f"board {run.piece_name}" if run.piece_name else "",
        "back": _back(run),
        "onward": _onward(run),
        "caution": run.kind.caution(run.plan),
        "tour": bool(heat and heat.tour),
        "plans": _plans(run, board),
        "drawings": _drawings(run, board),
        "state": _state(database, run)
        | _frame(run, board)
        | {"rest_every": int(SHAKY_REST_EVERY) if shaky(database) else 0}
        | (_joints(run, look) if look else {}),
        "look": look,
        "large": ready.bench_setting(database, ready.EYES) == "strained",
    }
    return page(request, "bench_run.html", context)


def _back(run: BenchRun) -> str:
    """The page of the job that a run was started from, of the part or side that it is about."""
    back = run.kind.back
    if not isinstance(back, str):
        return back(run)
    return f"{back}?side={run.side}" if run.side else back


def _onward(run: BenchRun) -> tuple[str, str]:
    """The page of the job that comes after a run, and what its link says."""
    onward = run.kind.onward
    return onward if isinstance(onward, tuple) else onward(run)


def _plans(run: BenchRun, board: Board) -> list[Markup]:
    """The plan of each side that is worked on, that of a tour or of work by hand; a heat in one
    place and a kit have none.
    """
    if isinstance(run.plan, HeatPlan):
        return [plan_svg(board, run.plan.side)] if run.plan.tour else []
    if run.kind is KIT:
        return []
    if run.kind not in (LOOK, MEND):
        return [plan_svg(_as_seen(run, board), run.side or "top", overlay=_overlay(run, board))]
    refs = {ref for cue in (*run.script.cues, *run.script.extras) for ref in cue.refs}
    sides = {part.side for part in board.parts if part.ref in refs}
    return [plan_svg(board, side) for side in sorted(sides, reverse=True)]


def _as_seen(run: BenchRun, board: Board) -> Board:
    """The board as it lies there: bare where it is printed."""
    return replace(board, parts=()) if run.kind is PRINT else board


def _overlay(run: BenchRun, board: Board) -> Markup:
    if run.kind is PRINT:
        return paste_drawn(board.openings, run.side)
    return spots_drawn(run.plan) if isinstance(run.plan, HandPlan) else Markup("")


def _drawings(run: BenchRun, board: Board) -> dict[str, Markup]:
    """Drawings of the packages that go one way round only."""
    names = {cue.shape for cue in run.script.cues if cue.shape}
    return {
        part.package.name: package_drawing(part.package)
        for part in board.parts
        if part.package.name in names
    }


def _places(heat: HeatPlan, board: Board) -> list[dict[str, float]]:
    """Where a tour stops, mm as the plan is drawn."""
    at = {part.ref: (part.x_mm, part.y_mm) for part in board.parts}
    middles = [
        np.mean([at[ref] for ref in move.over if ref in at] or [(0.0, 0.0)], axis=0)
        for move in stops_of(aimed(heat.moves, heat.targets))
    ]
    return [{"x_mm": float(x), "y_mm": float(y)} for x, y in middles]


def shaky(database: Database) -> bool:
    """True where the bench says that the hands shake."""
    return ready.bench_setting(database, ready.HANDS) == "shaky"


def _frame(run: BenchRun, board: Board) -> dict[str, Any]:
    """What does not change with the taps: the words that have keys, where a tour stops."""
    heat = run.plan if isinstance(run.plan, HeatPlan) else None
    rule = run.kind.rule
    lasting = heat is None or heat.lifts  # a heat that removes nothing has none of these cues
    return {
        "run": run.id,
        "kind": run.kind.name,
        "clock": rule.clock,
        "main": next(iter(rule.words)),
        "keys": [
            {"word": word, "say": key.say, "press": key.press, "hint": key.hint, "only": key.only}
            for word, key in run.kind.keys.items()
            if lasting or not key.only
        ],
        "stays": [str(word) for word, effect in rule.words.items() if effect is Effect.STAYS],
        "places": _places(heat, board) if heat and heat.tour else [],
    }


def _joints(run: BenchRun, look: dict[str, Any]) -> dict[str, Any]:
    """Every joint of a look as it is shown when it is chosen, and the marks of earlier looks."""
    cues = {cue.key: cue for cue in (*run.script.cues, *run.script.extras)}
    return {
        "joints": {key: _cue(chosen(cues[key])) | one for key, one in look["joints"].items()},
        "before": look["before"],
    }


def _state(database: sqlite3.Connection, run: BenchRun) -> dict[str, Any]:
    """Where the run stands: the next cues as the taps have moved them, what is answered, what may
    be told besides, when to stop, what is hard to believe.
    """
    script, state = bench_runs.script_now(database, run), run.state
    early = [cue.key for cue in script.cues if cue.free and cue.key in state.to_do]
    return {
        "now_ms": int(time.time() * 1000),
        "started_ms": run.taps[0].at_ms if run.taps and run.kind.rule.clock else None,
        "took_s": (run.taps[-1].at_ms - run.taps[0].at_ms) / 1000 if run.taps else 0.0,
        "taps": [{"key": tap.key, "cue": tap.cue} for tap in run.taps],
        "cues": [_cue(one) for one in shown(script, run.taps)],
        "early": early,
        "done": list(state.done),
        "answered": len(state.done) + len(state.aside) + len(state.passed),
        "of": len(script.cues),
        "closing": _closing(run),
        "told": run.kind.told(run),
        "spans": [
            {"word": span.word, "kind": span.kind, "from_s": span.from_s, "to_s": span.to_s}
            for span in spans(run.plan, script, moments_s(run.taps))
        ]
        if isinstance(run.plan, HeatPlan)
        else [],
        "stop_s": script.stop_s,
        "stop_why": script.stop_why,
        "flows": [
            {"ref": cue.name or cue.key, "at_s": cue.due_s, "late_s": cue.late_s}
            for cue in script.cues
            if cue.refs and cue.due_s is not None and cue.key in state.to_do
        ],
        "signs": _signs(script, state),
        "ask": script.ask,
        "ask_key": script.ask_key,
        "ask_tap": _asked_tap(run, script),
        "words": state.done if run.kind is LOOK else {},
        "open": list(state.to_do) if run.kind is LOOK else [],
    }


def _asked_tap(run: BenchRun, script: Script) -> str:
    """The key of the tap that is asked about, "" where none is."""
    cue = script.ask_key.removeprefix(sure_key("")) if script.ask else ""
    return next((tap.key for tap in reversed(run.taps) if tap.cue == cue), "")


def _signs(script: Script, state: RunState) -> list[dict[str, str]]:
    """Early signs that may be told now: of a tour those of the stop in hand."""
    now = next((cue.key.removeprefix("stop ") for cue in script.cues if cue.key in state.to_do), "")
    return [
        {"cue": cue.key, "say": cue.press, "press": SIGNS[kind]}
        for cue in script.extras
        if (kind := cue.key.split(" ")[0]) in SIGNS
        and START in state.done
        and AWAY not in state.done
        and cue.key not in state.done
        and _sign_of_now(cue.key.removeprefix(kind).strip(), kind, now, state)
    ]


def _sign_of_now(of: str, kind: str, now: str, state: RunState) -> bool:
    """True for a sign of the heat, of the stop in hand, or of a part that is still to be lifted."""
    return of in ("", now) or (kind == "springs" and lifted_key(of) in state.to_do)


def _cue(one: ShownCue) -> dict[str, Any]:
    cue = one.cue
    return {
        "key": cue.key,
        "name": cue.name,
        "title": cue.title,
        "press": cue.press,
        "set_up": ". ".join(one.set_up),
        "detail": one.detail,
        "mind": cue.mind,
        "left": one.left,
        "said": one.said,
        "ahead": cue.ahead,
        "due_s": cue.due_s,
        "late_s": cue.late_s,
        "late": cue.late,
        "refs": list(cue.refs),
        "pin": cue.pin,
        "turn": cue.turn_deg,
        "shape": cue.shape,
        "spot": cue.spot,
        "reads": cue.reads,
        "points": list(cue.points),
    }


def _closing(run: BenchRun) -> str:
    """What is said at the end, with what was set aside."""
    state, script = run.state, run.script
    aside = [
        f"{cue.name or cue.title if run.kind is not KIT else cue.title} {state.aside[cue.key]}"
        for cue in script.cues
        if cue.key in state.aside
    ]
    return f"Set aside for later: {', '.join(aside)}." if aside else script.closing


@router.get("/api/runs/{run_id}/taps")
def taps(run_id: int, database: Database) -> dict[str, Any]:
    """Where the run stands now: a page that was rendered while a tap came in asks once more."""
    return _state(database, get(database, run_id))


@router.post("/api/runs/{run_id}/taps")
def tap(run_id: int, form: TapForm, database: Database) -> dict[str, Any]:
    """Store one tap; answers only when it is on disk."""
    return _state(database, bench_runs.tap(database, run_id, Tap(**form.model_dump())))


@router.delete("/api/runs/{run_id}/taps/{key}")
def undo(run_id: int, key: str, database: Database) -> dict[str, Any]:
    """Take the newest tap back."""
    return _state(database, bench_runs.undo_tap(database, run_id, key))


@router.post("/runs/{run_id}/remove")
def remove_run(run_id: int, database: Database) -> Response:
    """Put a run away: nothing is learnt from it any more."""
    get(database, run_id)
    remove(database, run_id)
    return RedirectResponse("/logbook", 303)


@router.post("/runs/{run_id}/back")
def bring_back(run_id: int, database: Database) -> Response:
    remove(database, run_id, back=True)
    get(database, run_id)
    return RedirectResponse(f"/logbook#run-{run_id}", 303)
