"""Tools, calibrations and long work in the database: round trips, order, and what the tables
themselves refuse.
"""

import sqlite3
from dataclasses import replace
from pathlib import Path

import pytest

from yellowfen.core.bench.station import Station, Tool, ToolKind
from yellowfen.core.heat.calibrate import MeltTest, from_times, scrap_scene
from yellowfen.core.heat.doubt import Doubts
from yellowfen.core.heat.heat_plan import USUAL_AIR, HeatPlan, SourceKind
from yellowfen.core.heat.source import Control, HotAir, HotPlate, Iron, Oven, Preheater, TipShape
from yellowfen.errors import InvalidValue, NotFound, Refused
from yellowfen.store import archive, calibrations, jobs, stations, tasks, tools, work
from yellowfen.store.packing import pack, unpack
from yellowfen.workflows import demo
from yellowfen.workflows.calibration import physical_flow, station_doubts
from yellowfen.workflows.long_work import HEAT, kinds_of
from yellowfen.workflows.opening import open_database


@pytest.fixture
def connection(tmp_path: Path) -> sqlite3.Connection:
    database = open_database(tmp_path)
    demo.fill(database)
    yield database
    database.close()


TOOLS = (
    Tool(
        0,
        ToolKind.PLATE,
        "Flat-iron",
        HotPlate(
            set_c=240.0,
            film_mm=0.2,
            warp_mm=0.1,
            control=Control.THERMOSTAT,
            band_k=40.0,
            start_c=25.0,
        ),
    ),
    Tool(0, ToolKind.OVEN, "Small oven", Oven(((0, 20, 20), (90, 180, 200)), 15.0)),
    Tool(0, ToolKind.PREHEATER, "Below", Preheater(celsius=150.0, air_w_m2k=30.0, glow_share=0.4)),
    Tool(
        0, ToolKind.IRON, "Hoof", Iron(tip_mm=2.0, set_c=350.0, shape=TipShape.BEVEL, power_w=80.0)
    ),
)


@pytest.mark.parametrize("tool", TOOLS, ids=lambda tool: str(tool.kind))
def test_tools_round_trip_by_kind(connection: sqlite3.Connection, tool: Tool) -> None:
    key = tools.add(connection, tool)
    assert tools.get(connection, key) == replace(tool, id=key)
    with pytest.raises(Refused, match="on the bench already"):
        tools.add(connection, tool)
    archive.put_away(connection, "tool", key)
    with pytest.raises(NotFound):
        tools.get(connection, key)


def test_a_tool_must_be_what_it_is_called() -> None:
    with pytest.raises(InvalidValue, match="not the settings of a plate"):
        Tool(0, ToolKind.PLATE, "x", Iron(tip_mm=1.0, set_c=300.0))
    with pytest.raises(InvalidValue, match="1 to 60 letters"):
        Tool(0, ToolKind.IRON, "  ", Iron(tip_mm=1.0, set_c=300.0))


def test_a_plan_with_every_source_round_trips() -> None:
    plan = HeatPlan(
        source=SourceKind.PLATE,
        plate=HotPlate(set_c=222.0, film_mm=0.1),
        oven=Oven(((0, 20, 20), (60, 100, 100))),
        preheater=Preheater(celsius=140.0),
        shields=("C1", "C2"),
        board_alloy="Sn96.5Ag3Cu0.5",
        air=replace(USUAL_AIR, nozzle_long_mm=12.0),
    )
    assert unpack(HeatPlan, pack(plan)) == plan
    assert plan.in_words() == "plate 222 °C"
    assert "foil over C1, C2" in replace(plan, source=SourceKind.AIR).in_words()
    assert replace(plan, source=SourceKind.OVEN).heat_source() == plan.oven
    with pytest.raises(InvalidValue, match="at most 40"):
        replace(plan, shields=tuple(f"R{i}" for i in range(41)))


def test_the_newest_calibration_in_use_counts_and_an_undone_one_stays_in_the_history(
    connection: sqlite3.Connection,
) -> None:
    scene = scrap_scene(HotAir(nozzle_mm=6, outlet_c=350, flow_lpm=30), 20, "Sn63Pb37")
    kept = []
    for seconds in (20.0, 30.0):
        found = from_times([MeltTest(scene, "dot", (seconds,), "t")], Doubts())
        kept.append(
            calibrations.add(connection, "melt test", f"{seconds:g} s", found, station_id=1)
        )
    first, second = calibrations.of_station(connection, 1)
    assert [first.id, second.id] == kept
    assert first.result.doubts.jet_factor > second.result.doubts.jet_factor
    assert station_doubts(connection, 1) == second.result.doubts
    calibrations.set_undone(connection, second.id, True)
    assert station_doubts(connection, 1) == first.result.doubts
    calibrations.set_undone(connection, first.id, True)
    assert station_doubts(connection, 1) == Doubts()
    assert len(calibrations.of_station(connection, 1)) == 2
    with pytest.raises(NotFound):
        calibrations.get(connection, 99)


def test_a_rectangular_nozzle_is_kept(connection: sqlite3.Connection) -> None:
    key = stations.add(
        connection,
        Station(id=0, name="Wide", air=replace(USUAL_AIR, nozzle_mm=4.0, nozzle_long_mm=12.0)),
    )
    assert stations.get(connection, key).air.nozzle_long_mm == 12.0
    with pytest.raises(InvalidValue, match="nozzle_long_mm"):
        replace(USUAL_AIR, nozzle_long_mm=5.0)


def test_a_weaker_station_blows_like_less_air(connection: sqlite3.Connection) -> None:
    station: Station = stations.get(connection, 1)
    low, middle, high = physical_flow(station, replace(Doubts(), jet_factor=0.4, jet_log_sd=0.1))
    assert low < middle < high
    assert middle < station.air.flow_lpm
    assert physical_flow(station, Doubts())[1] == pytest.approx(station.air.flow_lpm)


def test_the_tables_refuse_what_no_code_should_write(connection: sqlite3.Connection) -> None:
    for statement in (
        "INSERT INTO tool (kind, name, content) VALUES ('kettle', 'x', '{}')",
        "INSERT INTO tool (kind, name, content) VALUES ('iron', 'x', 'no json')",
        "INSERT INTO work (job_id, kind, asked_at) VALUES (1, '', 'now')",
        "INSERT INTO calibration (station_id, tool_id, made_at, how, said, result) VALUES (NULL, NULL, 'now', 'log', '', '{}')",
    ):
        with pytest.raises(sqlite3.IntegrityError):
            connection.execute(statement)


def take_task(connection: sqlite3.Connection, owner: str) -> tasks.JobTask | None:
    """As the worker of searches takes its next piece."""
    said = {name: kind.given_up for name, kind in kinds_of(HEAT).items()}
    found = work.take(connection, said, owner)
    return None if found is None else tasks.task_of(connection, found)


def test_long_work_goes_from_waiting_to_its_end_once(connection: sqlite3.Connection) -> None:
    job = jobs.rows(connection)[0].id
    one, two = (
        work.add(connection, "window", job_id=job),
        work.add(connection, "settings", job_id=job),
    )
    mine = take_task(connection, "me")
    assert mine is not None
    assert (mine.id, mine.state) == (one, "working")
    for place, content in ((1, '{"a": 2}'), (0, '{"a": 1}'), (1, '{"a": 3}')):
        tasks.add_step(connection, mine, place, content)
    assert tasks.get(connection, one).steps == ('{"a": 1}', '{"a": 3}')
    work.set_state(connection, one, "cancelled", "given up")
    with pytest.raises(work.Lost):
        work.end(connection, mine.id, mine.owner, "done")
    assert work.state_of(connection, one) == "cancelled"
    assert take_task(connection, "me").id == two
    assert take_task(connection, "me") is None
    tasks.cancel_others(connection, job, "settings")
    assert take_task(connection, "another") is None


def test_work_left_behind_goes_to_another_worker_and_its_first_holder_writes_no_more(
    connection: sqlite3.Connection,
) -> None:
    """A worker that was stopped and wakes after another took its work: nothing of it is stored."""
    job = jobs.rows(connection)[0].id
    task = work.add(connection, "window", job_id=job)
    slept = take_task(connection, "sleeper")
    took_over = take_task(connection, "successor")
    assert slept is not None
    assert took_over is not None
    assert slept.id == took_over.id == task
    with pytest.raises(work.Lost):
        tasks.add_step(connection, slept, 0, "{}")
    with pytest.raises(work.Lost):
        work.end(connection, slept.id, slept.owner, "failed", "late")
    tasks.add_step(connection, took_over, 0, "{}")
    work.end(connection, took_over.id, took_over.owner, "done")
    done = tasks.get(connection, task)
    assert (done.state, done.said, len(done.steps)) == ("done", "", 1)


def test_work_that_ends_its_worker_three_times_is_given_up(connection: sqlite3.Connection) -> None:
    """A step forward counts as life: what goes on is never given up."""
    job = jobs.rows(connection)[0].id
    task = work.add(connection, "window", job_id=job)
    for number in range(5):
        taken = take_task(connection, f"worker {number}")
        assert taken is not None
        tasks.add_step(connection, taken, number, "{}")
    for number in range(work.MOST_TRIES):
        assert take_task(connection, f"dying {number}") is not None
    assert take_task(connection, "last") is None
    assert "three times" in tasks.get(connection, task).said
