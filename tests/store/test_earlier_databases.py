"""Databases of every earlier shape open, and what was done at the bench stands in them as it was."""

import hashlib
import sqlite3
from importlib import resources
from pathlib import Path

import pytest
from fastapi.testclient import TestClient

from tests.store.written_databases import FOLDER
from yellowfen.core.deposit.hand_plan import HandPlan, HandStep, Spot
from yellowfen.core.heat.heat_plan import HeatPlan
from yellowfen.core.heat.source import HotAir
from yellowfen.core.metal.paste import paste_named
from yellowfen.core.run.hand_paste import PASTE
from yellowfen.core.run.heat import HEAT
from yellowfen.core.run.iron import IRON
from yellowfen.core.run.kit import KIT
from yellowfen.core.run.look import LOOK
from yellowfen.core.run.placing import PLACE
from yellowfen.core.work.job import FoundMark, Purpose, Verdict
from yellowfen.store import bench_runs, boards, imports, jobs, stations, tasks, work
from yellowfen.store.database import _run_script, connect
from yellowfen.store.packing import pack, unpack
from yellowfen.web.app import create_app
from yellowfen.workflows.long_work import KINDS
from yellowfen.workflows.opening import DATABASE, open_database

SCRIPTS = sorted(
    item.name
    for item in resources.files("yellowfen.store.migrations").iterdir()
    if item.name.endswith(".sql")
)
BEFORE_ONE_MACHINE = SCRIPTS.index("0010_one_bench_run.sql")
PLAN = '{"alloy": "Sn63Pb37", "outlet_c": 340, "targets": ["U4", "R1"]}'
FORECAST = (
    '{"targets": [{"ref": "U4", "flows_s": 40, "early_s": 30, "late_s": 50}], "latest_s": 60}'
)
DOTS = HandPlan(
    (
        HandStep(
            ref="R1",
            value="1 k",
            package="0603",
            pins=("1", "2"),
            way="dots",
            gauge=22,
            spots=(Spot(1, 1, 0.5),),
            paste_mm3=0.1,
            seconds=5.0,
        ),
    ),
    (),
    paste_named("sn63-t4"),
)


def written_by(folder: Path, count: int) -> None:
    """A database as the first `count` migrations left it, with something of every kind in it."""
    connection = connect(folder / DATABASE, make=True)
    connection.execute("CREATE TABLE migration (name TEXT PRIMARY KEY, at TEXT NOT NULL) STRICT")
    for name in SCRIPTS[:count]:
        _run_script(connection, name)
    run = connection.execute
    run("INSERT INTO board (id, name, created_at, content) VALUES (4, 'Old board', '', '{}')")
    run("INSERT INTO job VALUES (3, 4, 'Old job', '2026-01-01', ?)", (PLAN,))
    run("INSERT INTO run VALUES (7, 3, '2026-01-02', 1000000, ?, ?, 'a note', 1)", (PLAN, FORECAST))
    taps = (
        ("start", "", 0),
        ("next move", "", 25),
        ("it flowed", "U4", 41.5),
        ("next move", "", 50),
        ("heat away", "", 52),
        ("solid", "", 80),
    )
    for number, (kind, ref, at) in enumerate(taps):
        run("INSERT INTO tap VALUES (?, 7, ?, ?, ?, ?)", (10 + number, f"k{number}", kind, ref, at))
    run("INSERT INTO found_mark VALUES (7, 'U4', '3', 'bridge')")
    if count >= 5:
        run("INSERT INTO hand_run VALUES (7, 3, 'top', '2026-01-03', ?)", (pack(DOTS),))
        run("INSERT INTO hand_tap VALUES (1, 7, 'h', 0, 5000)")
    if count >= 6:
        steps = '{"steps": [{"ref": "R1", "turn_deg": 90.0, "turned": true, "new_value": true, "batch": 1, "anew": true}, {"ref": "C1", "turn_deg": 0.0, "turned": false, "new_value": false, "batch": 0}]}'
        run("INSERT INTO place_run VALUES (7, 3, 'bottom', '2026-01-04', ?)", (steps,))
        run("INSERT INTO place_tap VALUES (1, 7, 'p', 'C1', 'missing', 6000)")
        run("INSERT INTO place_tap VALUES (2, 7, 'q', 'R1', 'placed', 9000)")
        run("INSERT INTO kit_found VALUES (3, '1 k | 0603', 'another instead', '1.2 k')")
    connection.close()


@pytest.mark.parametrize("count", range(1, BEFORE_ONE_MACHINE + 1))
def test_what_was_done_at_the_bench_stands_after_every_migration(
    tmp_path: Path, count: int
) -> None:
    written_by(tmp_path, count)
    connection = open_database(tmp_path)
    job = jobs.get(connection, 3)
    assert (job.name, job.purpose, job.parts, len(job.heats)) == ("Old job", Purpose.BUILD, (), 1)
    assert (job.plan.air.outlet_c, job.plan.targets, job.plan.side) == (340, ("U4", "R1"), "top")
    heat = bench_runs.get(connection, 7)
    assert (heat.kind, heat.note, heat.finished) == (HEAT, "a note", True)
    assert [tap.cue for tap in heat.taps] == [
        "start",
        "move 2",
        "flowed U4",
        "move 3",
        "away",
        "solid",
    ]
    assert heat.flowed_s("U4") == 41.5
    assert heat.heat_id == job.heat_id
    assert [(mark.ref, mark.pin, str(mark.verdict)) for mark in heat.marks] == [
        ("U4", "3", "bridge")
    ]
    assert heat.molten == ("U4",)
    kinds = {run.kind: run for run in bench_runs.rows(connection, job_id=3)}
    assert len(kinds) == 2 + (count >= 5) + 2 * (count >= 6)
    assert (kinds[LOOK].looks_at, kinds[LOOK].state.over) == (7, True)
    if count >= 5:
        assert kinds[PASTE].planned(HandPlan) == DOTS
        assert kinds[PASTE].state.done == {"0": "done"}
    if count >= 6:
        place = kinds[PLACE]
        assert (place.side, place.state.done, place.state.aside) == (
            "bottom",
            {"R1": "placed"},
            {"C1": "missing"},
        )
        assert kinds[KIT].taps[0].text == "1.2 k"
    connection.close()
    page = TestClient(create_app(tmp_path), base_url="http://127.0.0.1").get("/logbook").text
    assert "a note" in page
    assert "1 bridge" in page


# A landed migration is never changed; a new one adds its line.
DIGESTS = {
    "0001_first.sql": "1223f1f1326b584f",
    "0002_heat_tools.sql": "bcc76b6139450924",
    "0003_long_nozzle.sql": "bcc6b1f25f6bae25",
    "0004_boards.sql": "b00e7e835efcde6b",
    "0005_paste.sql": "5551aa0958bd27fd",
    "0006_ready_and_place.sql": "5c4bc8e86297e5bd",
    "0007_schools_of_the_bench.sql": "d339c4504d9ed1ef",
    "0008_copper_as_drawn.sql": "82b90ccd3211f886",
    "0009_air_by_its_dial.sql": "8b820cd14903c1cd",
    "0010_one_bench_run.sql": "689531c85aa73895",
    "0011_jobs_heats_pieces.sql": "9e219657a6d743c9",
    "0012_leases.sql": "7dfd475584a9532f",
    "0013_runs_put_away.sql": "8d79b8f4cea89290",
    "0014_number_of_boards.sql": "869fcb97ab970c18",
    "0015_tours.sql": "6eb44c4ec97546d3",
    "0016_rework.sql": "7227747de9803798",
    "0017_pictures_and_proof.sql": "66cc1bb62b6b838a",
    "0018_read_apart.sql": "352db4f8ac5013cd",
    "0019_one_room.sql": "61b5ef61c7a9bf99",
    "0020_long_work.sql": "f3f427407bd0c14f",
    "0021_looks.sql": "766b1ca74810e5b3",
    "0022_slanted_below.sql": "6b0c8e27d43ae7d8",
    "0023_prints_by_key.sql": "d1ee10d9e4ab2a2c",
    "0024_rich_pours.sql": "563433cc3158e1a1",
    "0025_removed_on_purpose.sql": "2ee87ffc4bdb3c33",
    "0026_board_on_the_bench.sql": "7b33af6c0e90969e",
    "0027_station_air.sql": "bfd352c20c310de8",
    "0028_taken_back.sql": "601967581584f0b2",
}


def test_a_station_of_columns_becomes_one_of_one_record_with_the_same_true_air(
    tmp_path: Path,
) -> None:
    written = sqlite3.connect(tmp_path / DATABASE)
    written.executescript((FOLDER / "0026_board_on_the_bench.sql").read_text(encoding="utf-8"))
    written.execute("DELETE FROM station")
    written.executemany(
        "INSERT INTO station (id, name, nozzle_mm, nozzle_long_mm, outlet_c, outlet_offset_c, flow_lpm, outlet_label, flow_label)"
        " VALUES (?, ?, 4, ?, ?, ?, 25, '', '')",
        [(1, "Slit", 12, 300, -10), (2, "Shows too much", None, 640, -100)],
    )
    written.commit()
    written.close()
    connection = open_database(tmp_path)
    slit, far = stations.rows(connection)
    assert slit.air == HotAir(nozzle_mm=4, nozzle_long_mm=12, outlet_c=300, flow_lpm=25)
    assert (slit.true_air().outlet_c, far.true_air().outlet_c) == (290, 540)
    text = '{"nozzle_mm": 4, "outlet_c": 640, "outlet_offset_c": -100, "flow_lpm": 25}'
    assert unpack(HeatPlan, text).hot_air() == far.true_air()
    connection.close()


def test_landed_migrations_are_as_they_landed() -> None:
    folder = resources.files("yellowfen.store.migrations")
    found = {
        name: hashlib.sha256((folder / name).read_bytes()).hexdigest()[:16] for name in SCRIPTS
    }
    assert found == DIGESTS


@pytest.mark.parametrize(
    ("typed", "heat", "room"), [(18.0, 23.0, 18.0), (22.0, 27.0, 27.0), ('"warm"', 25.0, 25.0)]
)
def test_the_room_typed_in_ready_goes_before_the_heats(
    tmp_path: Path, typed: object, heat: float, room: float
) -> None:
    """22 °C was what Ready had when nobody typed one."""
    written_by(tmp_path, BEFORE_ONE_MACHINE)
    connection = open_database(tmp_path)
    connection.execute("ALTER TABLE job DROP COLUMN room_c")
    connection.execute("DELETE FROM migration WHERE name LIKE '0019%'")
    connection.execute("UPDATE heat SET plan = json_set(plan, '$.ambient_c', ?)", (heat,))
    content = f'{{"room_c": {typed}}}'
    connection.execute(
        "INSERT OR REPLACE INTO ready_plan (job_id, content) VALUES (3, ?)", (content,)
    )
    connection.close()
    connection = open_database(tmp_path)
    assert jobs.room_of(connection, 3) == room
    assert jobs.get(connection, 3).plan.ambient_c == room
    connection.close()


def test_searches_and_imports_of_two_tables_stand_in_one(tmp_path: Path) -> None:
    """Both had numbers of their own: a search keeps its, an import comes behind with its files."""
    written = sqlite3.connect(tmp_path / DATABASE)
    written.executescript((FOLDER / "0019_one_room.sql").read_text(encoding="utf-8"))
    written.executescript(
        "INSERT INTO task (id, job_id, kind, asked, state, asked_at, tries)"
        " VALUES (7, 1, 'window', '{\"a\": 1}', 'working', '2026-11-01 10:00:00', 2);"
        "INSERT INTO task_step VALUES (7, 0, '{\"b\": 2}');"
        "INSERT INTO board_import (id, name, thickness_mm, state, all_steps, asked_at)"
        " VALUES (7, 'large', 0.8, 'waiting', 9, '2026-11-02 10:00:00');"
        "INSERT INTO board_import_file VALUES (7, 'a.gbr', x'00ff')"
    )
    written.close()
    connection = open_database(tmp_path)
    search = tasks.get(connection, 7)
    assert (search.kind, search.asked, search.state) == ("window", '{"a": 1}', "working")
    assert search.steps == ('{"b": 2}',)
    reading = imports.get(connection, 14)
    assert (reading.name, reading.thickness_mm, reading.all_steps) == ("large", 0.8, 9)
    assert imports.files_of(connection, 14) == {"a.gbr": b"\x00\xff"}
    said = {name: kind.given_up for name, kind in KINDS.items()}
    taken = [work.take(connection, said, "me") for _ in range(3)]
    assert [one and one.id for one in taken] == [7, 14, None]
    connection.close()


def test_marks_become_the_taps_of_a_look(tmp_path: Path) -> None:
    """Each with its pair, in the order they were made; those of a run put away come back with it."""
    written = sqlite3.connect(tmp_path / DATABASE)
    written.executescript((FOLDER / "0020_long_work.sql").read_text(encoding="utf-8"))
    written.executescript(
        "INSERT INTO bench_run (id, job_id, kind, side, started_at, plan, removed_at) VALUES"
        " (5, 1, 'iron', 'top', '2026-11-01 10:00:00', '{\"refs\": [\"R1\"]}', NULL),"
        " (6, 1, 'iron', 'top', '2026-11-02 10:00:00', '{\"refs\": [\"C1\"]}', '2026-11-03');"
        "INSERT INTO joint_mark (run_id, ref, pin, verdict, other) VALUES"
        " (5, 'R1', '2', 'bridge', '1'), (5, 'R1', '', 'standing on end', ''),"
        " (6, 'C1', '1', 'lean', '')"
    )
    written.close()
    connection = open_database(tmp_path)
    assert bench_runs.get(connection, 5).marks == (
        FoundMark("R1", "2", Verdict.BRIDGE, "1"),
        FoundMark("R1", "", Verdict.TOMBSTONE),
    )
    assert [run.id for run in bench_runs.rows(connection, IRON)] == [5]
    assert [name for name, _ in bench_runs.removed(connection, days=10**5)] == [6]
    bench_runs.remove(connection, 6, back=True)
    assert bench_runs.get(connection, 6).marks == (FoundMark("C1", "1", Verdict.STARVED),)
    bench_runs.remove(connection, 5)
    assert [run.looks_at for run in bench_runs.rows(connection, LOOK)] == [6]
    connection.close()


def test_only_boards_with_slanted_parts_below_or_drawn_copper_are_read_again(
    tmp_path: Path,
) -> None:
    written = sqlite3.connect(tmp_path / DATABASE)
    written.executescript((FOLDER / "0021_looks.sql").read_text(encoding="utf-8"))
    ids = [row[0] for row in written.execute("SELECT id FROM board ORDER BY id")]
    written.execute(
        "UPDATE board SET content = json_set(content, '$.copper', json('[]'), '$.parts[0].side',"
        " 'bottom', '$.parts[0].rotation_deg', id * 45.0)"
    )
    drawn = (
        "INSERT INTO board (name, created_at, content) SELECT name, created_at, json_set(content,"
        " '$.copper', json(?), '$.parts[0].side', 'top') FROM board WHERE id = 2"
    )
    written.execute(drawn, ('[{"layer": "top", "links": ["a", "b"]}]',))
    written.execute(drawn, ('[{"layer": "top", "links": null}]',))
    written.commit()
    written.close()
    connection = open_database(tmp_path)
    assert boards.stale(connection) == [1, max(ids) + 1]
    connection.close()
