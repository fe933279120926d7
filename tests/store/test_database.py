"""The database: migrations, atomic work, round trips, backup."""

import sqlite3
from importlib import resources
from pathlib import Path

import pytest

from tests.conftest import small_scene
from yellowfen.core.bench.station import Station
from yellowfen.core.board.board import Board, Role
from yellowfen.core.board.choices import Choices, PartChoice
from yellowfen.core.heat.plan import HeatPlan, usual_moves
from yellowfen.core.work.bench_run import Tap
from yellowfen.core.work.job import FoundMark, Verdict
from yellowfen.errors import InvalidValue, NotFound, Refused
from yellowfen.store import bench_runs as stored_runs
from yellowfen.store import boards, jobs, ready, stations
from yellowfen.store.boards import Source
from yellowfen.store.database import _run_script, atomic, connect, migrate
from yellowfen.store.packing import pack, unpack
from yellowfen.workflows import bench_runs, demo, look
from yellowfen.workflows.opening import DATABASE, back_up, open_database


def test_migrating_twice_changes_nothing(tmp_path: Path) -> None:
    connection = connect(tmp_path / "a.sqlite3")
    assert migrate(connection) == sum(
        1
        for item in resources.files("yellowfen.store.migrations").iterdir()
        if item.name.endswith(".sql")
    )
    assert migrate(connection) == 0
    connection.execute("INSERT INTO migration VALUES ('9999_future.sql', 'later')")
    with pytest.raises(Refused, match="newer Yellowfen"):
        migrate(connection)
    connection.close()


@pytest.mark.parametrize("had_schools", [False, True])
def test_a_database_from_before_the_benchs_schools_keeps_its_taps(
    tmp_path: Path, had_schools: bool
) -> None:
    """Both shapes that earlier versions left: without the table of the bench's schools, and with
    it.
    """
    connection = connect(tmp_path / DATABASE)
    connection.execute("CREATE TABLE migration (name TEXT PRIMARY KEY, at TEXT NOT NULL) STRICT")
    for name in sorted(
        item.name
        for item in resources.files("yellowfen.store.migrations").iterdir()
        if item.name.endswith(".sql")
    )[:6]:
        _run_script(connection, name)
    if had_schools:
        connection.execute(
            "CREATE TABLE bench_school (question TEXT PRIMARY KEY, school TEXT NOT NULL) STRICT"
        )
        connection.execute("INSERT INTO bench_school VALUES ('order', 'finest')")
    connection.execute(
        "INSERT INTO board (id, name, created_at, content) VALUES (1, 'b', '', '{}')"
    )
    connection.execute("INSERT INTO job VALUES (1, 1, 'j', '2026-11-25', '{}')")
    steps = '{"steps": [{"ref": "R1", "turn_deg": 90.0, "turned": true, "new_value": true, "batch": 0}]}'
    connection.execute("INSERT INTO place_run VALUES (1, 1, 'top', '2026-11-25', ?)", (steps,))
    connection.execute("INSERT INTO place_tap VALUES (1, 1, 'a', 'R1', 'placed', 5)")
    connection.close()
    connection = open_database(tmp_path)
    assert [
        tuple(row)
        for row in connection.execute("SELECT run_id, key, cue, word, at_ms FROM bench_tap")
    ] == [(1, "a", "R1", "placed", 5)]
    assert ready.bench_schools(connection) == ({"order": "finest"} if had_schools else {})
    connection.close()


def test_atomic_nests_and_undoes(tmp_path: Path) -> None:
    connection = open_database(tmp_path)
    station = Station(0, "one", 6, 350, 30)

    def failing_inner() -> None:
        with atomic(connection):
            stations.add(connection, Station(0, "two", 6, 350, 30))
            raise ValueError("stop")

    with atomic(connection):
        stations.add(connection, station)
        with pytest.raises(ValueError, match="stop"):
            failing_inner()
    assert [one.name for one in stations.rows(connection)] == ["one"]
    with pytest.raises(Refused, match="there already"):
        stations.add(connection, station)
    connection.close()


def test_the_table_repeats_the_dataclass_rules(tmp_path: Path) -> None:
    connection = open_database(tmp_path)
    with pytest.raises(sqlite3.IntegrityError):
        connection.execute(
            "INSERT INTO station (id, name, nozzle_mm, outlet_c, flow_lpm) VALUES (1, 'x', 99, 350, 30)"
        )
    with pytest.raises(InvalidValue, match="nozzle"):
        Station(0, "x", 99, 350, 30)
    connection.close()


def test_boards_and_plans_round_trip(tmp_path: Path, demo_board: Board) -> None:
    assert unpack(Board, pack(demo_board)) == demo_board
    plan = HeatPlan(targets=("U4",), moves=usual_moves(("U4",)))
    assert unpack(HeatPlan, pack(plan)) == plan
    assert small_scene().targets == ("U1",)
    connection = open_database(tmp_path)
    board_id = boards.add(
        connection,
        demo_board,
        Source(
            {"a": b"\x00\xff"},
            Choices(roles={"a": Role.PASTE_TOP}, parts={"U4": PartChoice(turn_deg=90)}),
        ),
    )
    assert boards.get(connection, board_id) == demo_board
    source = boards.source_of(connection, board_id)
    assert source.files == {"a": b"\x00\xff"}
    assert source.choices.roles["a"] is Role.PASTE_TOP
    assert source.choices.parts["U4"].turn_deg == 90
    boards.remove(connection, board_id)
    with pytest.raises(NotFound, match="no board"):
        boards.get(connection, board_id)
    connection.close()


def done(key: str, cue: str, at_ms: int) -> Tap:
    return Tap(key=key, cue=cue, word="done", at_ms=at_ms)


def test_a_run_from_start_to_logbook_and_backup(tmp_path: Path) -> None:
    connection = open_database(tmp_path)
    assert demo.fill(connection)
    assert not demo.fill(connection)
    job = jobs.rows(connection)[0]
    run_id = bench_runs.start_heat(connection, job.id)
    with pytest.raises(Refused, match="first: Start"):
        bench_runs.tap(connection, run_id, done("k0", "flowed U4", 5000))
    bench_runs.tap(connection, run_id, done("k1", "start", 1_000_000))
    bench_runs.tap(connection, run_id, done("k2", "flowed U4", 1_041_500))
    bench_runs.tap(connection, run_id, done("k2", "flowed U4", 1_099_000))
    with pytest.raises(Refused, match="not part of this run"):
        bench_runs.tap(connection, run_id, done("k3", "flowed R1", 1_050_000))
    with pytest.raises(Refused, match="before the tap before it"):
        bench_runs.tap(connection, run_id, done("k4", "away", 500))
    for verdict in (Verdict.BRIDGE, Verdict.GOOD):
        look.mark_joints(connection, job.id, [FoundMark("U4", "3", verdict)])
    wrong = [FoundMark("U4", "4", Verdict.GOOD), FoundMark("U4", "99", Verdict.GOOD)]
    with pytest.raises(Refused, match=r"'U4\.99' is not part of this run"):
        look.mark_joints(connection, job.id, wrong)  # all or none
    run = bench_runs.finish(connection, run_id, " went well ")
    assert run.flowed_s("U4") == pytest.approx(41.5)
    assert [str(mark.verdict) for mark in run.marks] == ["good"]
    assert (run.note, run.finished) == ("went well", True)
    assert (
        run.forecast.targets[0].early_s
        < run.forecast.targets[0].flows_s
        < run.forecast.targets[0].late_s
    )
    with pytest.raises(Refused, match="finished"):
        bench_runs.tap(connection, run_id, done("k9", "away", 1_090_000))
    connection.close()
    back_up(tmp_path, tmp_path / "copy.sqlite3")
    with pytest.raises(InvalidValue, match="exists already"):
        back_up(tmp_path, tmp_path / "copy.sqlite3")
    copy = connect(tmp_path / "copy.sqlite3")
    assert stored_runs.get(copy, run_id) == run
    copy.close()


def test_undo_goes_back_to_before_the_start(tmp_path: Path) -> None:
    connection = open_database(tmp_path)
    demo.fill(connection)
    run_id = bench_runs.start_heat(connection, jobs.rows(connection)[0].id)
    bench_runs.tap(connection, run_id, done("a", "start", 1000))
    bench_runs.tap(connection, run_id, done("b", "move 2", 2000))
    with pytest.raises(Refused, match="later taps"):
        bench_runs.undo_tap(connection, run_id, "a")
    bench_runs.undo_tap(connection, run_id, "b")
    assert bench_runs.undo_tap(connection, run_id, "a").taps == ()
    connection.close()
