"""The Heat stage: settings and recipe, the rehearsal, its lines, frames and bench card."""

import base64
from collections.abc import Mapping
from dataclasses import asdict, replace
from typing import Any

import numpy as np
from fastapi import APIRouter, Request
from fastapi.responses import JSONResponse, RedirectResponse, Response

from yellowfen.core.bench.station import ToolKind
from yellowfen.core.heat.follow import stops_of
from yellowfen.core.heat.heat_plan import SourceKind, usual_moves
from yellowfen.core.heat.iron import LONGEST_S
from yellowfen.core.heat.moments import moment_bands
from yellowfen.core.heat.outcome import Fate, heating_moves
from yellowfen.core.heat.profile import profile_of
from yellowfen.core.heat.rehearsal import Rehearsal
from yellowfen.core.heat.scene import Move, Scene, Side, Underside
from yellowfen.core.heat.source import Handle, HotAir, Iron, TipShape, usual_tip_heat_j_k
from yellowfen.core.heat.story import (
    FLUX_THINS_C,
    MOST_MELTS,
    RAMP_AIR_K_S,
    RAMP_K_S,
    Event,
    all_molten_s,
    frozen_s,
    hottest_neighbours,
    rises_fast,
    tell,
    together,
)
from yellowfen.core.heat.sureness import StayBand
from yellowfen.core.heat.tour import leave_off, watched
from yellowfen.core.metal.alloy import ALLOYS
from yellowfen.core.quantity.described import measures_of
from yellowfen.core.quantity.units import SECONDS, with_unit
from yellowfen.core.rework.lift import support_mm
from yellowfen.core.run.heat import HEAT
from yellowfen.core.run.pad_heats import by_part
from yellowfen.core.work.board_scene import said_of_holes
from yellowfen.core.work.job import Job, Purpose
from yellowfen.formats.rework_file import along_json, lift_json
from yellowfen.store import bench_runs, boards, jobs, stations, tools
from yellowfen.web.database import Database
from yellowfen.web.heat_forms import PlanSent, plan_settings
from yellowfen.web.pages import page
from yellowfen.web.plan_svg import plan_svg
from yellowfen.web.waiting import WaitedFor
from yellowfen.web.working import told
from yellowfen.workflows.bench_runs import start_heat, taught_says
from yellowfen.workflows.calibration import carried
from yellowfen.workflows.heat import (
    AS_DRAWN,
    MOST_FLOWS,
    Changed,
    Rehearsed,
    begin_full,
    check_touch,
    keep_heat_plan,
    rehearse_job,
    sureness_of,
    usual_plan,
)
from yellowfen.workflows.iron_answers import Question, QuestionKind, ask
from yellowfen.workflows.jobs import at_next_heat, beside_ways
from yellowfen.workflows.ledger import board_runs, ledger_now
from yellowfen.workflows.paste import paste_of_job
from yellowfen.workflows.ready import ready_state
from yellowfen.workflows.rework import harvest_in, lift_of

router = APIRouter()
MOST_POINTS = 240
MOST_FRAMES = 60
FRAME_LOW_C, FRAME_STEP_C = 10.0, 1.5


@router.get("/jobs/{job_id}/heat")
def heat_page(request: Request, job_id: int, database: Database, heat: int = 0) -> Response:
    """The heat that comes next, or the one that was asked for."""
    job = jobs.get(database, job_id) if heat else at_next_heat(database, job_id)
    return heat_of(request, job, database)


def heat_of(request: Request, job: Job, database: Database) -> Response:
    """The page of the heat that a job has in hand."""
    job_id = job.id
    board, ledger = boards.get(database, job.board_id), ledger_now(database, job)
    ran = [
        run
        for run in reversed(board_runs(database, job, job.piece))
        if run.job_id == job_id and run.kind is HEAT
    ]
    return page(
        request,
        "heat.html",
        {
            "room": "jobs",
            "stage": _stage(job),
            "job": job,
            "board": board,
            "plan": plan_svg(board, job.plan.side),
            "alloys": list(ALLOYS.values()),
            "paste_metal": None if job.plan.lifts else ALLOYS[paste_of_job(database, job_id).alloy],
            "stations": stations.rows(database),
            "undersides": [str(one) for one in Underside],
            "settings": plan_settings(job.plan),
            "nozzle": measures_of(HotAir, "nozzle"),
            "irons": _irons(database),
            "wants_tour": _untouched(database, job) and len(job.plan.targets) > MOST_FLOWS,
            "untouched": _untouched(database, job),
            "most_flows": MOST_FLOWS,
            "longest_touch_s": LONGEST_S,
            "in_holes": {part.ref: said for part in board.parts if (said := said_of_holes(part))},
            "tools": _tools(database),
            "station_facts": {s.id: _station_facts(s) for s in stations.rows(database)},
            "run": next((run for run in ran if run.heat_id == job.heat.id), None),
            "earlier": max((one.known for one in ledger.pads.values()), default=0),
            "beside_ways": beside_ways(database, job),
            "run_heats": {run.heat_id for run in ran if run.state.over},
            "moved": ledger.moved(),
            "notes": bench_runs.notes_on(database, job.board_id)[:2],
        },
    )


def _stage(job: Job) -> str:
    """The stage that the heat in hand belongs to."""
    if job.purpose is Purpose.BUILD:
        return "heat"
    return "lift" if job.plan.lifts else "refit"


def _untouched(database: Database, job: Job) -> bool:
    """True for a heat by air with the recipe that everything starts with, in a job not heated yet."""
    plan = job.plan
    return (
        plan.source is SourceKind.AIR
        and plan.moves == usual_moves(plan.targets)
        and all(
            run.heat_id != job.heat.id for run in bench_runs.rows(database, HEAT, job_id=job.id)
        )
    )


@router.get("/api/jobs/{job_id}/side/{side}")
def whole_side(job_id: int, side: Side, database: Database) -> dict[str, list[str]]:
    """The parts of a face that a heat of all of it is for: of a build not what the iron puts on
    afterwards.
    """
    job = jobs.get(database, job_id)
    build = job.purpose is Purpose.BUILD
    later = ready_state(database, job_id).by_iron if build else frozenset()
    parts = boards.get(database, job.board_id).parts
    mine = [one for one in parts if one.side == str(side) and one.ref not in later]
    return {"refs": [one.ref for one in mine if one.joined or one.note != "unknown"]}


def _tools(database: Database) -> dict[str, list[dict[str, Any]]]:
    """The bench's other heat sources by kind, as the page takes them over."""
    found: dict[str, list[dict[str, Any]]] = {str(kind): [] for kind in ToolKind}
    for tool in tools.rows(database):
        found[str(tool.kind)].append(
            {"id": tool.id, "name": tool.name, "content": asdict(tool.content)}
        )
    return found


def _irons(database: Database) -> list[dict[str, Any]]:
    return _tools(database)["iron"] or [
        {"id": 0, "name": "1.6 mm chisel", "content": asdict(Iron(tip_mm=1.6, set_c=340.0))}
    ]


def _station_facts(station: Any) -> dict[str, Any]:
    return {
        "air": asdict(station.air),
        "outlet_label": station.outlet_label,
        "air_share": station.air_share,
        "most_lpm": station.most_lpm,
        "most_known": station.air_max_lpm is not None,
        "flow_label": station.flow_label,
        "outlet_offset_c": station.outlet_offset_c,
        "name": station.name,
        "guessed": " and ".join(
            word
            for word, unknown in (
                ("outlet", station.outlet_unknown),
                ("air", station.air_unknown),
            )
            if unknown
        ),
    }


@router.post("/api/jobs/{job_id}/rehearse")
def rehearse(job_id: int, plan: PlanSent, database: Database, quick: bool = False) -> JSONResponse:
    """Keep the plan and rehearse it; `quick` answers from the coarse grid first."""
    job = keep_heat_plan(database, job_id, plan)
    if not job.plan.targets:
        return JSONResponse({"empty": True, "nozzle": job.plan.air.nozzle_words})
    if quick:
        begin_full(database, job)
    done = rehearse_job(database, job, quick)
    earlier = by_part(ledger_now(database, job).pads)
    return JSONResponse(_answer(job, done, earlier))


def _answer(job: Job, done: Rehearsed, earlier: Mapping[str, int]) -> dict[str, Any]:
    scene, rehearsal = done.scene, done.rehearsal
    stride = max(1, len(rehearsal.times_s) // MOST_POINTS)
    events = tell(scene, rehearsal)
    shown = [*scene.targets, *hottest_neighbours(scene, rehearsal)]
    return {
        "empty": False,
        "quick": done.quick,
        "wall_s": round(done.wall_s, 3),
        "times_s": np.round(rehearsal.times_s[::stride], 2).tolist(),
        "lines": [_line(scene, rehearsal, ref, stride) for ref in shown],
        "events": [_event(event) for event in events],
        "told": [_event(event) | {"last": event.last} for event in together(events)],
        "stops": _stops(scene, rehearsal, job),
        "leave_off": [{"ref": one.ref, "why": one.why} for one in leave_off(scene, rehearsal)],
        "parts": {part.ref: _fate(scene, rehearsal, part.ref) for part in scene.parts},
        "liquidus_c": ALLOYS[job.plan.alloy].liquidus_c,
        "flux_thins_c": FLUX_THINS_C,
        "moves": [_move(scene, move, job.plan.side) for move in scene.moves],
        "total_s": rehearsal.model.simulated_s,
        "warnings": list(rehearsal.warnings),
        "board_peak_c": round(rehearsal.board_peak_c),
        "energy": {
            "in_j": round(rehearsal.energy.put_in_j),
            "residual_j": round(rehearsal.energy.residual_j, 3),
        },
        "profile": _profile(job, scene, rehearsal),
        "spent": _spent(scene, rehearsal, earlier),
        "plate_c": None
        if rehearsal.plate_c is None
        else np.round(rehearsal.plate_c[::stride], 1).tolist(),
        "calibrated": done.taught,
        "nozzle": job.plan.air.nozzle_words,
        "nozzle_mm": job.plan.air.narrow_mm,
        "frames": _frames(rehearsal, job.plan.side),
        "cell_mm": round(rehearsal.model.cell_mm, 2),
        "pads_as_drawn": rehearsal.model.pads_as_drawn,
        "jet_factor": rehearsal.model.jet_factor,
    }


def _event(event: Event) -> dict[str, Any]:
    return {
        "at_s": round(event.at_s, 1),
        "kind": str(event.kind),
        "ref": event.ref,
        "sentence": event.sentence,
    }


def _stops(scene: Scene, rehearsal: Rehearsal, job: Job) -> list[dict[str, Any]]:
    """The stops of a tour with their places, mm as the plan is drawn; none of another heat."""
    if not job.plan.tour:
        return []
    found, began = [], 0.0
    for move in heating_moves(scene):
        if move in stops_of(scene.moves):
            refs = tuple(dict.fromkeys((*move.over, *move.awaits)))
            melts = [all_molten_s(rehearsal.joints_of(ref)) for ref in refs]
            cold = [ref for ref, at in zip(refs, melts, strict=True) if at is None]
            found.append(
                _move(scene, move, job.plan.side)
                | {
                    "over": list(move.over),
                    "refs": list(refs),
                    "began_s": began,
                    "cold": cold,
                    "watch": watched(scene, rehearsal, move, refs),
                }
            )
        began += move.seconds
    return found


def _profile(job: Job, scene: Scene, rehearsal: Rehearsal) -> dict[str, Any] | None:
    """Criteria of a plate's or oven's heat; hot air is judged by its events alone."""
    if job.plan.source is SourceKind.AIR:
        return None
    profile = profile_of(scene, rehearsal)
    rows = [
        {
            "name": c.name,
            "value": round(c.value, 1),
            "low": c.low,
            "high": c.high,
            "unit": c.unit,
            "source": c.source,
            "used": round(c.used, 3),
            "inside": c.inside,
        }
        for c in profile.criteria
    ]
    return {"index": round(profile.index_percent), "worst": profile.worst.name, "criteria": rows}


def _spent(scene: Scene, rehearsal: Rehearsal, earlier: Mapping[str, int]) -> dict[str, Any]:
    """What this heat takes out of the targets: steep rises that matter, and which heat it is.

    A heat is a run, however often the nozzle passes; within it only what froze and melted again
    counts as more.
    """
    melts = {
        ref: max((joint.melts for joint in rehearsal.joints_of(ref)), default=0)
        for ref in scene.targets
    }
    return {
        "ramps": [
            {"ref": ref, "ramp": round(ramp, 1), "why": why}
            for ref, ramp, why in rises_fast(scene, rehearsal)
        ],
        "ramp_practice": RAMP_AIR_K_S,
        "ramp_oven": RAMP_K_S,
        "heats": [
            {"ref": ref, "number": earlier.get(ref, 0) + 1}
            for ref, count in melts.items()
            if count and earlier.get(ref, 0) + 1 > MOST_MELTS
        ],
        "heats_limit": MOST_MELTS,
        "again": [{"ref": ref, "times": count} for ref, count in melts.items() if count > 1],
    }


def _move(scene: Scene, move: Move, side: str) -> dict[str, Any]:
    """A move in the board's own millimetres, as the plan is drawn."""
    x, y = scene.centre(move)
    over = side == "bottom"
    x = scene.board.width_mm - x if over else x
    return {
        "deed": str(move.deed),
        "seconds": move.seconds,
        "height_mm": move.height_mm,
        "circle_mm": move.circle_mm,
        "circle_s": move.circle_s,
        "path": str(move.path),
        "along_deg": 180.0 - move.along_deg if over else move.along_deg,
        "blows": move.blows,
        "x_mm": x,
        "y_mm": y,
    }


def _line(scene: Scene, rehearsal: Rehearsal, ref: str, stride: int) -> dict[str, Any]:
    columns = [i for i, joint in enumerate(rehearsal.joints) if joint.ref == ref]
    joints = rehearsal.joint_c[::stride, columns]
    part = rehearsal.part(ref)
    index = [p.ref for p in rehearsal.parts].index(ref)
    return {
        "ref": ref,
        "target": ref in scene.targets,
        "limit_c": part.limit_c,
        "limit_why": part.limit_why,
        "coldest": np.round(joints.min(axis=1), 1).tolist(),
        "hottest": np.round(joints.max(axis=1), 1).tolist(),
        "body": np.round(rehearsal.body_c[::stride, index], 1).tolist(),
    }


def _fate(scene: Scene, rehearsal: Rehearsal, ref: str) -> dict[str, Any]:
    joints, part = rehearsal.joints_of(ref), rehearsal.part(ref)
    started = [j.melt_start_s for j in joints if j.melt_start_s is not None]
    return {
        "target": ref in scene.targets,
        "first_s": min(started) if started else None,
        "molten_s": all_molten_s(joints),
        "frozen_s": frozen_s(joints),
        "body_peak_c": round(part.body_peak_c),
        "limit_c": part.limit_c,
        "limit_passed_s": part.limit_passed_s,
        "pins": {
            j.pin: [j.melt_start_s, j.melt_end_s, j.freeze_s, round(j.peak_c)]
            for j in joints
            if j.melt_start_s is not None
        },
    }


def _frames(rehearsal: Rehearsal, side: str) -> dict[str, Any]:
    """Pictures of the heated face as bytes, in the board's own millimetres: value = FRAME_LOW_C +
    FRAME_STEP_C·byte; rows from the lower edge up.
    """
    frames = rehearsal.frames_c
    stride = max(1, round(len(frames) / MOST_FRAMES))
    frames = _edges_filled(frames[::stride], rehearsal)
    frames = frames[:, :, ::-1] if side == "bottom" else frames
    coded = np.clip((frames - FRAME_LOW_C) / FRAME_STEP_C, 0, 255).astype(np.uint8)
    return {
        "nx": rehearsal.model.nx,
        "ny": rehearsal.model.ny,
        "every_s": rehearsal.frame_s * stride,
        "low_c": FRAME_LOW_C,
        "step_c": FRAME_STEP_C,
        "bytes": base64.b64encode(coded.tobytes()).decode(),
    }


def _edges_filled(frames: Any, rehearsal: Rehearsal) -> Any:
    """Frames with the cells outside a rounded outline given their nearest neighbour's value, for
    drawing only.
    """
    cold = (frames[-1] == frames[0]) if len(frames) else None
    if cold is None or not cold.any() or cold.all():
        return frames
    inside = np.argwhere(~cold)
    filled = frames.copy()
    for y, x in np.argwhere(cold):
        near = inside[np.argmin(((inside - (y, x)) ** 2).sum(axis=1))]
        filled[:, y, x] = frames[:, near[0], near[1]]
    return filled


@router.post("/api/jobs/{job_id}/usual")
def usual(job_id: int, plan: PlanSent, database: Database) -> dict[str, Any]:
    """A recipe to start from for the plan as sent: moves, plate or oven settings, what to know of
    it. Keeps nothing.
    """
    found = usual_plan(database, jobs.get(database, job_id), plan)
    settings = plan_settings(found.plan)
    return {
        "moves": settings["moves"],
        "plate": settings["plate"],
        "oven": settings["oven"],
        "says": found.says,
    }


@router.get("/api/jobs/{job_id}/sureness")
def sureness(
    job_id: int, database: Database, waited_for: WaitedFor, more: bool = False
) -> dict[str, Any]:
    """How sure: bands of the last melt, the cautious stop with its reason, the odds, and which
    unknown is to blame; `more` samples take longer, and are given up when the page is left.
    """
    job = jobs.get(database, job_id)
    try:
        sure = sureness_of(database, job, more, waited_for)
    except Changed:
        return {"changed": True}
    lift, done = lift_of(database, job), rehearse_job(database, job)
    moments = moment_bands(sure, done.scene, done.rehearsal)
    board = boards.get(database, job.board_id)
    return {
        "taught": taught_says(database, job),
        "lift": None if lift is None else lift_json(lift),
        "along": [] if lift is None else along_json(lift),
        "harvest": _harvest(database, job_id),
        "support_mm": round(support_mm(board.thickness_mm)),
        "moments": {
            ref: {str(kind): [band.low, band.high] for kind, band in moments.each[ref].items()}
            | {"body": [body.low, body.high]}
            for ref, body in zip(sure.targets, sure.bodies, strict=True)
        },
        "lasts": {str(kind): [band.low, band.high] for kind, band in moments.last.items()},
        "stop": _stop(sure.harm.low, sure.harm_why)
        if lift is None
        else _stop(lift.leave_s, lift.leave_why),
        "middle": _stop(sure.harm.middle, sure.harm_why) if lift is None else None,
        "odds": [{"fate": str(fate), "count": sure.fates.get(str(fate), 0)} for fate in Fate],
        "count": sure.count,
        "stays": [_stay(stay) for stay in sure.stays],
        "total_s": [sure.total.low, sure.total.high],
        "loose": [sure.loose.low, sure.loose.high],
        "peak_c": [sure.peak_c.low, sure.peak_c.middle, sure.peak_c.high],
        "blame": [
            {"name": one.unknown.name, "test": one.unknown.test, "share": round(one.share, 2)}
            for one in sure.blame
        ],
    }


def _stay(stay: StayBand) -> dict[str, Any]:
    """A stop of a tour: how long it takes, and until when at the latest."""
    return {
        "early_s": stay.took.low,
        "late_s": stay.took.high,
        "latest_s": stay.latest_s,
        "latest_why": stay.latest_why,
    }


def _harvest(database: Database, job_id: int) -> str:
    """What comes off in one heating of a plate, in words; "" for another heat."""
    found = harvest_in(database, jobs.get(database, job_id))
    if found is None:
        return ""
    order = ", ".join(one.ref for one in found.lifted)
    whole = len(found.lifted) + len(found.left)
    said = (
        f"{len(found.lifted)} of {whole} can be lifted in one heating, in this order: {order}."
        if order
        else "No part can be lifted before the heat ends."
    )
    if found.left and found.ends_s is not None:
        said += f" They stay on: {', '.join(found.left)}; {found.ends_by} at {with_unit(found.ends_s, SECONDS, 0)}."
    return f"{said} {found.minds}".strip()


def _stop(at_s: float | None, why: str) -> dict[str, Any] | None:
    return None if at_s is None else {"at_s": at_s, "why": why}


@router.post("/api/jobs/{job_id}/iron")
def iron_touch(
    request: Request,
    job_id: int,
    database: Database,
    ref: str,
    pin: str,
    tip_mm: float,
    set_c: float,
    power_w: float = 60.0,
    shape: TipShape = TipShape.CHISEL,
    handle: Handle = Handle.CARTRIDGE,
    tie: str = AS_DRAWN,
) -> dict[str, Any]:
    """Ask for the seconds an iron needs at one joint, its copper as drawn (the answer is null where
    that is not known) or as usual for a tie.
    """
    iron = Iron(
        tip_mm=tip_mm,
        set_c=set_c,
        shape=shape,
        power_w=power_w,
        tip_heat_j_k=usual_tip_heat_j_k(power_w),
        handle=handle,
    )
    check_touch(database, jobs.get(database, job_id), ref, pin, tie)
    question = Question(what=QuestionKind.TOUCH, ref=ref, pin=pin, tie=tie, iron=iron)
    return told(request, ask(database, job_id, question))


@router.get("/api/jobs/{job_id}/carry/{station_id}")
def carry(job_id: int, station_id: int, database: Database) -> dict[str, Any]:
    """What another station must be set to so that it heats as the plan does now."""
    like = carried(database, jobs.get(database, job_id).plan, station_id)
    return {
        "name": like.name,
        "outlet_c": round(like.outlet_c),
        "flow_lpm": None if like.flow_lpm is None else round(like.flow_lpm, 1),
    }


@router.post("/jobs/{job_id}/turn")
def turn_over(job_id: int, database: Database) -> Response:
    """Lay the board with its other face up; the parts of the face that is now below are let go."""
    plan = jobs.get(database, job_id).plan
    side = "top" if plan.side == "bottom" else "bottom"
    keep_heat_plan(
        database, job_id, replace(plan, side=side, bare_below=False, targets=(), shields=())
    )
    return RedirectResponse(f"/jobs/{job_id}/heat", status_code=303)


@router.post("/jobs/{job_id}/runs")
def new_run(job_id: int, database: Database) -> Response:
    return RedirectResponse(f"/runs/{start_heat(database, job_id)}", status_code=303)
