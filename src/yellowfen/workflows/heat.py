"""Rehearsing a job, keeping its plan, and taking its forecast into a run."""

import math
import sqlite3
import threading
import time
from collections import OrderedDict
from dataclasses import dataclass, replace

from yellowfen.core.heat.bench_card import Outlook, look_out
from yellowfen.core.heat.rehearsal import COARSE, FINE, QUICK, Rehearsal, Resolution, rehearse
from yellowfen.core.heat.scene import Scene
from yellowfen.core.heat.story import all_molten_s
from yellowfen.core.work.board_scene import scene_of
from yellowfen.core.work.job import Forecast, HeatPlan, Job, TargetForecast
from yellowfen.store import boards, jobs, runs
from yellowfen.store.packing import pack

QUICK_ABOVE_MM2 = 3500.0
NEAR_MM = 14.0


@dataclass(frozen=True)
class Rehearsed:
    """A job's rehearsal with the scene it answers and its wall time."""

    key: str
    scene: Scene
    rehearsal: Rehearsal
    wall_s: float
    quick: bool


_KEPT: "OrderedDict[tuple[int, str, bool], Rehearsed]" = OrderedDict()
_OUTLOOKS: "OrderedDict[tuple[int, str], Outlook]" = OrderedDict()
_LOCK = threading.Lock()
_MOST_KEPT = 12


def open_job(connection: sqlite3.Connection, board_id: int, name: str = "") -> int:
    """A new job on a board, with the usual recipe; returns its id."""
    board = boards.get(connection, board_id)
    return jobs.add(connection, board_id, name.strip()[:120] or f"Heat on {board.name}"[:120], HeatPlan())


def keep_plan(connection: sqlite3.Connection, job_id: int, plan: HeatPlan) -> Job:
    """Store the plan of a job after checking that the scene can be built; returns the job."""
    job = jobs.get(connection, job_id)
    if plan.targets:
        scene_of(boards.get(connection, job.board_id), plan)
    jobs.keep_plan(connection, job_id, plan)
    return replace(job, plan=plan)


def rehearse_job(connection: sqlite3.Connection, job: Job, quick: bool = False) -> Rehearsed:
    """The job's rehearsal, from memory when nothing changed. `quick` uses the coarse grid."""
    key = (job.board_id, pack(job.plan), quick)
    with _LOCK:
        if key in _KEPT:
            return _KEPT[key]
    scene = scene_of(boards.get(connection, job.board_id), job.plan)
    if quick:
        scene = _near_the_heat(scene)
    began = time.perf_counter()
    resolution = _quick_resolution(scene) if quick else FINE
    done = Rehearsed(f"{abs(hash(key)):x}", scene, rehearse(scene, resolution), 0.0, quick)
    done = replace(done, wall_s=time.perf_counter() - began)
    with _LOCK:
        _KEPT[key] = done
        while len(_KEPT) > _MOST_KEPT:
            _KEPT.popitem(last=False)
    return done


def forget(board_id: int) -> None:
    """Drop the kept rehearsals of a board whose files were read anew."""
    with _LOCK:
        for key in [key for key in _KEPT if key[0] == board_id]:
            del _KEPT[key]
        for other in [other for other in _OUTLOOKS if other[0] == board_id]:
            del _OUTLOOKS[other]


def _near_the_heat(scene: Scene) -> Scene:
    """The scene without parts too far from the nozzle to matter to a first answer."""
    centres = [(*scene.centre(move), move.circle_mm) for move in scene.moves if move.blows]
    near = tuple(
        part for part in scene.parts
        if part.ref in scene.targets or any(math.hypot(part.x_mm - x, part.y_mm - y) < circle + NEAR_MM for x, y, circle in centres)
    )  # fmt: skip
    return replace(scene, parts=near)


def _quick_resolution(scene: Scene) -> Resolution:
    """What answers at once: 1.5 mm cells and three layers (melt times within 3 %), 2 mm cells on large boards."""
    large = scene.board.width_mm * scene.board.height_mm > QUICK_ABOVE_MM2
    return replace(COARSE, sample_s=FINE.sample_s, frame_s=FINE.frame_s) if large else QUICK


def outlook_of(connection: sqlite3.Connection, job: Job) -> Outlook:
    """Bands and latest stop of the job's plan, from memory when nothing changed."""
    key = (job.board_id, pack(job.plan))
    with _LOCK:
        if key in _OUTLOOKS:
            return _OUTLOOKS[key]
    outlook = look_out(scene_of(boards.get(connection, job.board_id), job.plan))
    with _LOCK:
        _OUTLOOKS[key] = outlook
        while len(_OUTLOOKS) > _MOST_KEPT:
            _OUTLOOKS.popitem(last=False)
    return outlook


def start_run(connection: sqlite3.Connection, job_id: int) -> int:
    """Open a run with the present plan and its forecast; returns the run's id."""
    job = jobs.get(connection, job_id)
    done = rehearse_job(connection, job)
    return runs.add(connection, job_id, job.plan, forecast_of(done, outlook_of(connection, job)))


def forecast_of(done: Rehearsed, outlook: Outlook) -> Forecast:
    """What a run keeps of a rehearsal."""
    bands = {band.ref: band for band in outlook.bands}
    targets = tuple(
        TargetForecast(ref, all_molten_s(done.rehearsal.joints_of(ref)), bands[ref].early_s, bands[ref].late_s)
        for ref in done.scene.targets
    )
    latest = outlook.latest
    facts = done.rehearsal.model
    said = f"{facts.cell_mm:.1f} mm cells, jet factor {facts.jet_factor:.2f} (from memory, not calibrated)"
    return Forecast(targets, latest.at_s if latest else None, latest.why if latest else "", said)
