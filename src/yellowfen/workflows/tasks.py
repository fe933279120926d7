"""Long work off the request: a window's map and the search for settings, step by step in a worker
process.

Every finished step is in the database before the next begins, so a reload shows it, a killed
worker's successor goes on behind it, and a cancel takes effect after the running step.
"""

import json
import sqlite3
import time
from collections.abc import Callable
from contextlib import suppress
from dataclasses import asdict, replace
from typing import Any

from yellowfen.core.bench.station import ToolKind
from yellowfen.core.heat.doubt import Doubts, settled
from yellowfen.core.heat.heat_plan import HeatPlan, SourceKind, usual_moves
from yellowfen.core.heat.outcome import Fate, Outcome, heating_moves
from yellowfen.core.heat.rehearsal import prepare
from yellowfen.core.heat.scene import Deed, Move, Scene, near_the_heat
from yellowfen.core.heat.source import HotAir, HotPlate, Preheater
from yellowfen.core.heat.tour import Tour, plan_tour, plate_below
from yellowfen.core.heat.tour_search import ANY, TourWish, check_tour
from yellowfen.core.heat.tour_walk import Charge
from yellowfen.core.heat.tune import (
    FINE_COLUMNS,
    FINE_ROWS,
    Arrangement,
    Bench,
    SettingsProposal,
    Tuned,
    axis_of,
    judge,
    search_order,
    summed_up,
    tolerance_of,
)
from yellowfen.core.heat.window import (
    WINDOW_RESOLUTION,
    Axis,
    Calmest,
    WindowColumn,
    check_axes,
    check_dwell,
    confirmed,
    dwells_around,
    on_the_dial,
    setting_of,
    settings_around,
    window_column,
    with_dwell,
    with_setting,
)
from yellowfen.core.metal.alloy import alloy_named
from yellowfen.core.rework.lift import aimed_at_lift
from yellowfen.core.rework.ways_off import Matters
from yellowfen.core.work.board_scene import scene_of
from yellowfen.core.work.job import Job, Purpose
from yellowfen.errors import InvalidValue, Refused, YellowfenError
from yellowfen.formats.tour_file import tour_json, walk_json
from yellowfen.store import boards, jobs, stations, tasks, tools, work
from yellowfen.store.database import atomic
from yellowfen.store.packing import pack, unpack
from yellowfen.workflows.heat import doubts_of
from yellowfen.workflows.long_work import OFF, ORDER, SETTINGS, TOUR, WINDOW, do_short, does
from yellowfen.workflows.ready import order_asked, order_of, ready_state
from yellowfen.workflows.rework import answers_of, asked_ways, way_steps
from yellowfen.workflows.trouble import logged

MAP_SIZE = 20
CONFIRMED = (
    1000  # the place of a step behind the columns: the calmest point, confirmed on the fine grid
)
AFTER_TOUR_S = 45.0
TOLD_EVERY_S = 0.25


def ask(
    connection: sqlite3.Connection,
    job_id: int,
    kind: str,
    axis: Axis | None = None,
    free_alloy: bool = False,
    wish: TourWish = ANY,
    ref: str = "",
) -> int:
    """Ask for a window, a search, a tour, or the ways off of a part `ref`, of the job as it stands;
    returns the task's id.

    The same question is answered once.
    """
    job = jobs.get(connection, job_id)
    if kind == TOUR:
        asked = _asked_tour(connection, job, wish)
    elif kind == OFF:
        asked = asked_ways(connection, job, ref)
    else:
        matters = answers_of(connection, job).matters if job.plan.lifts else None
        scene, _ = _scene(connection, job.board_id, job.plan, matters)
        check_dwell(scene)
        which = axis or axis_of(scene)
        check_axes(scene, which, settings_around(scene, which, 3), dwells_around(scene, 3))
        asked = json.dumps(
            {
                "plan": json.loads(pack(job.plan)),
                "axis": str(which),
                "free_alloy": free_alloy,
                "confirmed": True,
            }
            | ({} if matters is None else {"matters": str(matters)})
        )
    before = tasks.latest(connection, job_id, kind)
    if (
        before is not None
        and before.asked == asked
        and before.state in ("waiting", "working", "done")
    ):
        return before.id
    tasks.cancel_others(connection, job_id, kind)
    return work.add(connection, kind, job_id=job_id, asked=asked)


def ask_order(connection: sqlite3.Connection, job_id: int, side: str) -> int:
    """Ask for the placement order of a side of the job as it stands; returns the task's id. The
    same question is answered once.
    """
    asked = order_asked(connection, ready_state(connection, job_id), side)
    before = tasks.asked_last(connection, job_id, ORDER, asked)
    if before is not None and before.state in (work.WAITING, work.WORKING, work.DONE):
        return before.id
    tasks.cancel_others(connection, job_id, ORDER, side)
    return work.add(connection, ORDER, job_id=job_id, asked=asked)


@does(WINDOW, SETTINGS, TOUR, OFF, ORDER)
def do(connection: sqlite3.Connection, one: work.Work) -> None:
    """Do a task that was taken from where it stands to its end, or until it is cancelled or another
    worker holds it.
    """
    task = tasks.task_of(connection, one)
    how = {WINDOW: _window, SETTINGS: _settings, TOUR: _tour, OFF: _ways_off, ORDER: _order}
    carry_out(connection, task, how[task.kind])


def carry_out(
    connection: sqlite3.Connection,
    task: tasks.JobTask,
    how: Callable[[sqlite3.Connection, tasks.JobTask], bool],
) -> None:
    """Do a task by a function that is True once it is done; a problem ends it with its sentence."""
    try:
        done = how(connection, task)
    except work.Lost:
        return
    except YellowfenError as problem:
        _end(connection, task, work.FAILED, str(problem))
    except Exception as problem:  # whatever it is, the work behind it must not wait for ever
        mark = logged(problem, f"task {task.id}")
        said = f"this failed in the program; change a setting and ask again (the log has it under {mark})"
        _end(connection, task, work.FAILED, said)
    else:
        if done:
            _end(connection, task, work.DONE)


def _goes_on(connection: sqlite3.Connection, task: tasks.JobTask) -> bool:
    """Between two steps: what is short is done; False when the task was given up."""
    do_short(connection, task.owner)
    return work.state_of(connection, task.id) != work.CANCELLED


def _order(connection: sqlite3.Connection, task: tasks.JobTask) -> bool:
    """The order of a side, with how far it is as its first step until it is there."""
    side, state = json.loads(task.asked)["side"], ready_state(connection, task.job_id)
    if order_asked(connection, state, side) != task.asked:
        raise Refused("the job was changed meanwhile; ask again")
    last = time.monotonic()

    def told(done: int, of: int) -> None:
        nonlocal last
        if time.monotonic() > last + TOLD_EVERY_S:
            last = time.monotonic()
            tasks.add_step(connection, task, 0, json.dumps({"done": done, "of": of}))

    order = order_of(connection, state, side, told)
    tasks.add_step(connection, task, 1, pack(order))
    return True


def order_seen(task: tasks.JobTask) -> tuple[int, int]:
    """Rounds done of an order and of how many, (0, 0) where that is not known."""
    told = json.loads(task.steps[0]) if len(task.steps) == 1 and task.state != work.DONE else {}
    return int(told.get("done", 0)), int(told.get("of", 0))


def _end(connection: sqlite3.Connection, task: tasks.JobTask, state: str, said: str = "") -> None:
    """End a task unless it was taken over or given up meanwhile."""
    with suppress(work.Lost), atomic(connection):
        work.end(connection, task.id, task.owner, state, said)


def _task_scene(connection: sqlite3.Connection, task: tasks.JobTask) -> tuple[Scene, Doubts]:
    """The scene that a task was asked about, with the harms that count there."""
    plan, _, _ = _asked(task)
    matters = json.loads(task.asked).get("matters")
    board_id = jobs.get(connection, task.job_id).board_id
    return _scene(connection, board_id, plan, Matters(matters) if matters else None)


def _scene(
    connection: sqlite3.Connection, board_id: int, plan: HeatPlan, matters: Matters | None = None
) -> tuple[Scene, Doubts]:
    """The settled scene of a plan near its heat, and the doubts of its source; `matters` where its
    parts are to be lifted.
    """
    doubts = doubts_of(connection, plan)
    scene = settled(scene_of(boards.get(connection, board_id), plan), doubts)
    if matters is not None:
        scene = aimed_at_lift(scene, matters)
    return (near_the_heat(scene) if isinstance(scene.source, HotAir) else scene), doubts


def _asked(task: tasks.JobTask) -> tuple[HeatPlan, Axis, bool]:
    """What a window or a search was asked for. Raises Refused for work of another kind."""
    asked = json.loads(task.asked)
    if "axis" not in asked:
        raise Refused("this work has no settings to take; read the page again")
    return (
        unpack(HeatPlan, json.dumps(asked["plan"])),
        Axis(asked["axis"]),
        bool(asked["free_alloy"]),
    )


def _window(connection: sqlite3.Connection, task: tasks.JobTask) -> bool:
    plan, axis, _ = _asked(task)
    scene, doubts = _task_scene(connection, task)
    settings, dwells = settings_around(scene, axis, MAP_SIZE), dwells_around(scene, MAP_SIZE)
    ready = prepare(scene, WINDOW_RESOLUTION) if axis is not Axis.PLATE else None
    for place, value in enumerate(settings):
        if place < len(task.steps):
            continue
        if not _goes_on(connection, task):
            return False
        column = window_column(
            scene, axis, value, dwells_s=dwells, resolution=WINDOW_RESOLUTION, ready=ready
        )
        tasks.add_step(connection, task, place, json.dumps(asdict(column)))
    columns = tuple(
        _column(json.loads(step)) for step in tasks.get(connection, task.id).steps[:MAP_SIZE]
    )
    best = confirmed(
        scene,
        axis,
        columns,
        dwells_s=dwells,
        tolerance=tolerance_of(scene, doubts, axis),
        shift=dial_shift(plan, doubts, axis),
    )
    tasks.add_step(connection, task, CONFIRMED, json.dumps(None if best is None else asdict(best)))
    return True


def _settings(connection: sqlite3.Connection, task: tasks.JobTask) -> bool:
    plan, _, free_alloy = _asked(task)
    scene, doubts = _task_scene(connection, task)
    stored = {one["key"]: one for one in map(json.loads, task.steps)}
    proposals: list[SettingsProposal] = []
    for place, arrangement in enumerate(
        search_order(scene, bench_of(connection, plan, free_alloy), proposals)
    ):
        if arrangement.key in stored:
            proposals.append(_recalled(arrangement, stored[arrangement.key]))
            continue
        if not _goes_on(connection, task):
            return False
        proposals.append(judge(arrangement, doubts))
        tasks.add_step(connection, task, place, json.dumps(_stored(proposals[-1], len(proposals))))
    best = max(proposals, key=lambda one: one.score)
    if best.best is not None and "finest" not in stored:
        finer = judge(
            Arrangement("finest", best.change, best.scene),
            doubts,
            FINE_COLUMNS,
            FINE_ROWS,
            final=True,
        )
        tasks.add_step(connection, task, 1000, json.dumps(_stored(finer, 1000) | {"of": best.key}))
    return True


def _asked_tour(connection: sqlite3.Connection, job: Job, wish: TourWish) -> str:
    """What a tour is asked for: the plan without its moves, the parts that go on afterwards (of a
    build all that the iron does). Raises InvalidValue where no tour can be made.
    """
    if job.plan.lifts:
        raise InvalidValue("tour", "a removal has one place: make a heat for each place")
    later = ready_state(connection, job.id).by_iron if job.purpose is Purpose.BUILD else ()
    absent = tuple(sorted({*job.plan.absent, *later} - {*job.plan.targets}))
    plan = replace(job.plan, absent=absent, moves=usual_moves(job.plan.targets))
    check_tour(scene_of(boards.get(connection, job.board_id), plan), wish.order)
    asked = {"plan": json.loads(pack(plan)), "order": wish.order}
    return json.dumps(asked if wish.charge is ANY.charge else asked | {"charge": wish.charge})


def _wish(task: tasks.JobTask) -> TourWish:
    """How the tour of a task is wanted."""
    asked = json.loads(task.asked)
    return TourWish(order=asked["order"], charge=Charge(asked.get("charge", ANY.charge)))


def _from_below(connection: sqlite3.Connection, plan: HeatPlan) -> Preheater | None:
    """What the bench has to heat from below while air works above: its preheater, or its plate
    under a board whose lower face is bare.
    """
    bench = bench_of(connection, plan, False)
    if bench.preheater is not None or bench.plate is None or not plan.bare_below:
        return bench.preheater
    return plate_below(bench.plate, alloy_named(plan.alloy))


def still_asked(connection: sqlite3.Connection, task: tasks.JobTask) -> bool:
    """True while the job's plan is the one that a tour was asked for."""
    try:
        return _asked_tour(connection, jobs.get(connection, task.job_id), _wish(task)) == task.asked
    except YellowfenError:
        return False


def _tour(connection: sqlite3.Connection, task: tasks.JobTask) -> bool:
    plan = unpack(HeatPlan, json.dumps(json.loads(task.asked)["plan"]))
    board = boards.get(connection, jobs.get(connection, task.job_id).board_id)
    heater = _from_below(connection, plan)
    tours = plan_tour(
        scene_of(board, plan), doubts_of(connection, plan), wish=_wish(task), heater=heater
    )
    for place, found in enumerate(tours):
        if not _goes_on(connection, task):
            return False
        if isinstance(found, Tour):
            whole = tour_json(found) | {"moves": json.loads(pack(found.walk))["moves"]}
            tasks.add_step(connection, task, CONFIRMED, json.dumps(whole))
        else:
            tasks.add_step(connection, task, place, json.dumps(walk_json(found.walk, found.left)))
    return True


def _ways_off(connection: sqlite3.Connection, task: tasks.JobTask) -> bool:
    job = jobs.get(connection, task.job_id)
    for place, step in enumerate(way_steps(connection, job, task.asked)):
        if not _goes_on(connection, task):
            return False
        tasks.add_step(connection, task, place, step)
    return True


def toured(task: tasks.JobTask) -> tuple[dict[str, Any] | None, bool]:
    """The best tour of a task so far, and whether it is the answer."""
    if not task.steps:
        return None, False
    last: dict[str, Any] = json.loads(task.steps[-1])
    return last, "moves" in last


def take_tour(connection: sqlite3.Connection, task_id: int) -> HeatPlan:
    """Put a finished tour into its job's plan: its stops, its parts, what goes on afterwards.

    Raises Refused while it is not there.
    """
    task = tasks.get(connection, task_id)
    found, whole = toured(task)
    if found is None or not whole:
        raise Refused("the tour is not worked out yet")
    plan = unpack(HeatPlan, json.dumps(json.loads(task.asked)["plan"]))
    left = {one["ref"] for one in found["left"]}
    heater = _from_below(connection, plan)
    targets = tuple(ref for ref in plan.targets if ref not in left)
    walked = unpack(HeatPlan, json.dumps({"moves": found["moves"], "targets": targets}))
    kept = replace(
        plan,
        targets=targets,
        absent=tuple(sorted({*plan.absent, *left})),
        moves=(*walked.moves, Move(deed=Deed.WITHDRAW, seconds=AFTER_TOUR_S)),
        preheater=plan.preheater or (heater if found["from_below"] else None),
        shields=(),
    )
    jobs.keep_heat_plan(connection, task.job_id, kept)
    return kept


def _stored(one: SettingsProposal, place: int) -> dict[str, Any]:
    return {
        "key": one.key,
        "change": one.change,
        "best": None if one.best is None else asdict(one.best),
        "blocker": one.blocker,
        "place": place,
    }


def _recalled(arrangement: Arrangement, stored: dict[str, Any]) -> SettingsProposal:
    """A proposal from its stored step: the arrangement is made anew, the settings found are put in."""
    scene = arrangement.scene
    best = None if stored["best"] is None else _calmest(stored["best"])
    if best is not None:
        scene = with_dwell(with_setting(scene, axis_of(scene), best.setting), best.dwell_s)
    return SettingsProposal(
        key=arrangement.key,
        change=arrangement.change,
        scene=scene,
        best=best,
        blocker=stored["blocker"],
    )


def bench_of(connection: sqlite3.Connection, plan: HeatPlan, free_alloy: bool) -> Bench:
    """What else is on the bench: the nozzles of the stations, a preheater, a plate."""
    nozzles = {station.air.narrow_mm for station in stations.rows(connection)} | {6.0, 10.0}
    heaters = [tool.content for tool in tools.rows(connection) if tool.kind is ToolKind.PREHEATER]
    heater = next((one for one in heaters if isinstance(one, Preheater)), None)
    plates = (tool.content for tool in tools.rows(connection) if tool.kind is ToolKind.PLATE)
    plate = next((one for one in plates if isinstance(one, HotPlate)), None)
    return Bench(
        nozzles_mm=tuple(sorted(nozzles - {plan.air.narrow_mm})),
        preheater=heater,
        foil=True,
        free_alloy=free_alloy,
        plate=plate,
    )


def recalled_proposals(
    connection: sqlite3.Connection, task: tasks.JobTask
) -> tuple[Scene, tuple[SettingsProposal, ...]]:
    """The proposals of a task as far as it is, the finest replacing the one it refines."""
    plan, _, free_alloy = _asked(task)
    scene, _ = _task_scene(connection, task)
    steps = [json.loads(step) for step in task.steps]
    stored = {one["key"]: one for one in steps}
    proposals: list[SettingsProposal] = []
    for arrangement in search_order(scene, bench_of(connection, plan, free_alloy), proposals):
        if arrangement.key not in stored:
            break
        proposals.append(_recalled(arrangement, stored[arrangement.key]))
    finest = stored.get("finest")
    if finest is not None:
        proposals = [
            _recalled(Arrangement(one.key, one.change, one.scene), finest)
            if one.key == finest["of"]
            else one
            for one in proposals
        ]
    return scene, tuple(proposals)


def tuned(connection: sqlite3.Connection, task: tasks.JobTask) -> Tuned | None:
    """The ranked answer of a search as far as it is; None before its first step."""
    scene, proposals = recalled_proposals(connection, task)
    return summed_up(scene, proposals) if proposals else None


def take_proposal(connection: sqlite3.Connection, task_id: int, key: str) -> HeatPlan | None:
    """Put a proposal's arrangement and settings into its job's plan; None when it is not there."""
    task = tasks.get(connection, task_id)
    _, proposals = recalled_proposals(connection, task)
    chosen = next((one for one in proposals if one.key == key and one.best is not None), None)
    if chosen is None:
        return None
    plan, _, _ = _asked(task)
    kept = plan_with(plan, chosen.scene, doubts_of(connection, plan), _covered(key))
    jobs.keep_heat_plan(connection, task.job_id, kept)
    return kept


def _covered(key: str) -> tuple[str, ...]:
    return tuple(key.split(" ")[1:]) if key.startswith("foil ") else ()


def plan_with(plan: HeatPlan, scene: Scene, doubts: Doubts, covered: tuple[str, ...]) -> HeatPlan:
    """A plan that sets the bench as a settled scene is set: dial values are the true ones less what
    is known of the dial.
    """
    alloy = scene.part(scene.targets[0]).alloy
    same = replace(
        plan,
        moves=scene.moves,
        alloy=alloy,
        board_alloy=plan.board_alloy or (plan.alloy if alloy != plan.alloy else None),
        shields=tuple(dict.fromkeys((*plan.shields, *covered))),
    )
    if isinstance(scene.source, HotPlate):
        shift = doubts.plate_shift_k if plan.source is SourceKind.PLATE else 0.0
        return replace(
            same,
            source=SourceKind.PLATE,
            plate=replace(scene.source, set_c=scene.source.set_c - shift),
        )
    if isinstance(scene.source, HotAir):
        outlet = scene.source.outlet_c - plan.outlet_offset_c - doubts.outlet_shift_k
        return replace(
            same,
            air=replace(scene.source, outlet_c=outlet),
            preheater=scene.preheater,
        )
    return same


def take_point(
    connection: sqlite3.Connection, task_id: int, setting: float, dwell_s: float
) -> HeatPlan:
    """Put a point of a window's map into its job's plan. `setting` is as the dial shows it."""
    task = tasks.get(connection, task_id)
    plan, axis, _ = _asked(task)
    scene, doubts = _task_scene(connection, task)
    shift = dial_shift(plan, doubts, axis)
    settled_value = on_the_dial(axis, setting + shift, shift)
    chosen = with_dwell(with_setting(scene, axis, settled_value), float(max(round(dwell_s), 1)))
    kept = plan_with(plan, chosen, doubts, ())
    jobs.keep_heat_plan(connection, task.job_id, kept)
    return kept


def dial_shift(plan: HeatPlan, doubts: Doubts, axis: Axis) -> float:
    """True setting less what the dial shows."""
    if axis is Axis.OUTLET:
        return plan.outlet_offset_c + doubts.outlet_shift_k
    return doubts.plate_shift_k if axis is Axis.PLATE else 0.0


def map_so_far(connection: sqlite3.Connection, task: tasks.JobTask) -> dict[str, Any]:
    """A window's columns as far as they are, in dial values, with the calmest point once all are
    there.
    """
    plan, axis, _ = _asked(task)
    scene, doubts = _task_scene(connection, task)
    dwells = dwells_around(scene, MAP_SIZE)
    columns = tuple(_column(json.loads(step)) for step in task.steps[:MAP_SIZE])
    kept = json.loads(task.steps[MAP_SIZE]) if len(task.steps) > MAP_SIZE else None
    best = None if kept is None else _calmest(kept)
    shift = dial_shift(plan, doubts, axis)
    return {
        "axis": str(axis),
        "settings": [value - shift for value in settings_around(scene, axis, MAP_SIZE)],
        "dwells_s": list(dwells),
        "columns": [
            [[str(one.fate), one.by, one.why] for one in column.outcomes] for column in columns
        ],
        "calmest": None
        if best is None
        else asdict(best)
        | {
            "spills": best.spills,
            "calm": best.calm,
            "setting": best.setting - shift,
            "setting_low": best.setting_low - shift,
            "setting_high": best.setting_high - shift,
        },
        "here": [setting_of(scene, axis) - shift, heating_moves(scene)[-1].seconds],
    }


def _calmest(stored: dict[str, Any]) -> Calmest:
    """A calmest point from its stored form; earlier versions kept only whether anything was loose."""
    kept = {"loose": int(stored.get("spills", False))} | {
        name: value for name, value in stored.items() if name != "spills"
    }
    return Calmest(**kept)


def _column(stored: dict[str, Any]) -> WindowColumn:
    return WindowColumn(
        stored["setting"],
        tuple(
            Outcome(
                fate=Fate(one["fate"]),
                by=one["by"],
                why=one["why"],
                last_s=one["last_s"],
                peak_c=one["peak_c"],
                loose=one.get("loose", 0),
            )
            for one in stored["outcomes"]
        ),
    )
