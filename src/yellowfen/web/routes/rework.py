"""Rework and salvage: Survey with its ways off, Lift, Pads, Legs, Refit, and the adapter.

What is refused is answered with its sentence, nothing changed.
"""

from dataclasses import replace
from typing import Annotated, Any
from urllib.parse import quote

from fastapi import APIRouter, Form, Query, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response

from yellowfen.core.board.board import Board, BoardPart
from yellowfen.core.look.picture_work import Moment
from yellowfen.core.metal.alloy import alloy_named
from yellowfen.core.rework.adapter import MOST_PINS, takes
from yellowfen.core.rework.legs import Passport, Proof, coplanar_mm
from yellowfen.core.rework.mending_wire import jumper
from yellowfen.core.rework.pads import Want
from yellowfen.core.rework.refit import part_stencil
from yellowfen.core.rework.removal_steps import BY_HAND
from yellowfen.core.rework.survey import Age, Answers, Coating, Power, Solder
from yellowfen.core.rework.ways_off import Matters, OffWay
from yellowfen.core.run.pads import FOR_SPARES, REMEDIES, PadsRun
from yellowfen.core.work.job import Job, Purpose
from yellowfen.core.work.technique import iron_reaches
from yellowfen.errors import InvalidValue, YellowfenError
from yellowfen.formats.stencil_out import stencil_drawing, stencil_dxf, stencil_gerber, stencil_svg
from yellowfen.store import boards, jobs, pictures, tasks
from yellowfen.store import rework as stored
from yellowfen.store.database import may_write
from yellowfen.store.pictures import PictureRow
from yellowfen.web.database import Database
from yellowfen.web.downloads import saved_as
from yellowfen.web.errors import status_of
from yellowfen.web.pages import fragment, page
from yellowfen.web.paste_page import number
from yellowfen.web.plan_svg import plan_svg
from yellowfen.web.rework_svg import adapter_drawn, beneath_drawn, pads_drawn, way_time
from yellowfen.web.routes.heat import heat_of
from yellowfen.web.working import working_page
from yellowfen.workflows import bench_runs as bench_work
from yellowfen.workflows import refit as refitting
from yellowfen.workflows import rework as workflow
from yellowfen.workflows import tasks as work
from yellowfen.workflows.iron_answers import Question, QuestionKind, ask
from yellowfen.workflows.ledger import board_runs, ledger_now
from yellowfen.workflows.long_work import OFF
from yellowfen.workflows.paste import paste_state
from yellowfen.workflows.ready import ready_state

router = APIRouter()
QUESTIONS = (
    ("matters", "What must survive?", Matters),
    ("solder", "Old solder", Solder),
    ("age", "History of the board", Age),
    ("coating", "Coating or glue", Coating),
    ("power", "Battery, capacitors", Power),
)
WANTS = {
    Want.BARE: "wicked to a thin film: for paste",
    Want.LEVEL: "levelled, with fresh flux: the old solder is used again",
    Want.BUMPS: "a small solder bump on each: for flux and hot air",
}


def _part(board: Board, job: Job, ref: str) -> BoardPart:
    """The part that a page speaks of: the one asked for, else the job's first. Raises InvalidValue
    for one that is not there.
    """
    wanted = ref or next(iter(job.parts), "") or next(iter(job.plan.targets), "")
    part = next((one for one in board.parts if one.ref == wanted), None)
    if part is None:
        raise InvalidValue(
            "off", f"there is no part {wanted[:40]!r} on this board; choose parts for this job"
        )
    return part


def _frame(database: Database, job_id: int, stage: str, ref: str) -> dict[str, Any]:
    """What every page of a rework shows: job, board, the part in hand and the others."""
    job = jobs.get(database, job_id)
    board = boards.get(database, job.board_id)
    part, ledger = _part(board, job, ref), ledger_now(database, job)
    return {
        "room": "jobs",
        "stage": stage,
        "job": job,
        "board": board,
        "part": part,
        "refs": job.parts or (part.ref,),
        "answers": workflow.answers_of(database, job, part.ref),
        "record": ledger.parts[part.ref],
        "moved": ledger.moved(),
        "problem": "",
    }


# survey
@router.get("/jobs/{job_id}/survey")
def survey_page(request: Request, job_id: int, database: Database, of: str = "") -> Response:
    return _survey(request, database, job_id, of)


def _survey(
    request: Request, database: Database, job_id: int, of: str, problem: str = "", status: int = 200
) -> Response:
    frame = _frame(database, job_id, "survey", of)
    job, board, part = frame["job"], frame["board"], frame["part"]
    seen = workflow.survey_of(database, job, part.ref)
    beneath = frozenset(one.ref for one in seen.in_the_way if one.beneath)
    near = {one.ref: "in-the-way" for one in seen.in_the_way if not one.beneath}
    context = frame | {
        "plan": plan_svg(
            board,
            part.side,
            near | {part.ref: "comes-off"},
            beneath_drawn(board, part.side, beneath),
        ),
        "seen": seen,
        "questions": [
            (name, said, [str(one) for one in kind], str(getattr(frame["answers"], name)))
            for name, said, kind in QUESTIONS
        ],
        "ways": _ways(database, job, part.ref),
        "lay": _as_it_lay(database, job, part.ref),
        "before": Moment.BEFORE,
        "problem": problem,
    }
    return page(request, "survey.html", context, status=status)


def _as_it_lay(database: Database, job: Job, ref: str) -> PictureRow | None:
    """The newest picture of a part from before the work, None without one."""
    kept = pictures.rows(database, job.board_id, job.id)
    return next(
        (one for one in kept if one.work.ref == ref and one.work.moment is Moment.BEFORE), None
    )


def _ways(database: Database, job: Job, ref: str) -> dict[str, Any]:
    """The ways off as far as they are weighed, for the question as it stands."""
    task = tasks.latest(database, job.id, OFF)
    fresh = task is not None and task.asked == workflow.asked_ways(database, job, ref)
    if task is None or not fresh:
        return {"rows": [], "state": "none", "said": "", "longest_s": 1.0}
    rows = workflow.ways_seen(list(task.steps))
    for one in rows:
        one["taken"] = workflow.is_taken(database, job, ref, one["way"], one.pop("plan"))
    ends = [
        one["all_liquid_s"] + (one["stays_liquid_s"] or 0) for one in rows if one["all_liquid_s"]
    ]
    longest = max(ends, default=1.0)
    for one in rows:
        one["time"] = way_time(one, longest)
    return {"rows": rows, "state": task.state, "said": task.said, "longest_s": longest}


@router.post("/jobs/{job_id}/survey")
def answer(
    request: Request,
    job_id: int,
    database: Database,
    of: Annotated[str, Form()] = "",
    matters: Annotated[str | None, Form()] = None,
    solder: Annotated[str | None, Form()] = None,
    age: Annotated[str | None, Form()] = None,
    coating: Annotated[str | None, Form()] = None,
    power: Annotated[str | None, Form()] = None,
    want: Annotated[str | None, Form()] = None,
    wick_width_mm: Annotated[str | None, Form()] = None,
    wick_takes: Annotated[str | None, Form()] = None,
    removal_parts: Annotated[str | None, Form()] = None,
    part_s: Annotated[str | None, Form()] = None,
    bench: Annotated[str | None, Form()] = None,
    jets: Annotated[str | None, Form()] = None,
    removal_alloy: Annotated[str | None, Form()] = None,
) -> Response:
    """Keep the answers; what is not sent stays as it was."""
    words = {
        "matters": matters,
        "solder": solder,
        "age": age,
        "coating": coating,
        "power": power,
        "want": want,
        "wick_width_mm": wick_width_mm,
        "wick_takes": wick_takes,
        "removal_parts": removal_parts,
        "part_s": part_s,
    }
    sent = {name: value for name, value in words.items() if value is not None}
    job = jobs.get(database, job_id)
    try:
        asked = _answered(workflow.answers_of(database, job), sent)
        if bench is not None:
            asked = replace(asked, jets=jets is not None, removal_alloy=removal_alloy is not None)
        workflow.keep_answers(database, job_id, asked)
        if "want" in sent:
            workflow.keep_want(database, job_id, _of(database, job, of), Want(sent["want"]))
    except YellowfenError as refused:
        shown = _pads if "want" in sent else _survey
        return shown(
            request, database, job_id, of=of, problem=str(refused), status=status_of(refused)
        )
    return RedirectResponse(
        f"/jobs/{job_id}/{'pads' if 'want' in sent else 'survey'}?of={quote(of)}", 303
    )


def _answered(before: Answers, sent: dict[str, str]) -> Answers:
    """Answers with what a form sent. Raises InvalidValue for a word that is not one of the choices."""
    kinds = {name: kind for name, _, kind in QUESTIONS} | {"want": Want}
    changes: dict[str, Any] = {}
    for name, kind in kinds.items():
        if name in sent:
            if sent[name] not in set(kind):
                raise InvalidValue(name, f"{sent[name][:40]!r} is not one of {', '.join(kind)}")
            changes |= {name: kind(sent[name])} if name != "want" else {}
    for name in ("wick_width_mm", "wick_takes", "part_s"):
        if name in sent:
            changes[name] = number(name, sent[name])
    if "removal_parts" in sent:
        changes["removal_parts"] = (
            number("removal_parts", sent["removal_parts"])
            if sent["removal_parts"].strip()
            else None
        )
    return replace(before, **changes)


@router.post("/jobs/{job_id}/survey/weigh")
def weigh(request: Request, job_id: int, database: Database, of: str = "") -> HTMLResponse:
    """Ask for the ways off, and show them as far as they are."""
    job = jobs.get(database, job_id)
    part = _part(boards.get(database, job.board_id), job, of)
    work.ask(database, job_id, OFF, ref=part.ref)
    request.app.state.worker.wake()
    return _ways_fragment(database, job, part.ref)


@router.get("/jobs/{job_id}/survey/ways")
def ways(request: Request, job_id: int, database: Database, of: str = "") -> HTMLResponse:
    """The ways off as far as they are."""
    job = jobs.get(database, job_id)
    request.app.state.worker.wake()
    return _ways_fragment(database, job, _part(boards.get(database, job.board_id), job, of).ref)


def _ways_fragment(database: Database, job: Job, ref: str) -> HTMLResponse:
    context = {
        "job": job,
        "ref": ref,
        "ways": _ways(database, job, ref),
        "answers": workflow.answers_of(database, job),
    }
    return HTMLResponse(fragment("ways_off.html", context))


@router.post("/jobs/{job_id}/survey/take")
def take(
    job_id: int,
    database: Database,
    way: Annotated[str, Form()] = "",
    of: Annotated[str, Form()] = "",
) -> Response:
    """Choose a way off; one by air or plate goes into the lifting heat."""
    if way not in set(OffWay):
        raise InvalidValue(
            "way", f"{way[:40]!r} is not a method of removal; choose {', '.join(OffWay)}"
        )
    job = jobs.get(database, job_id)
    part = _part(boards.get(database, job.board_id), job, of)
    task = tasks.latest(database, job_id, OFF)
    found = (
        workflow.ways_seen(list(task.steps))
        if task and task.asked == workflow.asked_ways(database, job, part.ref)
        else []
    )
    heat = next((one["plan"] for one in found if one["way"] == way), None)
    workflow.take_way(database, job_id, part.ref, way, heat)
    by_hand = way in BY_HAND
    return RedirectResponse(
        f"/jobs/{job_id}/{'lift' if heat or by_hand else 'survey'}?of={quote(part.ref)}", 303
    )


# lift
@router.get("/jobs/{job_id}/lift")
def lift_page(request: Request, job_id: int, database: Database, of: str = "") -> Response:
    """The heat that takes parts off, with when to lift; of a part that comes off by hand its steps."""
    job = jobs.get(database, job_id)
    ref = of or workflow.next_to_remove(database, job)
    if workflow.by_hand(database, job, ref):
        return page(request, "remove.html", _remove_frame(database, job_id, ref))
    return heat_of(request, workflow.at_the_lift(database, job_id, ref), database)


def _remove_frame(database: Database, job_id: int, ref: str) -> dict[str, Any]:
    frame = _frame(database, job_id, "lift", ref)
    part, way = frame["part"], frame["answers"].way
    return frame | {
        "plan": plan_svg(frame["board"], part.side, {part.ref: "comes-off"}),
        "way": way,
        "steps": workflow.removal_of(database, frame["job"], part.ref).steps,
    }


@router.post("/jobs/{job_id}/lift/run")
def removal_run(
    job_id: int,
    database: Database,
    of: Annotated[str, Form()] = "",
    unclocked: Annotated[str, Form()] = "",
) -> Response:
    """Open the bench's run over the steps of a removal by hand, or note it as done."""
    job = jobs.get(database, job_id)
    ref = _of(database, job, of)
    run = bench_work.start_removal(database, job_id, ref, clocked=unclocked != "yes")
    where = f"/jobs/{job_id}/pads?of={quote(ref)}" if unclocked == "yes" else f"/runs/{run}"
    return RedirectResponse(where, 303)


def _of(database: Database, job: Job, ref: str) -> str:
    return _part(boards.get(database, job.board_id), job, ref).ref


# pads
@router.get("/jobs/{job_id}/pads")
def pads_page(
    request: Request,
    job_id: int,
    database: Database,
    of: str = "",
    amps: str = "",
    length: str = "",
) -> Response:
    return _pads(request, database, job_id, of, amps=amps, length=length)


def _pads(
    request: Request,
    database: Database,
    job_id: int,
    of: str,
    *,
    amps: str = "",
    length: str = "",
    problem: str = "",
    status: int = 200,
) -> Response:
    frame = _frame(database, job_id, "pads", of)
    job, board, part = frame["job"], frame["board"], frame["part"]
    if not workflow.pads_known(database, job, part.ref):
        if problem:
            return _survey(request, database, job_id, of=of, problem=problem, status=status)
        task = ask(database, job_id, Question(what=QuestionKind.PADS, ref=part.ref))
        words = f"Working out how soon {part.ref}'s pads melt under the iron"
        return working_page(request, frame, task, words)
    plan = workflow.pads_of(database, job, part.ref)
    mine = [
        one
        for one in board_runs(database, job, job.piece)
        if isinstance(one.plan, PadsRun) and one.plan.ref == part.ref
    ]
    run = mine[-1] if mine else None
    torn = None
    try:
        torn = jumper(number("amps", amps), number("length", length)) if amps and length else None
    except YellowfenError as refused:
        problem, status = str(refused), status_of(refused)
    asked_for = refitting.wants_for(database, job, part.ref)
    chosen = workflow.answers_of(database, job, part.ref).want
    context = frame | {
        "pads": plan,
        "picture": pads_drawn(part.package, plan),
        "plan": plan_svg(board, part.side, {part.ref: "comes-off"}),
        "wants": [
            (str(want), said) for want, said in WANTS.items() if want in asked_for or want is chosen
        ],
        "run": run,
        "jumper": torn,
        "remedies": REMEDIES,
        "for_spares": FOR_SPARES,
        "amps": amps,
        "length": length,
        "problem": problem,
    }
    return page(request, "pads.html", context, status=status)


@router.post("/jobs/{job_id}/pads/run")
def pads_run(job_id: int, database: Database, of: Annotated[str, Form()] = "") -> Response:
    """Open the bench's run over the pads."""
    job = jobs.get(database, job_id)
    part = _part(boards.get(database, job.board_id), job, of)
    return RedirectResponse(f"/runs/{workflow.start_pads(database, job_id, part.ref)}", 303)


# legs
@router.get("/jobs/{job_id}/legs")
def legs_page(request: Request, job_id: int, database: Database) -> Response:
    return _legs(request, database, job_id)


def _legs(
    request: Request, database: Database, job_id: int, problem: str = "", status: int = 200
) -> Response:
    if may_write(database):
        workflow.write_passports(database, job_id)
    frame = _frame(database, job_id, "legs", "")
    found = workflow.salvaged(database, job_id)
    others = [
        one
        for one in jobs.rows(database)
        if one.purpose is not Purpose.SALVAGE and one.id != job_id
    ]
    context = frame | {
        "refs": (),
        "parts": found,
        "tested": [str(one) for one in Proof],
        "flat": {part.ref: coplanar_mm(part.package) for part in frame["board"].parts},
        "others": others[:30],
        "removed": [],
        "problem": problem,
    }
    return page(request, "legs.html", context, status=status)


@router.post("/jobs/{job_id}/legs")
def write_leg(
    request: Request, job_id: int, database: Database, ref: Annotated[str, Form()] = ""
) -> Response:
    """Put a part into the bag that came off without the bench's run."""
    try:
        workflow.write_passport(database, job_id, ref.strip())
    except YellowfenError as refused:
        return _legs(request, database, job_id, str(refused), status_of(refused))
    return RedirectResponse(f"/jobs/{job_id}/legs", 303)


@router.post("/jobs/{job_id}/legs/{passport_id}")
def keep_leg(
    request: Request,
    job_id: int,
    passport_id: int,
    database: Database,
    bag: Annotated[str, Form()] = "",
    note: Annotated[str, Form()] = "",
    lift_mm: Annotated[str, Form()] = "",
    open_h: Annotated[str, Form()] = "",
    tested: Annotated[str, Form()] = "not yet",
    cleaned: Annotated[str, Form()] = "",
    straight: Annotated[str, Form()] = "",
    do: Annotated[str, Form()] = "keep",
) -> Response:
    """Keep what is known now of a part; or note it as used, or put its passport away."""
    try:
        workflow.check_passport(database, job_id, passport_id)
        if do == "used":
            stored.set_used(database, passport_id, True)
        elif do == "free":
            stored.set_used(database, passport_id, False)
        elif do == "remove":
            stored.remove_passport(database, passport_id)
        else:
            before = stored.get_passport(database, passport_id).passport
            stored.keep_passport(
                database,
                passport_id,
                _passport(
                    before,
                    bag=bag,
                    note=note,
                    lift_mm=lift_mm,
                    open_h=open_h,
                    tested=tested,
                    cleaned=cleaned,
                    straight=straight,
                ),
            )
    except YellowfenError as refused:
        return _legs(request, database, job_id, str(refused), status_of(refused))
    return RedirectResponse(f"/jobs/{job_id}/legs", 303)


def _passport(
    before: Passport,
    *,
    bag: str,
    note: str,
    lift_mm: str,
    open_h: str,
    tested: str,
    cleaned: str,
    straight: str,
) -> Passport:
    if tested not in set(Proof):
        raise InvalidValue("tested", f"{tested[:20]!r} is not one of {', '.join(Proof)}")
    return replace(
        before,
        bag=bag.strip(),
        note=note.strip(),
        lift_mm=number("lift_mm", lift_mm) if lift_mm.strip() else None,
        open_h=number("open_h", open_h) if open_h.strip() else None,
        tested=Proof(tested),
        cleaned=cleaned == "yes",
        straight=straight == "yes",
    )


@router.get("/jobs/{job_id}/legs/transfer")
def transfer(request: Request, job_id: int, database: Database, to: int = 0) -> Response:
    """What to take off this donor for another job's board, in which order, what is missing."""
    frame = _frame(database, job_id, "legs", "")
    rows, missing = refitting.transfer_to(database, frame["job"], to)
    context = frame | {"rows": rows, "missing": missing, "other": jobs.get(database, to)}
    return page(request, "transfer.html", context)


# refit
@router.get("/jobs/{job_id}/refit")
def refit_page(request: Request, job_id: int, database: Database, of: str = "") -> Response:
    frame = _frame(database, job_id, "refit", of)
    job, board, part = frame["job"], frame["board"], frame["part"]
    context = frame | {
        "plan": plan_svg(board, part.side, {part.ref: "comes-off"}),
        "ways": refitting.refit_ways(database, job, part.ref),
        "float": refitting.floating_of(database, job, part.ref),
        "tries": workflow.attempts(database, job, part.ref),
        "on": next((heat for heat in job.heats if not heat.plan.lifts), None),
        "pins": [land.pin for land in part.package.lands],
        "by_iron": iron_reaches(ready_state(database, job_id).way(part.ref)),
        "adapts": takes(part.package),
        "most_pins": MOST_PINS,
        "bagged": [
            (one, workflow.mixes(database, job_id, one))
            for one in workflow.salvaged(database)
            if one.kept.passport.package == part.package.name and not one.kept.used
        ],
        "salvage": job.purpose is Purpose.SALVAGE,
        "lay": _as_it_lay(database, job, part.ref),
        "before": Moment.BEFORE,
        "foil_mm": paste_state(database, job_id).foil_mm,
    }
    return page(request, "refit.html", context)


@router.post("/jobs/{job_id}/refit/heat")
def refit_heat(job_id: int, database: Database) -> Response:
    """Take the heat that puts parts on in hand, making it where there is none."""
    refitting.take_refit_heat(database, job_id)
    return RedirectResponse(f"/jobs/{job_id}/heat", 303)


@router.get("/jobs/{job_id}/refit/stencil.{kind}")
def refit_stencil(
    job_id: int,
    kind: str,
    database: Database,
    of: str = "",
    keep_out: Annotated[str, Query(max_length=400)] = "",
    shrink: str = "0",
) -> Response:
    """A stencil for this one part: Gerber (a zip), DXF or SVG."""
    job = jobs.get(database, job_id)
    whole = boards.get(database, job.board_id)
    part = _part(whole, job, of)
    out = tuple(one for one in keep_out.replace(",", " ").split() if one)
    known = {land.pin for land in part.package.lands}
    wrong = [pin for pin in out if pin not in known]
    if wrong:
        raise InvalidValue("keep_out", f"{part.ref} has no pin {wrong[0]!r}")
    board = part_stencil(whole, part.ref, out, number("shrink", shrink))
    drawing = stencil_drawing(board, part.side, f"{board.name} {part.ref}", 12.0)
    if kind == "zip":
        media, data = "application/zip", stencil_gerber(board, part.side, drawing)
    elif kind == "dxf":
        media, data = "image/vnd.dxf", stencil_dxf(drawing)
    elif kind == "svg":
        media, data = "image/svg+xml", stencil_svg(drawing).encode()
    else:
        raise InvalidValue(
            "kind", f"there is no stencil file of kind {kind[:10]!r}; take zip, dxf or svg"
        )
    name = f"stencil-{job.id}-{part.ref}.{kind}"
    return Response(data, media_type=media, headers=saved_as(name))


# adapter
@router.get("/jobs/{job_id}/adapter")
def adapter_page(request: Request, job_id: int, database: Database, of: str = "") -> Response:
    frame = _frame(database, job_id, "refit", of)
    part = frame["part"]
    try:
        made = refitting.adapter_of(part, alloy_named("Sn63Pb37"))
    except YellowfenError as refused:
        return page(
            request,
            "adapter.html",
            frame | {"made": None, "picture": "", "rows": [], "problem": str(refused)},
            status=status_of(refused),
        )
    left = [one for one in made.pins if one.row == 1]
    right = {one.place: one for one in made.pins if one.row == 2}
    context = frame | {
        "made": made,
        "picture": adapter_drawn(part.package, made),
        "rows": [(one, right.get(one.place)) for one in left],
    }
    return page(request, "adapter.html", context)


@router.post("/jobs/{job_id}/adapter/run")
def adapter_run(
    job_id: int,
    database: Database,
    of: Annotated[str, Form()] = "",
    do: Annotated[str, Form()] = "headers",
) -> Response:
    """Open the bench's run over the headers, or over the meter's list."""
    job = jobs.get(database, job_id)
    part = _part(boards.get(database, job.board_id), job, of)
    run = (
        refitting.start_headers(database, job_id, part)
        if do == "headers"
        else refitting.start_check(database, job_id, part)
    )
    return RedirectResponse(f"/runs/{run}", 303)
