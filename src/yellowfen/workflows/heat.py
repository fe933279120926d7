"""Rehearsing a job, keeping its plan, and taking its forecast into a run."""

import sqlite3
import threading
import time
from collections import Counter
from collections.abc import Callable
from concurrent.futures import CancelledError, Future, ThreadPoolExecutor
from contextlib import suppress
from dataclasses import dataclass, replace

from yellowfen.core.board.board import Board
from yellowfen.core.heat.doubt import Doubts, as_held, settled
from yellowfen.core.heat.follow import stops_of
from yellowfen.core.heat.heat_plan import (
    Forecast,
    HeatPlan,
    LiftForecast,
    SourceKind,
    StopForecast,
    TargetForecast,
    usual_moves,
)
from yellowfen.core.heat.iron import Touch, touch, touch_as_drawn
from yellowfen.core.heat.moments import moment_bands
from yellowfen.core.heat.outcome import heating_moves
from yellowfen.core.heat.pad_copper import Tie
from yellowfen.core.heat.rehearsal import (
    FINE,
    QUICK,
    Prepared,
    Rehearsal,
    Resolution,
    prepare,
    rehearse_prepared,
)
from yellowfen.core.heat.sample import Sample
from yellowfen.core.heat.scene import Scene, near_the_heat
from yellowfen.core.heat.source import HotPlate, Iron, Oven
from yellowfen.core.heat.story import EventKind, all_molten_s
from yellowfen.core.heat.sureness import MORE_SAMPLES, SAMPLES, Sureness, sureness
from yellowfen.core.heat.tour import watched
from yellowfen.core.heat.usual import usual_recipe
from yellowfen.core.quantity.units import MM, with_unit
from yellowfen.core.work.board_scene import scene_as_laid, scene_of, with_drawn_copper
from yellowfen.core.work.job import Job
from yellowfen.errors import InvalidValue, Refused
from yellowfen.store import boards, calibrations, jobs, stations
from yellowfen.store.kept import Bounded, Kept, kept_of
from yellowfen.store.packing import pack
from yellowfen.workflows.calibration import station_doubts, tool_doubts
from yellowfen.workflows.found import found_before, question

QUICK_ABOVE_MM2 = 3500.0
MOST_FLOWS = 4  # more parts than that are watched as one


@dataclass(frozen=True, kw_only=True)
class Rehearsed:
    """A job's rehearsal with the scene it answers and its wall time."""

    key: str
    scene: Scene
    rehearsal: Rehearsal
    wall_s: float
    quick: bool
    doubts: Doubts
    taught: bool


class Changed(Refused):
    """The plan was changed while its samples were drawn."""


_Key = tuple[int, str, bool, Doubts]
_Asked = tuple[int, str, Doubts]
_BESIDE = ThreadPoolExecutor(1, "full answer")
_MOST_KEPT, _MOST_TOUCHES = 12, 200


class Rehearsals:
    """What is kept of rehearsals: those done and under way, how sure they are, samples as they are
    drawn by whoever asks first (who asks beside or after goes on with them), touches of an iron, and
    the cells prepared last, quick and full: an edit changes the air only.
    """

    def __init__(self) -> None:
        self.done: Bounded[Rehearsed] = Bounded(_MOST_KEPT)
        self.sure: Bounded[Sureness] = Bounded(_MOST_KEPT)
        self.drawn: Bounded[tuple[threading.Lock, list[Sample]]] = Bounded(_MOST_KEPT)
        self.touched: Bounded[Touch | None] = Bounded(_MOST_TOUCHES)
        self.under_way: dict[_Key, Future[Rehearsed]] = {}
        self.prepared: dict[bool, Prepared] = {}
        self.readings: Counter[int] = Counter()  # how often a board's files were read anew
        self.given_up = 0  # how often weighing was
        self.lock = threading.RLock()

    def forget(self, board_id: int) -> None:
        """Drop what is kept of a board whose files were read anew."""
        with self.lock:
            self.readings[board_id] += 1
            self.done.drop(lambda key: key[0] == board_id)
            self.sure.drop(lambda key: key[0] == board_id)
            self.drawn.drop(lambda key: key[0][0] == board_id)
            for begun in [begun for begun in self.under_way if begun[0] == board_id]:
                del self.under_way[begun]


AS_DRAWN = "as drawn"


def keep_heat_plan(connection: sqlite3.Connection, job_id: int, plan: HeatPlan) -> Job:
    """Store the plan of a job after checking that the scene can be built; returns the job. Parts
    that are not on the board cannot be left off it.

    Raises InvalidValue for a lift in more than one place.
    """
    job = jobs.get(connection, job_id)
    board = boards.get(connection, job.board_id)
    if plan.absent:
        known = {part.ref for part in board.parts}
        plan = replace(plan, absent=tuple(ref for ref in plan.absent if ref in known))
    if plan.lifts and plan.tour:
        raise InvalidValue("moves", "a removal has one place: make a heat for each place")
    if plan.targets:
        scene_of(board, plan)
    jobs.keep_heat_plan(connection, job_id, plan)
    return job.with_plan(plan)


def job_scene(connection: sqlite3.Connection, job: Job) -> Scene:
    """The scene of a job's heat under what the bench was taught."""
    doubts = doubts_of(connection, job.plan)
    return settled(scene_of(boards.get(connection, job.board_id), job.plan), doubts)


def rehearse_job(connection: sqlite3.Connection, job: Job, quick: bool = False) -> Rehearsed:
    """The job's rehearsal, from memory when nothing changed. `quick` uses the coarse grid."""
    key, kept = _key(connection, job, quick), kept_of(connection, Rehearsals)
    with kept.lock:
        if key in kept.done:
            return kept.done[key]
        under_way = kept.under_way.get(key)
    if under_way is not None:
        with suppress(CancelledError):  # an edit came between: then it is worked out here
            return under_way.result()
    return _work(connection, job, key)()


def begin_full(connection: sqlite3.Connection, job: Job) -> None:
    """Have the job's full rehearsal worked out beside what is asked meanwhile; `rehearse_job` then
    waits for it. What another edit asked before and has not begun is dropped.
    """
    key, kept = _key(connection, job, quick=False), kept_of(connection, Rehearsals)
    work = _work(connection, job, key)

    def answer() -> Rehearsed:
        try:
            return work()
        finally:
            with kept.lock:
                kept.under_way.pop(key, None)

    with kept.lock:
        if key in kept.done or key in kept.under_way:
            return
        for other in [other for other, one in kept.under_way.items() if one.cancel()]:
            del kept.under_way[other]
        kept.under_way[key] = _BESIDE.submit(answer)


def _key(connection: sqlite3.Connection, job: Job, quick: bool) -> _Key:
    return (job.board_id, pack(job.plan), quick, doubts_of(connection, job.plan))


def _work(connection: sqlite3.Connection, job: Job, key: _Key) -> Callable[[], Rehearsed]:
    """The work itself, which needs no connection any more; what it finds is kept."""
    board_id, _, quick, doubts = key
    kept = kept_of(connection, Rehearsals)
    reading = kept.readings[board_id]
    taught = is_taught(connection, job.plan)
    scene = job_scene(connection, job)
    if quick and job.plan.source is SourceKind.AIR:
        scene = near_the_heat(scene)

    def work() -> Rehearsed:
        began = time.perf_counter()
        resolution = _quick_resolution(scene) if quick else FINE
        prepared = kept.prepared.get(quick)
        if prepared is not None and prepared.serves(scene, resolution):
            prepared = replace(prepared, scene=scene)
        else:
            prepared = prepare(scene, resolution)
        kept.prepared[quick] = prepared
        found = rehearse_prepared(prepared)
        done = Rehearsed(
            key=f"{abs(hash(key)):x}",
            scene=scene,
            rehearsal=found,
            wall_s=time.perf_counter() - began,
            quick=quick,
            doubts=doubts,
            taught=taught,
        )
        with kept.lock:
            if kept.readings[board_id] == reading:  # else of a board as it was
                kept.done[key] = done
        return done

    return work


def forget(connection: sqlite3.Connection, board_id: int) -> None:
    """Drop the kept rehearsals of a board whose files were read anew."""
    kept_of(connection, Rehearsals).forget(board_id)


def doubts_of(connection: sqlite3.Connection, plan: HeatPlan) -> Doubts:
    """What is known of the plan's source: its newest calibration in use, or what is believed of
    any; of a handle also how it is held.
    """
    if plan.source is not SourceKind.AIR:
        return tool_doubts(connection, plan.tool_id) if plan.tool_id is not None else Doubts()
    known = plan.station_id is not None and any(
        one.id == plan.station_id for one in stations.rows(connection)
    )
    doubts = (
        station_doubts(connection, plan.station_id)
        if known and plan.station_id is not None
        else Doubts()
    )
    return as_held(doubts, plan.held)


def is_taught(connection: sqlite3.Connection, plan: HeatPlan) -> bool:
    """True when a calibration stands behind the plan's source."""
    if plan.source is SourceKind.AIR:
        kept = (
            calibrations.of_station(connection, plan.station_id)
            if plan.station_id is not None
            else []
        )
    else:
        kept = calibrations.of_tool(connection, plan.tool_id) if plan.tool_id is not None else []
    return any(not one.undone for one in kept)


def _quick_resolution(scene: Scene) -> Resolution:
    """What answers at once: 1.75 mm cells and three layers (melt times within 3 %), 2 mm cells on
    large boards.
    """
    large = scene.board.width_mm * scene.board.height_mm > QUICK_ABOVE_MM2
    return replace(QUICK, cell_mm=2.0) if large else QUICK


def sureness_of(
    connection: sqlite3.Connection,
    job: Job,
    more: bool = False,
    waited_for: Callable[[], bool] = lambda: True,
) -> Sureness:
    """Bands, cautious stop, odds and blame of the job's plan, from memory when nothing changed;
    `more` samples where time allows.

    Raises Refused when the plan is changed while samples are drawn (a new answer is being waited
    for), or when nobody waits for the answer: `waited_for` is asked before each sample.
    """
    doubts = doubts_of(connection, job.plan)
    key, kept = (job.board_id, pack(job.plan), doubts), kept_of(connection, Rehearsals)
    with kept.lock:
        known = kept.sure.get(key)
        if known is not None and (not more or known.count >= MORE_SAMPLES):
            return known
        reading, given_up = kept.readings[job.board_id], kept.given_up
    scene = scene_of(boards.get(connection, job.board_id), job.plan)

    def still_asked(sample: Sample) -> None:
        drawn.append(sample)
        if kept.given_up != given_up:
            raise Refused("the server is being stopped")
        if not waited_for():
            raise Refused("this answer is no longer needed")
        if jobs.get(connection, job.id).plan != job.plan:
            raise Changed("the settings were changed meanwhile; ask again")

    fine = rehearse_job(connection, job).rehearsal
    number = MORE_SAMPLES if more else SAMPLES
    with kept.lock:
        if (key, number) not in kept.drawn:
            kept.drawn[key, number] = (threading.Lock(), [])
        alone, drawn = kept.drawn[key, number]
    with alone:
        sure = found_before(
            connection,
            Sureness,
            question(connection, job, job.plan, doubts, number),
            lambda: sureness(scene, doubts, fine, number, still_asked, begun=drawn),
        )
    with kept.lock:
        if kept.readings[job.board_id] == reading:
            kept.drawn.drop(lambda asked: asked == (key, number))
            kept.sure[key] = sure
    return sure


@dataclass(frozen=True, kw_only=True)
class Recipe:
    """A plan with the recipe that its source and targets start from; how much of the window it uses
    (%; None for hot air), and what to know of it.
    """

    plan: HeatPlan
    index_percent: float | None
    says: str


def usual_plan(connection: sqlite3.Connection, job: Job, plan: HeatPlan) -> Recipe:
    """The recipe to start from; a plate of the bench that was chosen keeps its setting. Nothing is
    stored. Raises InvalidValue without targets.
    """
    doubts = doubts_of(connection, plan)

    def found() -> Recipe:
        scene = scene_of(boards.get(connection, job.board_id), plan)
        usual = usual_recipe(
            near_the_heat(scene) if plan.source is SourceKind.AIR else scene,
            doubts,
            keeps_plate=plan.tool_id is not None,
        )
        source = usual.scene.source
        return Recipe(
            plan=replace(
                plan,
                moves=usual.scene.moves,
                plate=source if isinstance(source, HotPlate) else plan.plate,
                oven=source if isinstance(source, Oven) else plan.oven,
            ),
            index_percent=usual.index_percent,
            says=usual.says,
        )

    return found_before(connection, Recipe, question(connection, job, plan, doubts), found)


def give_up_weighing(kept: Kept) -> None:
    """Let samples under way be given up: the server stops. What is asked later is drawn again."""
    kept.of(Rehearsals).given_up += 1


def forecast_of(done: Rehearsed, sure: Sureness, lift: LiftForecast | None = None) -> Forecast:
    """What a run keeps of a rehearsal; `lift` of one whose targets are taken off."""
    scene, seen = done.scene, done.rehearsal
    nearest = next((move for move in reversed(scene.moves) if move.blows), scene.moves[0])
    moments = moment_bands(sure, scene, seen).each
    targets = tuple(
        TargetForecast(
            ref=ref,
            flows_s=flows,
            early_s=band.low,
            late_s=band.high,
            watch=watched(scene, seen, nearest, (ref,)),
        )
        for ref in sure.targets
        for flows, band in (
            (all_molten_s(seen.joints_of(ref)), moments[ref][EventKind.ALL_MOLTEN]),
        )
    )
    facts = done.rehearsal.model
    known = "calibrated" if done.taught else "from memory, not calibrated"
    said = f"{with_unit(facts.cell_mm, MM, 1)} cells, jet factor {facts.jet_factor:.2f} ({known})"
    return Forecast(
        targets=targets,
        latest_s=sure.harm.low,
        latest_why=sure.harm_why if sure.harm.low is not None else "",
        model=said,
        stops=stop_forecasts(done, sure),
        grouped=len(targets) > MOST_FLOWS and lift is None,
        lift=lift,
        melts=tuple((one.ref, one.pin, one.melts) for one in seen.joints if one.melts),
    )


def stop_forecasts(done: Rehearsed, sure: Sureness) -> tuple[StopForecast, ...]:
    """The stops of a tour, as they are told everywhere; none of another heat."""
    scene = done.scene
    return tuple(
        StopForecast(
            refs=(refs := tuple(dict.fromkeys((*move.over, *move.awaits)))),
            seconds=move.seconds,
            early_s=took.low,
            late_s=took.high,
            latest_s=stay.latest_s,
            latest_why=stay.latest_why,
            watch=watched(scene, done.rehearsal, move, refs),
        )
        for move, stay in zip(heating_moves(scene), sure.stays, strict=False)
        if move in stops_of(scene.moves)
        for took in (stay.took.holding(move.seconds),)
    )


def check_touch(connection: sqlite3.Connection, job: Job, ref: str, pin: str, tie: str) -> Board:
    """The job's board. Raises InvalidValue for a part, pin or tie that is not there."""
    if tie != AS_DRAWN and tie not in list(Tie):
        raise InvalidValue("tie", f"{tie[:20]!r} is no tie: use {AS_DRAWN}, {', '.join(Tie)}")
    board = boards.get(connection, job.board_id)
    part = next((one for one in board.parts if one.ref == ref), None)
    if part is None:
        raise InvalidValue("ref", f"{ref[:20]} is not on this board")
    if pin not in {land.pin for land in part.package.lands}:
        raise InvalidValue("pin", f"{ref} has no pin {pin[:20]}")
    return board


def touch_joint(
    connection: sqlite3.Connection, job: Job, iron: Iron, ref: str, pin: str, tie: str
) -> Touch | None:
    """Seconds an iron needs at one joint of the job's board, its copper as drawn or as it usually
    is for a tie (seconds of work; kept).

    None where the copper as drawn is not known finely enough. Raises InvalidValue for an unknown
    part, pin or tie.
    """
    board = check_touch(connection, job, ref, pin, tie)
    plan = replace(
        job.plan,
        targets=(ref,),
        source=SourceKind.AIR,
        moves=usual_moves((ref,)),
        shields=(),
        side="top",
    )
    stack = tuple(
        (foil.depth, foil.thickness_um, foil.area_mm2) for foil in board.copper
    )  # other roles or foils are another board
    key = (
        job.board_id,
        hash(board.parts),
        board.thickness_mm,
        stack,
        pack(plan),
        iron,
        ref,
        pin,
        tie,
    )
    kept = kept_of(connection, Rehearsals).touched
    with kept.lock:
        if key in kept:
            return kept[key]
    scene = scene_as_laid(board, plan)
    if tie == AS_DRAWN:
        found = touch_as_drawn(
            with_drawn_copper(scene, board, scene.part(ref).side), iron, ref, pin
        )
    else:
        found = touch(scene, iron, ref, pin, Tie(tie))
    kept[key] = found
    return found
