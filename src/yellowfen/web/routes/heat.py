"""The Heat stage: settings and recipe, the rehearsal, its lines, frames and bench card."""

import base64
from typing import Any

import numpy as np
from fastapi import APIRouter, Request
from fastapi.responses import RedirectResponse, Response
from pydantic import BaseModel, ConfigDict, Field

from yellowfen.core.heat.rehearsal import Rehearsal
from yellowfen.core.heat.scene import Deed, Move, Scene, Underside
from yellowfen.core.heat.story import FLUX_THINS_C, all_molten_s, frozen_s, hottest_neighbours, tell
from yellowfen.core.metal.alloy import ALLOYS
from yellowfen.core.work.job import HeatPlan, Job
from yellowfen.store import boards, jobs, runs, stations
from yellowfen.web.database import Database
from yellowfen.web.pages import page
from yellowfen.web.plan_svg import plan_svg
from yellowfen.workflows.heat import Rehearsed, keep_plan, outlook_of, rehearse_job, start_run

router = APIRouter()
MOST_POINTS = 240
MOST_FRAMES = 60
FRAME_LOW_C, FRAME_STEP_C = 10.0, 1.5


class MoveForm(BaseModel):
    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)
    do: Deed
    seconds: float
    height_mm: float = 20.0
    circle_mm: float = 0.0
    circle_s: float = 2.0


class PlanForm(BaseModel):
    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)
    alloy: str
    station_id: int | None = None
    nozzle_mm: float
    outlet_c: float
    flow_lpm: float
    outlet_offset_c: float = 0.0
    underside: Underside
    ambient_c: float
    targets: list[str] = Field(max_length=60)
    moves: list[MoveForm] = Field(max_length=20)

    def plan(self) -> HeatPlan:
        targets = tuple(dict.fromkeys(self.targets))
        over = targets or ("?",)
        moves = tuple(
            Move(one.do, one.seconds, () if one.do is Deed.WITHDRAW else over, one.height_mm, one.circle_mm, one.circle_s)
            for one in self.moves
        )
        return HeatPlan(self.alloy, self.station_id, self.nozzle_mm, self.outlet_c, self.flow_lpm, self.outlet_offset_c, self.underside,
                        self.ambient_c, targets, moves)  # fmt: skip


@router.get("/jobs/{job_id}")
def job_page(job_id: int) -> Response:
    return RedirectResponse(f"/jobs/{job_id}/heat", status_code=303)


@router.get("/jobs/{job_id}/heat")
def heat_page(request: Request, job_id: int, database: Database) -> Response:
    job = jobs.get(database, job_id)
    board = boards.get(database, job.board_id)
    return page(request, "heat.html", {
        "room": "jobs", "stage": "heat", "job": job, "board": board, "plan": plan_svg(board, "top"),
        "alloys": list(ALLOYS.values()), "stations": stations.rows(database), "undersides": [str(one) for one in Underside],
        "settings": _settings(job.plan), "station_facts": {s.id: _station_facts(s) for s in stations.rows(database)},
        "run": runs.latest_of(database, job_id),
    })  # fmt: skip


def _station_facts(station: Any) -> dict[str, Any]:
    return {
        "nozzle_mm": station.nozzle_mm, "outlet_c": station.outlet_c, "flow_lpm": station.flow_lpm, "outlet_label": station.outlet_label,
        "flow_label": station.flow_label, "outlet_offset_c": station.outlet_offset_c, "name": station.name,
    }  # fmt: skip


def _settings(plan: HeatPlan) -> dict[str, Any]:
    return {
        "alloy": plan.alloy, "station_id": plan.station_id, "nozzle_mm": plan.nozzle_mm, "outlet_c": plan.outlet_c,
        "flow_lpm": plan.flow_lpm, "outlet_offset_c": plan.outlet_offset_c, "underside": str(plan.underside),
        "ambient_c": plan.ambient_c, "targets": list(plan.targets),
        "moves": [
            {"do": str(m.deed), "seconds": m.seconds, "height_mm": m.height_mm, "circle_mm": m.circle_mm, "circle_s": m.circle_s}
            for m in plan.moves
        ],
    }  # fmt: skip


@router.post("/api/jobs/{job_id}/rehearse")
def rehearse(job_id: int, form: PlanForm, database: Database, quick: bool = False) -> dict[str, Any]:
    """Keep the plan and rehearse it; `quick` answers from the coarse grid first."""
    job = keep_plan(database, job_id, form.plan())
    if not job.plan.targets:
        return {"empty": True}
    done = rehearse_job(database, job, quick)
    return _answer(job, done)


def _answer(job: Job, done: Rehearsed) -> dict[str, Any]:
    scene, rehearsal = done.scene, done.rehearsal
    stride = max(1, len(rehearsal.times_s) // MOST_POINTS)
    shown = [*scene.targets, *hottest_neighbours(scene, rehearsal)]
    return {
        "empty": False, "quick": done.quick, "wall_s": round(done.wall_s, 3),
        "times_s": np.round(rehearsal.times_s[::stride], 2).tolist(),
        "lines": [_line(scene, rehearsal, ref, stride) for ref in shown],
        "events": [{"at_s": round(e.at_s, 1), "kind": str(e.kind), "ref": e.ref, "sentence": e.sentence} for e in tell(scene, rehearsal)],
        "parts": {part.ref: _fate(scene, rehearsal, part.ref) for part in scene.parts},
        "liquidus_c": ALLOYS[job.plan.alloy].liquidus_c, "flux_thins_c": FLUX_THINS_C,
        "moves": [_move(scene, move) for move in scene.moves],
        "total_s": rehearsal.model.simulated_s, "warnings": list(rehearsal.warnings), "board_peak_c": round(rehearsal.board_peak_c),
        "energy": {"in_j": round(rehearsal.energy.put_in_j), "residual_j": round(rehearsal.energy.residual_j, 3)},
        "frames": _frames(rehearsal), "cell_mm": round(rehearsal.model.cell_mm, 2), "jet_factor": rehearsal.model.jet_factor,
    }  # fmt: skip


def _move(scene: Scene, move: Move) -> dict[str, Any]:
    x, y = scene.centre(move)
    return {"do": str(move.deed), "seconds": move.seconds, "height_mm": move.height_mm, "circle_mm": move.circle_mm,
            "circle_s": move.circle_s, "x_mm": x, "y_mm": y}  # fmt: skip


def _line(scene: Scene, rehearsal: Rehearsal, ref: str, stride: int) -> dict[str, Any]:
    columns = [i for i, joint in enumerate(rehearsal.joints) if joint.ref == ref]
    joints = rehearsal.joint_c[::stride, columns]
    part = rehearsal.part(ref)
    index = [p.ref for p in rehearsal.parts].index(ref)
    return {
        "ref": ref, "target": ref in scene.targets, "limit_c": part.limit_c, "limit_why": part.limit_why,
        "coldest": np.round(joints.min(axis=1), 1).tolist(), "hottest": np.round(joints.max(axis=1), 1).tolist(),
        "body": np.round(rehearsal.body_c[::stride, index], 1).tolist(),
    }  # fmt: skip


def _fate(scene: Scene, rehearsal: Rehearsal, ref: str) -> dict[str, Any]:
    joints, part = rehearsal.joints_of(ref), rehearsal.part(ref)
    started = [j.melt_start_s for j in joints if j.melt_start_s is not None]
    return {
        "target": ref in scene.targets, "first_s": min(started) if started else None, "molten_s": all_molten_s(joints), "frozen_s": frozen_s(joints),
        "body_peak_c": round(part.body_peak_c), "limit_c": part.limit_c, "limit_passed_s": part.limit_passed_s,
        "pins": {j.pin: [j.melt_start_s, j.melt_end_s, j.freeze_s, round(j.peak_c)] for j in joints if j.melt_start_s is not None},
    }  # fmt: skip


def _frames(rehearsal: Rehearsal) -> dict[str, Any]:
    """Top-face pictures as bytes: value = FRAME_LOW_C + FRAME_STEP_C·byte; rows from the lower edge up."""
    frames = rehearsal.frames_c
    stride = max(1, round(len(frames) / MOST_FRAMES))
    frames = _edges_filled(frames[::stride], rehearsal)
    coded = np.clip((frames - FRAME_LOW_C) / FRAME_STEP_C, 0, 255).astype(np.uint8)
    return {
        "nx": rehearsal.model.nx, "ny": rehearsal.model.ny, "every_s": rehearsal.frame_s * stride, "low_c": FRAME_LOW_C,
        "step_c": FRAME_STEP_C, "bytes": base64.b64encode(coded.tobytes()).decode(),
    }  # fmt: skip


def _edges_filled(frames: Any, rehearsal: Rehearsal) -> Any:
    """Frames with the cells outside a rounded outline given their nearest neighbour's value, for drawing only."""
    cold = (frames[-1] == frames[0]) if len(frames) else None
    if cold is None or not cold.any() or cold.all():
        return frames
    inside = np.argwhere(~cold)
    filled = frames.copy()
    for y, x in np.argwhere(cold):
        near = inside[np.argmin(((inside - (y, x)) ** 2).sum(axis=1))]
        filled[:, y, x] = frames[:, near[0], near[1]]
    return filled


@router.get("/api/jobs/{job_id}/outlook")
def outlook(job_id: int, database: Database) -> dict[str, Any]:
    """How sure: bands of the last melt, and the latest stop with its reason."""
    look = outlook_of(database, jobs.get(database, job_id))
    return {
        "bands": [{"ref": b.ref, "early_s": b.early_s, "late_s": b.late_s} for b in look.bands],
        "latest": {"at_s": look.latest.at_s, "why": look.latest.why} if look.latest else None,
        "cautious": {"at_s": look.cautious.at_s, "why": look.cautious.why} if look.cautious else None,
    }  # fmt: skip


@router.post("/jobs/{job_id}/runs")
def new_run(job_id: int, database: Database) -> Response:
    return RedirectResponse(f"/runs/{start_run(database, job_id)}", status_code=303)


@router.post("/jobs/{job_id}/remove")
def remove_job(job_id: int, database: Database) -> Response:
    jobs.get(database, job_id)
    jobs.remove(database, job_id)
    return RedirectResponse("/", status_code=303)
