"""Filling an empty database with the demo scenario."""

import json
import sqlite3
import time
from dataclasses import replace
from importlib import resources

from yellowfen.core.bench.station import Station, Tool, ToolKind
from yellowfen.core.board.choices import Choices
from yellowfen.core.board.sketch import Plane, SketchedPart
from yellowfen.core.heat.heat_plan import USUAL_AIR, HeatPlan, SourceKind, usual_moves
from yellowfen.core.heat.scene import Core, Deed, Move
from yellowfen.core.heat.source import HotPlate, Iron, TipShape
from yellowfen.core.look.picture_work import PictureWork
from yellowfen.core.metal.lot import Lot, LotEvent
from yellowfen.core.metal.paste import paste_named
from yellowfen.core.rework.legs import Proof
from yellowfen.core.rework.survey import Age, Answers, Power, Solder
from yellowfen.core.rework.ways_off import Matters, OffWay
from yellowfen.core.run.machine import Tap
from yellowfen.core.work.job import FoundMark, Job, Purpose, Verdict
from yellowfen.demo.scenario import NAME
from yellowfen.formats.board_files import read_board
from yellowfen.store import bench_runs, boards, jobs, materials, stations, tools
from yellowfen.store import rework as stored_rework
from yellowfen.store.boards import Source
from yellowfen.store.database import atomic
from yellowfen.store.kept import kept_of
from yellowfen.store.packing import unpack
from yellowfen.workflows import bench_runs as bench_runs_work
from yellowfen.workflows import jobs as work
from yellowfen.workflows import look, pictures, proof, refit, sketching
from yellowfen.workflows import rework as rework_work
from yellowfen.workflows.calibration import Scrap, melt_test
from yellowfen.workflows.found import Found
from yellowfen.workflows.heat import usual_plan


def demo_files() -> dict[str, bytes]:
    """The demo board's files by name."""
    folder = resources.files("yellowfen.demo.board")
    return {
        item.name: item.read_bytes()
        for item in sorted(folder.iterdir(), key=lambda item: item.name)
        if item.name.startswith("reedgate")
    }


def add_demo(connection: sqlite3.Connection) -> bool:
    """The demo board, its jobs and their past: all or nothing, so that what was interrupted is done
    whole the next time. True when something was added. What takes seconds to find is shipped.
    """
    found = kept_of(connection, Found)
    if found.noted is None:
        found.answers = json.loads((resources.files("yellowfen.demo") / "found.json").read_text())
    with atomic(connection):
        added = fill(connection)
        return furnish(connection) or added


def fill(connection: sqlite3.Connection) -> bool:
    """Add the demo board, a station and a job, unless the demo board is there already.

    True when something was added.
    """
    if any(row.name == NAME for row in boards.rows(connection)):
        return False
    files = demo_files()
    board = read_board(files, NAME)
    with atomic(connection):
        board_id = boards.add(connection, board, Source(files, Choices()))
        if not stations.rows(connection):
            stations.add(
                connection,
                Station(
                    id=0,
                    name="Bench station",
                    air=USUAL_AIR,
                    outlet_label="350",
                    flow_label="3",
                ),
            )
        station = stations.rows(connection)[0]
        plan = HeatPlan(
            station_id=station.id,
            air=station.air,
            targets=("U4",),
            moves=usual_moves(("U4",)),
        )
        if not materials.lots(connection):
            _fill_materials(connection)
        jobs.add(connection, board_id, "Refit the storage chip U4", plan)
    return True


def _fill_materials(connection: sqlite3.Connection) -> None:
    """A syringe of leaded paste in use, and three needles."""
    day, now = 86400.0, time.time()
    lot = materials.add_lot(
        connection,
        Lot(
            id=0,
            name="Bench syringe",
            paste=paste_named("sn63-t4"),
            container="syringe",
            grams=35.0,
            bought_s=now - 60 * day,
        ),
    )
    for kind, ago_h, grams in (
        (LotEvent.OUT, 500.0, 0.0),
        (LotEvent.OPENED, 498.0, 0.0),
        (LotEvent.USED, 496.0, 1.4),
        (LotEvent.BACK, 490.0, 0.0),
    ):
        materials.add_event(connection, lot, kind, now - 3600 * ago_h, grams)
    materials.keep_supply(connection, "needle", (18, 21, 23))


def furnish(connection: sqlite3.Connection) -> bool:
    """Give the demo a past, made as a user would: a bench with plate and iron, the station taught,
    the rework of U4 run once, a build of two boards whose first side is done on one, a rework in
    the middle of its pads, a patch with a leadless part to come off, LEDs to be salvaged from a
    strip.

    True when something was added; a demo that somebody has used is left alone.
    """
    found = jobs.rows(connection)
    if len(found) != 1 or bench_runs.rows(connection) or tools.rows(connection):
        return False
    rework = found[0]
    station_id = stations.rows(connection)[0].id
    for tool in (
        Tool(0, ToolKind.PLATE, "Flat-iron", HotPlate(set_c=230.0)),
        Tool(0, ToolKind.IRON, "Bench iron", Iron(tip_mm=2.0, set_c=340.0, shape=TipShape.BEVEL)),
    ):
        tools.add(connection, tool)
    melt_test(
        connection, station_id, 20.0, alloy="Sn63Pb37", seconds=(13.0, 12.0, 13.5), scrap=Scrap()
    )
    _rework_run_once(connection, rework)
    _first_side_of_two(connection, rework.board_id)
    _in_the_middle_of_pads(connection, rework.board_id)
    _patch_with_a_leadless_part(connection)
    _strip_of_leds(connection)
    return True


def _rework_run_once(connection: sqlite3.Connection, rework: Job) -> None:
    """The storage chip taken off, refitted and looked at."""
    parts = rework.plan.targets
    work.change_purpose(
        connection, rework.id, rework.name, purpose=Purpose.REWORK, parts=parts, pieces=("red dot",)
    )
    jobs.take_piece(connection, rework.id, jobs.pieces_of(connection, rework.id)[0].id)
    _all_done(connection, bench_runs_work.start_kit_check(connection, rework.id), 6)
    rework_work.keep_answers(connection, rework.id, replace(_LEADED, way=str(OffWay.AIR)))
    _heated(connection, rework.id, slower=1.03)
    refit.take_refit_heat(connection, rework.id)
    run = _heated(connection, rework.id, slower=1.06)
    lands = boards.get(connection, rework.board_id).part("U4").package.lands
    marks = [
        FoundMark("U4", land.pin, Verdict.STARVED if land.pin == "4" else Verdict.GOOD)
        for land in lands
    ]
    look.mark_joints(connection, rework.id, marks)
    bench_runs_work.finish(
        connection, run, "First try. Pin 4 lags: it sits on the plane. More flux there."
    )


def _first_side_of_two(connection: sqlite3.Connection, board_id: int) -> None:
    """Two boards to be built; on one the first side went over the plate: nothing lies beneath yet."""
    build = work.open_job(
        connection, board_id, "Two sluice keepers", Purpose.BUILD, pieces=("A", "B")
    )
    jobs.take_piece(connection, build, jobs.pieces_of(connection, build)[0].id)
    _all_done(connection, bench_runs_work.start_kit_check(connection, build), 6)
    job = jobs.get(connection, build)
    side = job.plan.side
    moves = (Move(deed=Deed.PLATE, seconds=90.0), Move(deed=Deed.WITHDRAW, seconds=60.0))
    plate = _plate(connection).id
    on_plate = replace(job.plan, source=SourceKind.PLATE, moves=moves)
    recipe = usual_plan(connection, job, on_plate)
    jobs.keep_heat_plan(connection, build, replace(recipe.plan, tool_id=plate))
    _all_done(connection, bench_runs_work.start_dotting(connection, build, side), 14)
    _all_done(connection, bench_runs_work.start_placing(connection, build, side), 11)
    _heated(connection, build, slower=0.95)
    _pictures(connection, build)
    for name, expect, joints in (
        ("Program, read back, verify", "the programmer reads back what was written", "U1"),
        ("Write and read the storage", "what was written is read back", "U4"),
        ("Each valve in turn", "the coil clicks, its lamp is lit", "U2 U3 Q1 Q2 D1"),
    ):
        proof.add_step(connection, build, name=name, expect=expect, joints=joints)


def _pictures(connection: sqlite3.Connection, job_id: int) -> None:
    """The controller after printing and after the heat, with the board laid over both and the part
    found in the second: what that takes seconds to find is kept beside them (`laid.json`).
    """
    folder = resources.files("yellowfen.demo") / "pictures"
    laid = json.loads((folder / "laid.json").read_text())
    for name in ("printed", "soldered"):
        work = unpack(PictureWork, json.dumps(laid[name]))
        data = (folder / f"{name}.jpg").read_bytes()
        pictures.keep_picture(connection, job_id, data, name, work)


_LEADED = Answers(solder=Solder.LEADED, age=Age.SHELF, power=Power.SAFE)


def _in_the_middle_of_pads(connection: sqlite3.Connection, board_id: int) -> None:
    """The driver U2 is off, its pads are half done."""
    job = work.open_job(
        connection,
        board_id,
        "Driver U2, new one on",
        purpose=Purpose.REWORK,
        parts=("U2",),
        pieces=("blue dot",),
    )
    rework_work.keep_answers(connection, job, replace(_LEADED, way=str(OffWay.AIR)))
    _heated(connection, job, slower=1.0)
    run = rework_work.start_pads(connection, job, "U2")
    for number, cue in enumerate(bench_runs.get(connection, run).script.cues[:12]):
        _tapped(connection, run, number, cue.key, 5.0 * number)


def _patch_with_a_leadless_part(connection: sqlite3.Connection) -> None:
    """A piece of somebody's old controller, sketched; its leadless driver has to come off."""
    parts = (
        SketchedPart(ref="U1", package="QFN-20", x_mm=16.0, y_mm=14.0, value="lamp driver"),
        SketchedPart(ref="C1", package="0603", x_mm=16.0, y_mm=19.5, value="100 nF"),
        SketchedPart(
            ref="C2", package="0402", x_mm=21.0, y_mm=14.0, rotation_deg=90.0, value="10 nF"
        ),
        SketchedPart(
            ref="D1", package="LED 0805", x_mm=8.5, y_mm=14.0, rotation_deg=90.0, value="amber"
        ),
        SketchedPart(ref="J1", package="CONN-4-1.25", x_mm=26.5, y_mm=22.0, value="lamps"),
        SketchedPart(ref="C3", package="0805", x_mm=16.0, y_mm=14.0, side="bottom", value="10 µF"),
    )
    board = sketching.begin(connection, "Old lamp controller")
    sketch = replace(sketching.sketch_of(connection, board), plane=Plane.YES, parts=parts)
    sketching.keep(connection, board, sketch)
    work.open_job(connection, board, "Leadless driver off", Purpose.REWORK, ("U1",))


def _strip_of_leds(connection: sqlite3.Connection) -> None:
    """Eight LEDs on aluminium, to be taken off by the plate; two are in a bag already."""
    parts = tuple(
        SketchedPart(
            ref=f"D{number + 1}",
            package="PLED-4",
            x_mm=8.0 + 12.0 * number,
            y_mm=6.0,
            value="warm white",
        )
        for number in range(8)
    )
    board = sketching.begin(connection, "Lamp strip")
    sketch = replace(
        sketching.sketch_of(connection, board),
        plane=Plane.NO,
        parts=parts,
        width_mm=100.0,
        height_mm=12.0,
    )
    sketching.keep(connection, board, sketch)
    refs = tuple(part.ref for part in parts)
    job = work.open_job(connection, board, "Eight LEDs to keep", Purpose.SALVAGE, refs)
    asked = replace(_LEADED, matters=Matters.PART, way=str(OffWay.PLATE))
    rework_work.keep_answers(connection, job, asked)
    plate = _plate(connection)
    assert isinstance(plate.content, HotPlate)
    plan = jobs.get(connection, job).plan
    moves = (Move(deed=Deed.PLATE, seconds=150.0), Move(deed=Deed.WITHDRAW, seconds=60.0))
    plan = replace(
        plan,
        source=SourceKind.PLATE,
        tool_id=plate.id,
        moves=moves,
        plate=replace(plate.content, set_c=255.0),
        core=Core.ALUMINIUM,
    )
    jobs.keep_heat_plan(connection, job, plan)
    for ref, shown, note in (("D1", Proof.GOOD, "lit at 20 mA"), ("D2", Proof.NOT_YET, "")):
        passport_id = rework_work.write_passport(connection, job, ref)
        kept = stored_rework.get_passport(connection, passport_id).passport
        kept = replace(
            kept, bag="lamps 1", cleaned=True, tested=shown, note=note, liquid_s=9.0, heats=2
        )
        stored_rework.keep_passport(connection, passport_id, kept)


def _plate(connection: sqlite3.Connection) -> Tool:
    return next(tool for tool in tools.rows(connection) if tool.kind is ToolKind.PLATE)


def _heated(connection: sqlite3.Connection, job_id: int, slower: float) -> int:
    """A heat run by the clock, everything a little later (or sooner) than forecast; its id."""
    run = bench_runs.get(connection, bench_runs_work.start_heat(connection, job_id))
    at_s = 0.0
    for number, cue in enumerate(run.script.cues):
        due = cue.due_s if cue.due_s is not None else at_s + (30.0 if number else 0.0)
        at_s = max(at_s, slower * due)
        _tapped(connection, run.id, number, cue.key, at_s)
    return run.id


def _all_done(connection: sqlite3.Connection, run_id: int, seconds: float) -> None:
    """Every cue of a run answered by its one key, some seconds each."""
    run = bench_runs.get(connection, run_id)
    for number, cue in enumerate(run.script.cues):
        _tapped(connection, run_id, number, cue.key, seconds * number)


def _tapped(
    connection: sqlite3.Connection, run_id: int, number: int, cue: str, at_s: float
) -> None:
    word = next(iter(bench_runs.get(connection, run_id).kind.rule.words))
    at_ms = round(1000 * (time.time() - 86400.0 + at_s))
    tap = Tap(key=f"demo {number}", cue=cue, word=word, at_ms=at_ms)
    bench_runs_work.tap(connection, run_id, tap)
