"""The database: migrations, atomic work, round trips, backup."""

import sqlite3
from importlib import resources
from pathlib import Path

import pytest

from tests.conftest import small_scene
from yellowfen.core.bench.station import Station
from yellowfen.core.board.board import Board, Role
from yellowfen.core.board.choices import Choices, PartChoice
from yellowfen.core.heat.heat_plan import USUAL_AIR, HeatPlan, usual_moves
from yellowfen.core.heat.source import HotAir
from yellowfen.errors import InvalidValue, NotFound, Refused
from yellowfen.store import boards, ready, stations
from yellowfen.store.boards import Source
from yellowfen.store.database import _run_script, atomic, connect, migrate
from yellowfen.store.packing import pack, unpack
from yellowfen.workflows.opening import DATABASE, open_database


def test_migrating_twice_changes_nothing(tmp_path: Path) -> None:
    connection = connect(tmp_path / "a.sqlite3", make=True)
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
    connection = connect(tmp_path / DATABASE, make=True)
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
    station = Station(id=0, name="one", air=USUAL_AIR)

    def failing_inner() -> None:
        with atomic(connection):
            stations.add(connection, Station(id=0, name="two", air=USUAL_AIR))
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
            "INSERT INTO station (id, name, air) VALUES (1, 'x', '{\"nozzle_mm\": 6')"
        )
    with pytest.raises(InvalidValue, match="nozzle"):
        HotAir(nozzle_mm=99, outlet_c=350, flow_lpm=30)
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
    with pytest.raises(NotFound, match="no board"):
        boards.get(connection, board_id + 1)
    connection.close()
