"""The Ready stage: a way for every part, the iron's arithmetic, two sides, when, the kit, minutes.

What is refused is answered with its sentence, nothing changed.
"""

import json
import time
from collections import defaultdict
from dataclasses import replace
from datetime import datetime
from typing import Annotated, Any
from urllib.parse import quote

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse, Response
from markupsafe import Markup

from yellowfen.core.board.board import Board
from yellowfen.core.work.estimate import Estimate
from yellowfen.core.work.iron_rows import rows_of, wire_by_kind
from yellowfen.core.work.kit import KitAnswer
from yellowfen.core.work.schools import QUESTIONS, Schools
from yellowfen.core.work.technique import IRON_WAYS, PartWay, Way
from yellowfen.errors import InvalidValue, YellowfenError
from yellowfen.formats.calendar_out import calendar
from yellowfen.formats.table_out import table_text
from yellowfen.store import ready as stored
from yellowfen.store.moment import clock_words
from yellowfen.web.database import Database
from yellowfen.web.downloads import saved_as
from yellowfen.web.errors import status_of
from yellowfen.web.pages import page
from yellowfen.web.paste_page import number, paste_words, refs_in_short, side_of, whole_number
from yellowfen.web.plan_svg import plan_svg
from yellowfen.web.ready_svg import minutes_bars, row_diagram, time_line
from yellowfen.web.working import working_page
from yellowfen.workflows import bench_runs
from yellowfen.workflows import ready as workflow
from yellowfen.workflows.iron_answers import Question, QuestionKind, answer_to, ask
from yellowfen.workflows.ready import ReadyState, ready_state
from yellowfen.workflows.rework import mixes, salvaged

router = APIRouter()
LEAVES = (
    ("", "Methods"),
    ("/sides", "Sides"),
    ("/when", "Schedule"),
    ("/kit", "Kit"),
    ("/minutes", "Time"),
)
# What a way is called on the plan: a letter in a shape of its own.
SIGNS = {
    Way.PRINT_AIR: "print",
    Way.PRINT_PLATE: "print",
    Way.DOTS_AIR: "dots",
    Way.DOTS_PLATE: "dots",
    Way.BUMPS_AIR: "bumps",
    Way.IRON: "iron",
    Way.DRAG: "row",
    Way.FLOOD: "row",
    Way.LAST: "last",
}


def _leaf_page(
    request: Request,
    template: str,
    state: ReadyState,
    leaf: str,
    side: str,
    context: dict[str, Any],
    overlay: Markup = Markup(""),
    grades: dict[str, str] | None = None,
    status: int = 200,
) -> Response:
    whole = {
        "room": "jobs",
        "stage": "ready",
        "job": state.paste.job,
        "board": state.board,
        "leaf": leaf,
        "leaves": LEAVES,
        "side": side,
        "state": state,
        "plan": plan_svg(state.whole, side, grades, overlay),
        "problem": "",
        "paste_said": paste_words(state.paste.paste),
        **context,
    }
    return page(request, template, whole, status=status)


# ways
@router.get("/jobs/{job_id}/ready")
def ways_leaf(
    request: Request, job_id: int, database: Database, side: str = "top", part: str = ""
) -> Response:
    return _ways(request, ready_state(database, job_id), side_of(side), part)


def _ways(
    request: Request, state: ReadyState, side: str, part: str, problem: str = "", status: int = 200
) -> Response:
    groups: dict[tuple[str, str], list[PartWay]] = defaultdict(list)
    for one in state.ways:
        groups[(str(one.chosen.way), one.part.package.name)].append(one)
    rows = sorted(groups.values(), key=lambda group: -group[0].chosen.odds)
    counts: dict[str, int] = defaultdict(int)
    for one in state.ways:
        counts[SIGNS[one.chosen.way]] += 1
    context = {
        "rows": rows,
        "short": refs_in_short,
        "counts": dict(counts),
        "problem": problem,
        "questions": QUESTIONS,
        "schools": Schools(state.plan.schools),
        "iron_ways": IRON_WAYS,
        "opened": part,
        "techniques": state.techniques,
        "lacking": workflow.lacking_tools(request.state.database),
    }
    grades = {one.part.ref: f"way-{SIGNS[one.chosen.way]}" for one in state.ways}
    return _leaf_page(
        request,
        "ready_ways.html",
        state,
        leaf="",
        side=side,
        context=context,
        grades=grades,
        status=status,
    )


@router.post("/jobs/{job_id}/ready")
def choose(
    request: Request,
    job_id: int,
    database: Database,
    do: Annotated[str, Form()] = "way",
    way: Annotated[str, Form()] = "",
    ref: Annotated[str, Form()] = "",
    package: Annotated[str, Form()] = "",
    question: Annotated[str, Form()] = "",
    school: Annotated[str, Form()] = "",
    boards: Annotated[str, Form()] = "",
    side: Annotated[str, Form()] = "top",
) -> Response:
    """A way for a part or a package, a school, or the number of boards."""
    try:
        kept = stored.ready_plan_of(database, job_id)
        if do == "way":
            workflow.choose_way(database, job_id, way, ref, package)
        elif do == "school":
            workflow.keep_ready_plan(
                database, job_id, replace(kept, schools={**kept.schools, question: school})
            )
        elif do == "bench":
            workflow.keep_schools_for_bench(database, job_id)
        elif do == "boards":
            workflow.keep_ready_plan(
                database, job_id, replace(kept, boards=whole_number("boards", boards))
            )
        else:
            raise InvalidValue("do", "choose way, school, bench or boards")
    except YellowfenError as refused:
        return _ways(
            request,
            ready_state(database, job_id),
            side_of(side),
            part=ref,
            problem=str(refused),
            status=status_of(refused),
        )
    return RedirectResponse(
        f"/jobs/{job_id}/ready?side={side_of(side)}{f'&part={quote(ref)}' if ref else ''}",
        status_code=303,
    )


@router.get("/jobs/{job_id}/ready/iron/{ref:path}")
def iron_card(
    request: Request, job_id: int, ref: str, database: Database, measured: bool = False
) -> Response:
    """A bench card for one part by iron: tip, heat, wire, flux, its rows drawn."""
    state = ready_state(database, job_id)
    one = state.way_by_iron(ref)
    iron = workflow.iron_for(database, one)
    measured_s = None
    if measured and rows_of(one.part.package):
        card = Question(what=QuestionKind.CARD, ref=ref, iron=iron)
        answer = answer_to(database, job_id, card)
        if answer is None:
            context = {"room": "jobs", "stage": "ready", "job": state.paste.job}
            words = f"Working out how long the iron needs at {ref}"
            return working_page(request, context, ask(database, job_id, card), words)
        measured_s = json.loads(answer)
    found = workflow.iron_rows(state, one, measured_s)
    context = {
        "one": one,
        "rows": found.rows,
        "found": found,
        "iron": iron,
        "drawings": [row_diagram(row) for row in found.rows],
        "wires": wire_by_kind(one.part.package, state.paste.paste.metal),
        "usual": state.way(ref).chosen.way,
    }
    return _leaf_page(
        request,
        "ready_iron.html",
        state,
        leaf="",
        side=one.part.side,
        context=context,
        grades={one.part.ref: "target"},
    )


@router.post("/jobs/{job_id}/ready/iron")
def run_by_iron(job_id: int, database: Database, ref: Annotated[str, Form()] = "") -> Response:
    """One part by iron at the bench."""
    return RedirectResponse(f"/runs/{bench_runs.start_by_iron(database, job_id, ref)}", 303)


# sides
@router.get("/jobs/{job_id}/ready/sides")
def sides_leaf(request: Request, job_id: int, database: Database, side: str = "") -> Response:
    state = ready_state(database, job_id)
    sides = state.sides
    side = side_of(side or sides.first)
    falls = {one.ref for one in sides.falls}
    grades = {
        ref: "way-last"
        if ref in falls
        else "way-iron"
        if ref in sides.by_iron
        else "way-print"
        if count == 2
        else "way-dots"
        for ref, count in sides.passes.items()
    }
    grades |= dict.fromkeys(sides.by_iron, "way-iron")
    context = {
        "sides": sides,
        "iron": refs_in_short(sides.by_iron, 30),
        "bottom": sides.first == "bottom",
    }
    return _leaf_page(
        request, "ready_sides.html", state, leaf="/sides", side=side, context=context, grades=grades
    )


# when
@router.get("/jobs/{job_id}/ready/when")
def when_leaf(request: Request, job_id: int, database: Database) -> Response:
    return _when(request, database, ready_state(database, job_id))


def _when(
    request: Request,
    database: Database,
    state: ReadyState,
    typed: dict[str, str] | None = None,
    problem: str = "",
    status: int = 200,
) -> Response:
    now = time.time()
    warm, nothing = workflow.warming(database, state)
    timed = workflow.timed(database, state, now)
    lot = workflow.lot_of(database, state)
    plan = state.plan
    context = {
        "timed": timed,
        "found": timed.found,
        "at_bench": timed.at_bench,
        "line": time_line(timed.found, now),
        "now": now,
        "warm": warm,
        "nothing": nothing,
        "lot": lot,
        "clock": clock_words,
        "problem": problem,
        "typed": typed
        or {
            "boards": f"{plan.boards}",
            "start": _local(plan.start_s),
            "finish": _local(plan.finish_s),
            "pace": f"{plan.pace:g}",
            "room_c": f"{plan.room_c:g}",
            "humidity": f"{100 * plan.humidity:g}",
            "fridge_c": f"{plan.fridge_c:g}",
            "container": plan.container,
            "grams": f"{plan.grams:g}",
            "bags_open_h": f"{plan.bags_open_h:g}",
            "wash": "1" if plan.wash else "",
        },
        "bags": timed.bags,
        "next": next((one for one in timed.found.tasks if not one.done), None),
        "done": [one for one in timed.found.tasks if one.done],
    }
    return _leaf_page(
        request, "ready_when.html", state, leaf="/when", side="top", context=context, status=status
    )


def _local(moment_s: float | None) -> str:
    return "" if moment_s is None else datetime.fromtimestamp(moment_s).strftime("%Y-%m-%dT%H:%M")


def _moment(field: str, text: str) -> float | None:
    if not text.strip():
        return None
    try:
        return datetime.fromisoformat(text).timestamp()
    except ValueError:
        raise InvalidValue(
            field, f"{text[:25]!r} is not a date and time such as 2026-11-30T18:00"
        ) from None


@router.post("/jobs/{job_id}/ready/when")
def set_when(
    request: Request,
    job_id: int,
    database: Database,
    do: Annotated[str, Form()] = "plan",
    task: Annotated[str, Form()] = "",
    boards: Annotated[str, Form()] = "1",
    start: Annotated[str, Form()] = "",
    finish: Annotated[str, Form()] = "",
    pace: Annotated[str, Form()] = "1",
    room_c: Annotated[str, Form()] = "22",
    humidity: Annotated[str, Form()] = "50",
    fridge_c: Annotated[str, Form()] = "5",
    container: Annotated[str, Form()] = "syringe",
    grams: Annotated[str, Form()] = "35",
    bags_open_h: Annotated[str, Form()] = "0",
    wash: Annotated[str, Form()] = "",
) -> Response:
    """Set the schedule, or say that a task is done, undo one, begin anew."""
    typed = {
        "boards": boards,
        "start": start,
        "finish": finish,
        "pace": pace,
        "room_c": room_c,
        "humidity": humidity,
        "fridge_c": fridge_c,
        "container": container,
        "grams": grams,
        "bags_open_h": bags_open_h,
        "wash": wash,
    }
    try:
        if do == "done":
            workflow.task_done(database, job_id, task, time.time())
        elif do == "undo":
            stored.unset_done(database, job_id, task)
        elif do == "anew":
            stored.unset_done(database, job_id, None)
        else:
            begin, end = _moment("start", start), _moment("finish", finish)
            if begin is not None and end is not None:
                raise InvalidValue("finish", "type a start or a finish, not both")
            kept = stored.ready_plan_of(database, job_id)
            workflow.keep_ready_plan(
                database,
                job_id,
                replace(
                    kept,
                    boards=whole_number("boards", boards),
                    start_s=begin,
                    finish_s=end,
                    pace=number("pace", pace),
                    room_c=number("room_c", room_c),
                    humidity=number("humidity", humidity) / 100,
                    fridge_c=number("fridge_c", fridge_c),
                    container=container,
                    grams=number("grams", grams),
                    bags_open_h=number("bags_open_h", bags_open_h),
                    wash=bool(wash),
                ),
            )
    except YellowfenError as refused:
        return _when(
            request,
            database,
            ready_state(database, job_id),
            typed=typed if do == "plan" else None,
            problem=str(refused),
            status=status_of(refused),
        )
    return RedirectResponse(f"/jobs/{job_id}/ready/when", status_code=303)


@router.get("/jobs/{job_id}/ready/schedule.ics")
def calendar_file(job_id: int, database: Database) -> Response:
    """The schedule with alarms, for any calendar."""
    state = ready_state(database, job_id)
    now = time.time()
    data = calendar(
        [one for one in workflow.timed(database, state, now).found.tasks if not one.done],
        state.paste.job.name,
        now,
    )
    return Response(
        data,
        media_type="text/calendar",
        headers=saved_as(f"build-{job_id}.ics"),
    )


# kit
@router.get("/jobs/{job_id}/ready/kit")
def kit_leaf(request: Request, job_id: int, database: Database, side: str = "top") -> Response:
    return _kit(request, database, ready_state(database, job_id), side_of(side))


def _bagged(database: Database, job_id: int) -> dict[str, list[dict[str, Any]]]:
    """Parts in bags that are not used yet, by package, with what stands against each."""
    found: dict[str, list[dict[str, Any]]] = {}
    for one in salvaged(database):
        if not one.kept.used:
            passport, fit = one.kept.passport, one.fitness
            row = {
                "passport": passport,
                "refused": fit.refused,
                "first": fit.first,
                "mixes": mixes(database, job_id, one),
            }
            found.setdefault(passport.package, []).append(row)
    return found


def _kit(
    request: Request,
    database: Database,
    state: ReadyState,
    side: str,
    problem: str = "",
    status: int = 200,
) -> Response:
    lines = workflow.kit_lines(database, state)
    there, missing = (
        [one for one in lines if one.found is KitAnswer.THERE],
        [one for one in lines if one.found is KitAnswer.MISSING],
    )
    grades = {ref: "way-print" for one in there for ref in one.refs} | {
        ref: "way-last" for one in missing for ref in one.refs
    }
    grades |= {
        ref: "way-bumps" for one in lines if one.found is KitAnswer.INSTEAD for ref in one.refs
    }
    context = {
        "lines": lines,
        "there": len(there),
        "missing": missing,
        "short": refs_in_short,
        "problem": problem,
        "open": [one for one in lines if one.found is None],
        "bagged": _bagged(database, state.paste.job.id),
    }
    return _leaf_page(
        request,
        "ready_kit.html",
        state,
        leaf="/kit",
        side=side,
        context=context,
        grades=grades,
        status=status,
    )


@router.post("/jobs/{job_id}/ready/kit")
def note_line(
    request: Request,
    job_id: int,
    database: Database,
    line: Annotated[str, Form()] = "",
    found: Annotated[str, Form()] = "",
    instead: Annotated[str, Form()] = "",
    where: Annotated[str | None, Form()] = None,
    side: Annotated[str, Form()] = "top",
) -> Response:
    """What was found of a line, and where its parts live."""
    try:
        bench_runs.note_line(database, job_id, line, found=found, instead=instead, where=where)
    except YellowfenError as refused:
        return _kit(
            request,
            database,
            ready_state(database, job_id),
            side=side_of(side),
            problem=str(refused),
            status=status_of(refused),
        )
    return RedirectResponse(f"/jobs/{job_id}/ready/kit?side={side_of(side)}", status_code=303)


@router.get("/jobs/{job_id}/ready/kit.csv")
def parts_to_buy(job_id: int, database: Database) -> Response:
    """What has to be there for all boards of a job, a line for each value and package, as a table."""
    rows: list[tuple[object, ...]] = [("value", "package", "count with spares", "references")]
    for one in workflow.kit_lines(database, ready_state(database, job_id)):
        rows.append((one.value, one.package, one.take, " ".join(one.refs)))
    headers = saved_as(f"parts-{job_id}.csv")
    return Response(table_text(rows), media_type="text/csv; charset=utf-8", headers=headers)


@router.post("/jobs/{job_id}/ready/kit/check")
def kit_check(job_id: int, database: Database) -> Response:
    """The kit check at the bench."""
    return RedirectResponse(f"/runs/{bench_runs.start_kit_check(database, job_id)}", 303)


# minutes
@router.get("/jobs/{job_id}/ready/minutes")
def minutes_leaf(request: Request, job_id: int, database: Database) -> Response:
    state = ready_state(database, job_id)
    found: Estimate = workflow.estimate_of(database, state)
    per_kind: dict[str, list[PartWay]] = defaultdict(list)
    for one in state.ways:
        per_kind[str(one.kind)].append(one)
    less = sorted(
        (
            (kind, sum(one.chosen.expected_min for one in group) / len(group), len(group))
            for kind, group in per_kind.items()
        ),
        key=lambda row: -row[1],
    )
    context = {
        "found": found,
        "bars": minutes_bars(found),
        "less": less,
        "boards": state.plan.boards,
        "paces": workflow.own_paces(database),
        "forgotten": workflow.pace_forgotten(database),
        "techniques": state.techniques,
    }
    return _leaf_page(
        request,
        "ready_minutes.html",
        state,
        leaf="/minutes",
        side="top",
        context=context,
        grades=_costly(state.ways, state.board),
    )


@router.post("/jobs/{job_id}/ready/minutes")
def pace(job_id: int, database: Database, do: Annotated[str, Form()] = "") -> Response:
    """Let the pace that was measured count no more, or count again."""
    if do not in ("forget", "recall"):
        raise InvalidValue("do", "ignore the pace, or use it again")
    workflow.forget_pace(database, do == "forget")
    return RedirectResponse(f"/jobs/{job_id}/ready/minutes", status_code=303)


def _costly(ways: tuple[PartWay, ...], board: Board) -> dict[str, str]:
    """Parts by what they cost: the dearest fifth hard, the cheaper half easy."""
    ranked = sorted(ways, key=lambda one: -one.chosen.expected_min)
    return {
        one.part.ref: "hard"
        if place < len(ranked) / 5
        else "mind"
        if place < len(ranked) / 2
        else "easy"
        for place, one in enumerate(ranked)
    }
