"""First power and function steps, the washing before them, and the sheet to test by on paper."""

from typing import Annotated, Any

from fastapi import APIRouter, Form, Request
from fastapi.responses import RedirectResponse, Response

from yellowfen.core.look.cleaning import MUST_NOT_MEET, Activity, CleaningPlan, Flux, minutes_said
from yellowfen.core.look.proof import CHIP_MA, READY_MADE
from yellowfen.core.quantity.number import typed_number
from yellowfen.errors import YellowfenError
from yellowfen.store import jobs
from yellowfen.web.database import Database
from yellowfen.web.errors import status_of
from yellowfen.web.pages import page
from yellowfen.web.plan_svg import plan_svg
from yellowfen.workflows import proof as work
from yellowfen.workflows import washing
from yellowfen.workflows.look import metered

router = APIRouter()
Text = Annotated[str, Form(max_length=200)]


@router.get("/jobs/{job_id}/function")
def function_page(request: Request, job_id: int, database: Database) -> Response:
    """First power, and what the board does when it works."""
    return page(request, "function.html", _function(database, job_id))


def _function(
    database: Database, job_id: int, problem: str = "", typed: dict[str, str] | None = None
) -> dict[str, Any]:
    found = work.proof_state(database, job_id)
    accused = {joint.rsplit(".", 1)[0] for joint in found.accused}
    sides = {part.ref: part.side for part in found.board.parts}
    side = next((sides[ref] for ref in sorted(accused) if ref in sides), "top")
    volts = {one.supply: one.volts for one in found.power}
    supplies = ", ".join(
        net if volts.get(net) is None else f"{net} = {volts[net]:g}" for net in found.supplies
    )
    return {
        "room": "jobs",
        "stage": "look",
        "leaf": "function",
        "job": jobs.get(database, job_id),
        "board": found.board,
        "found": found,
        "ready_made": READY_MADE,
        "chip_ma": CHIP_MA,
        "problem": problem,
        "typed": {
            "ground": found.ground,
            "supplies": supplies,
            "nets": found.proof.nets,
            "name": "",
            "expect": "",
            "joints": "",
        }
        | (typed or {}),
        "plan": plan_svg(found.board, side, dict.fromkeys(accused, "comes-off")),
    }


def _or_again(
    request: Request,
    database: Database,
    job_id: int,
    problem: YellowfenError,
    typed: dict[str, str],
) -> Response:
    context = _function(database, job_id, str(problem), typed)
    return page(request, "function.html", context, status=status_of(problem))


@router.post("/jobs/{job_id}/function/steps")
def add_step(
    request: Request,
    job_id: int,
    database: Database,
    name: Text = "",
    expect: Text = "",
    joints: Annotated[str, Form(max_length=2000)] = "",
) -> Response:
    """Add a step, or say it anew."""
    jobs.get(database, job_id)
    try:
        work.add_step(database, job_id, name=name, expect=expect, joints=joints)
    except YellowfenError as problem:
        typed = {"name": name, "expect": expect, "joints": joints}
        return _or_again(request, database, job_id, problem, typed)
    return RedirectResponse(f"/jobs/{job_id}/function", status_code=303)


@router.post("/jobs/{job_id}/function/steps/remove")
def remove_step(job_id: int, database: Database, name: Text) -> Response:
    """Leave a step out."""
    work.remove_step(database, job_id, name)
    return RedirectResponse(f"/jobs/{job_id}/function", status_code=303)


@router.post("/jobs/{job_id}/function/supplies")
def say_supplies(
    request: Request,
    job_id: int,
    database: Database,
    ground: Annotated[str, Form(max_length=60)] = "",
    supplies: Annotated[str, Form(max_length=1000)] = "",
    nets: Annotated[str, Form(max_length=20000)] = "",
) -> Response:
    """Ground, supplies and nets as they are."""
    jobs.get(database, job_id)
    try:
        work.say_supplies(
            database, job_id, ground=ground.strip(), supplies=supplies, nets=nets.strip()
        )
    except YellowfenError as problem:
        typed = {"ground": ground, "supplies": supplies, "nets": nets}
        return _or_again(request, database, job_id, problem, typed)
    return RedirectResponse(f"/jobs/{job_id}/function", status_code=303)


@router.post("/jobs/{job_id}/function")
def function_run(job_id: int, database: Database) -> Response:
    """Open the bench's run over power and function."""
    return RedirectResponse(f"/runs/{work.start_function(database, job_id)}", 303)


@router.get("/jobs/{job_id}/test/sheet")
def test_sheet(request: Request, job_id: int, database: Database) -> Response:
    """The whole test on paper."""
    job = jobs.get(database, job_id)
    context = {
        "room": "jobs",
        "job": job,
        "found": metered(database, job_id),
        "proof": work.proof_state(database, job_id),
    }
    return page(request, "test_sheet.html", context)


# washing
@router.get("/jobs/{job_id}/clean")
def clean_page(request: Request, job_id: int, database: Database) -> Response:
    """What is washed, with what, where not, how long it dries."""
    return page(request, "clean.html", _clean(database, job_id))


def _clean(database: Database, job_id: int, problem: str = "") -> dict[str, Any]:
    found = washing.cleaning_state(database, job_id)
    grades = dict.fromkeys((one.ref for one in found.hiding), "mind")
    grades |= dict.fromkeys((one.ref for one in found.spared), "hard")
    refs = [*(one.ref for one in found.spared), *(one.ref for one in found.hiding)]
    sides = {part.ref: part.side for part in found.board.parts}
    return {
        "room": "jobs",
        "stage": "look",
        "leaf": "clean",
        "job": jobs.get(database, job_id),
        "board": found.board,
        "found": found,
        "dries": minutes_said(found.dry_min),
        "fluxes": [str(one) for one in Flux],
        "activities": [str(one) for one in Activity],
        "must_not_meet": MUST_NOT_MEET,
        "problem": problem,
        "plan": plan_svg(found.board, sides[refs[0]] if refs else "top", grades),
    }


@router.post("/jobs/{job_id}/clean/with")
def say_fluxes(
    request: Request,
    job_id: int,
    database: Database,
    paste: Annotated[str, Form(max_length=40)] = "",
    wire: Annotated[str, Form(max_length=40)] = "",
    gel: Annotated[str, Form(max_length=40)] = "",
    activity: Annotated[Activity, Form()] = Activity.LOW,
    halide: Annotated[str, Form(max_length=5)] = "",
    coated: Annotated[str, Form(max_length=5)] = "",
    dry_c: Annotated[str, Form(max_length=40)] = "22",
    moving_air: Annotated[str, Form(max_length=5)] = "",
) -> Response:
    """The fluxes used and how it dries."""
    jobs.get(database, job_id)
    kinds = {str(one): one for one in Flux}
    try:
        plan = CleaningPlan(
            paste=kinds.get(paste),
            wire=kinds.get(wire),
            gel=kinds.get(gel),
            activity=activity,
            halide=halide == "yes",
            coated=coated == "yes",
            dry_c=typed_number("dry_c", dry_c),
            moving_air=moving_air == "yes",
        )
    except YellowfenError as problem:
        context = _clean(database, job_id, str(problem))
        return page(request, "clean.html", context, status=status_of(problem))
    washing.say_fluxes(database, job_id, plan)
    return RedirectResponse(f"/jobs/{job_id}/clean", status_code=303)


@router.post("/jobs/{job_id}/clean")
def clean_run(job_id: int, database: Database) -> Response:
    """Open the bench's run over the washing."""
    return RedirectResponse(f"/runs/{washing.start_cleaning(database, job_id)}", 303)
