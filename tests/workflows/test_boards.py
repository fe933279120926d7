"""Boards kept by earlier versions, choices, pictures, imports."""

import io
import json
import sqlite3
from dataclasses import replace
from importlib import resources
from pathlib import Path

import pytest
from PIL import Image

from yellowfen.core.board.board import Role
from yellowfen.core.board.sketch import Plane, Sketch, SketchedPart
from yellowfen.errors import NotFound, Refused, UnreadableFile
from yellowfen.store import boards, imports, packages, work
from yellowfen.store.database import _run_script, connect, migrate
from yellowfen.workflows import sketching
from yellowfen.workflows.boards import (
    ask_rereads,
    import_board,
    library_of,
    reread,
    take_reading,
    work_import,
)
from yellowfen.workflows.demo import demo_files
from yellowfen.workflows.long_work import IMPORTS, REREAD, cancel, do_one
from yellowfen.workflows.opening import DATABASE, open_database


def earlier(folder: Path, files: dict[str, bytes], role: str | None = None) -> None:
    """A database as the version before this one left it, with one board in its old form."""
    connection = connect(folder / DATABASE, make=True)
    connection.execute("CREATE TABLE migration (name TEXT PRIMARY KEY, at TEXT NOT NULL) STRICT")
    scripts = sorted(
        item.name
        for item in resources.files("yellowfen.store.migrations").iterdir()
        if item.name.endswith(".sql")
    )
    for name in scripts[:3]:
        _run_script(connection, name)
    old = {
        "name": "Old",
        "width_mm": 62.0,
        "height_mm": 44.0,
        "thickness_mm": 1.6,
        "outline": [],
        "pads": [],
        "holes": [],
        "copper": [],
        "parts": [],
        "layers": [],
        "findings": [],
        "paste_openings": {"top": 0, "bottom": 0},
        "drawings": {"copper top": "M0,0L1,1Z"},
    }
    connection.execute(
        "INSERT INTO board (id, name, created_at, content) VALUES (1, 'Old', '2026-01-01', ?)",
        (json.dumps(old),),
    )
    for name, data in files.items():
        connection.execute(
            "INSERT INTO board_file VALUES (1, ?, ?, ?)",
            (name, role if name.endswith("paste-top.gbr") else None, data),
        )
    connection.close()


def reread_all(connection: sqlite3.Connection) -> int:
    """As a server does from its start: how many boards its worker read again."""
    ask_rereads(connection)
    return sum(1 for _ in iter(lambda: do_one(connection, IMPORTS, "me"), False))


def test_a_board_of_an_earlier_version_opens_and_shows_how_it_would_be_read(tmp_path: Path) -> None:
    """Opening reads nothing; the worker does, with the roles chosen, and takes nothing over that
    differs until its owner does.
    """
    earlier(tmp_path, demo_files(), "not used")
    connection = open_database(tmp_path)
    assert boards.get(connection, 1).parts == ()
    assert reread_all(connection) == 1
    assert reread_all(connection) == 0
    assert boards.get(connection, 1).parts == ()
    proposed = boards.proposed_reading(connection, 1)
    assert proposed is not None
    take_reading(connection, 1, take=True)
    board = boards.get(connection, 1)
    assert (board.name, len(board.parts), board.paste_openings["top"]) == ("Old", 46, 0)
    assert boards.source_of(connection, 1).choices.roles == {"reedgate-paste-top.gbr": Role.IGNORED}
    assert boards.proposed_reading(connection, 1) is None
    with pytest.raises(NotFound, match="no other reading"):
        take_reading(connection, 1, take=False)
    connection.close()


def test_a_board_that_cannot_be_read_any_more_stays_as_it_was(tmp_path: Path) -> None:
    earlier(tmp_path, {"a.txt": b"nothing"})
    connection = open_database(tmp_path)
    assert reread_all(connection) > 0
    board = boards.get(connection, 1)
    assert (board.width_mm, board.drawings) == (62.0, {})
    assert "stays as it was" in board.findings[-1].sentence
    assert migrate(connection) == 0
    connection.close()


def test_a_database_of_the_first_form_of_0004_is_repaired(tmp_path: Path) -> None:
    connection = open_database(tmp_path)
    connection.execute("DROP TABLE footprint_meaning")
    connection.execute("DELETE FROM migration WHERE name LIKE '0018%'")
    connection.execute("DROP TABLE bench_setting")
    for table, columns in (
        ("board_import", ("guesses", "choices")),
        ("board", ("reread",)),
        ("station", ("air_unknown", "outlet_unknown")),
    ):
        for column in columns:
            connection.execute(f"ALTER TABLE {table} DROP COLUMN {column}")
    connection.close()
    again = open_database(tmp_path)
    assert len(boards.get(again, import_board(again, demo_files().items(), "demo")).parts) == 46
    again.close()


@pytest.fixture
def connection(tmp_path: Path) -> sqlite3.Connection:
    return open_database(tmp_path)


def test_a_reread_that_fails_changes_nothing(connection: sqlite3.Connection) -> None:
    board_id = import_board(connection, demo_files().items(), "demo")
    before, source = boards.get(connection, board_id), boards.source_of(connection, board_id)
    nothing = source.choices.with_roles(dict.fromkeys(source.files, Role.IGNORED))
    with pytest.raises(UnreadableFile, match="no copper, mask or paste layer"):
        reread(connection, board_id, nothing, "nothing")
    assert boards.get(connection, board_id) == before
    assert boards.source_of(connection, board_id).choices == source.choices


def taken(connection: sqlite3.Connection, owner: str = "me") -> imports.Import:
    found = work.take(connection, {imports.KIND: "three times"}, owner)
    assert found is not None
    return imports.get(connection, found.id)


def test_an_import_taken_over_is_stored_once(connection: sqlite3.Connection) -> None:
    """The first reader comes to its end after another took over: its board is taken back with it."""
    imports.add(connection, "large", 1.6, None, demo_files())
    slow = taken(connection, "slow")
    other = taken(connection, "other")
    work_import(connection, slow)
    assert boards.rows(connection) == []
    work_import(connection, other)
    work_import(connection, slow)
    assert len(boards.rows(connection)) == 1
    assert imports.get(connection, other.id).state == "done"


def test_an_import_stores_its_board_and_drops_its_copy(connection: sqlite3.Connection) -> None:
    import_id = imports.add(connection, "large", 1.0, None, demo_files())
    work_import(connection, taken(connection))
    done = imports.get(connection, import_id)
    assert (done.state, done.done_steps >= 1) == ("done", True)
    assert boards.get(connection, done.board_id or 0).thickness_mm == 1.0
    assert imports.files_of(connection, import_id) == {}
    assert work.take(connection, {imports.KIND: ""}, "me") is None


def test_an_import_that_throws_ends_with_a_sentence_and_the_next_is_read(
    connection: sqlite3.Connection, monkeypatch: pytest.MonkeyPatch
) -> None:
    first, second = (
        imports.add(connection, name, 1.6, None, demo_files()) for name in ("bad", "good")
    )
    monkeypatch.setattr(
        "yellowfen.workflows.boards.read_board", lambda *_, **__: {}["nobody foresaw this"]
    )
    work_import(connection, taken(connection))
    monkeypatch.undo()
    failed = imports.get(connection, first)
    assert (failed.state, failed.board_id) == ("failed", None)
    assert "failed in the program" in failed.said
    assert taken(connection).id == second


def stale_again(folder: Path) -> sqlite3.Connection:
    connection = connect(folder / DATABASE)
    connection.execute("UPDATE board SET stale = 1")
    connection.close()
    return open_database(folder)


def test_a_board_is_reread_with_thickness_own_packages_and_columns(
    connection: sqlite3.Connection, tmp_path: Path
) -> None:
    packages.keep_meaning(connection, "SOIC-8_3.9x4.9mm", "MSOP-8")
    board_id = import_board(connection, demo_files().items(), "thin", 0.8)
    before = boards.get(connection, board_id)
    connection.close()
    again = stale_again(tmp_path)
    assert reread_all(again) == 1
    assert boards.stale(again) == []
    assert boards.proposed_reading(again, board_id) is None
    assert boards.get(again, board_id) == before
    assert before.thickness_mm == 0.8
    again.close()


def test_the_database_opens_whatever_a_board_does_when_it_is_reread(
    connection: sqlite3.Connection, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    board_id = import_board(connection, demo_files().items(), "odd", 0.8)
    before = boards.get(connection, board_id)
    connection.close()
    monkeypatch.setattr(
        "yellowfen.workflows.boards.read_board", lambda *_, **__: {}["nobody foresaw this"]
    )
    again = stale_again(tmp_path)
    assert boards.get(again, board_id) == before
    assert reread_all(again) == 1
    kept = boards.get(again, board_id)
    assert replace(kept, findings=before.findings) == before
    assert "stays as it was" in kept.findings[-1].sentence
    assert boards.stale(again) == []
    again.close()


def test_a_board_that_ends_its_reader_three_times_is_left_as_it_was(
    connection: sqlite3.Connection, tmp_path: Path
) -> None:
    """Its worker is killed over it each time: the boards behind it are read all the same."""
    first, second = (import_board(connection, demo_files().items(), name) for name in "ab")
    before = boards.get(connection, first)
    connection.close()
    again = stale_again(tmp_path)
    ask_rereads(again)
    for number in range(work.MOST_TRIES):
        held = work.take(again, {REREAD: "it crashed"}, f"dying {number}")
        assert held is not None
        assert held.board_id == first
    assert reread_all(again) == 1
    assert boards.stale(again) == [first]
    ask_rereads(again)  # the next start of a server
    kept = boards.get(again, first)
    assert replace(kept, findings=before.findings) == before
    assert "stays as it was (reading it again crashed" in kept.findings[-1].sentence
    assert boards.stale(again) == []
    assert boards.get(again, second).name == "b"
    again.close()
    later = stale_again(tmp_path)  # a later version reads both anew
    assert reread_all(later) == 2
    assert boards.stale(later) == []
    later.close()


def test_reading_again_can_be_given_up(connection: sqlite3.Connection, tmp_path: Path) -> None:
    board_id = import_board(connection, demo_files().items(), "left alone")
    connection.close()
    again = stale_again(tmp_path)
    ask_rereads(again)
    (listed,) = work.listed(again)
    assert listed.name == "reading left alone again"
    cancel(again, listed.id)
    assert reread_all(again) == 0
    assert boards.stale(again) == []
    assert "given up" in boards.get(again, board_id).findings[-1].sentence
    again.close()
    later = stale_again(tmp_path)
    assert reread_all(later) == 1
    later.close()


def test_an_import_given_up_stores_nothing(connection: sqlite3.Connection) -> None:
    import_id = imports.add(connection, "large", 1.6, None, demo_files())
    waiting = taken(connection)
    imports.cancel(connection, import_id)
    work_import(connection, waiting)
    assert boards.rows(connection) == []
    assert imports.get(connection, import_id).state == "cancelled"
    with pytest.raises(NotFound, match="no import 9"):
        imports.get(connection, 9)


def test_a_sketch_keeps_its_picture_and_cannot_be_read_from_files(
    connection: sqlite3.Connection,
) -> None:
    board_id = sketching.begin(connection, "Patch")
    sketching.keep(
        connection,
        board_id,
        Sketch(
            name="Patch",
            width_mm=50,
            height_mm=40,
            thickness_mm=0.8,
            plane=Plane.NO,
            parts=(SketchedPart(ref="U1", package="SOIC-8", x_mm=20, y_mm=20),),
        ),
    )
    stream = io.BytesIO()
    Image.new("RGB", (80, 70), "red").save(stream, "PNG")
    sketching.lay_picture(connection, board_id, stream.getvalue(), "b.png")
    kept = boards.picture_of(connection, board_id)
    assert kept is not None
    assert kept[0] == "image/jpeg"
    assert Image.open(io.BytesIO(kept[1])).size == (80, 70)
    with pytest.raises(Refused, match="sketched by hand"):
        reread(connection, board_id, boards.source_of(connection, board_id).choices, "nothing")
    sketching.take_picture_away(connection, board_id)
    assert boards.picture_of(connection, board_id) is None
    assert boards.get(connection, board_id).thickness_mm == 0.8


def test_meanings_of_footprints_are_found_whatever_their_prefix(
    connection: sqlite3.Connection,
) -> None:
    packages.keep_meaning(connection, "house:CASE_Q", "SOT-23")
    found = library_of(connection).find("other:case-q")
    assert found is not None
    assert found.name == "SOT-23"
    packages.keep_heading(connection, "a|b", {"ref": 0, "x": 1})
    packages.forget_heading(connection, "a|b", {"ref": 1})
    assert packages.headings(connection) == {"a|b": {"ref": 1}}
    packages.forget_heading(connection, "a|b", None)
    assert packages.headings(connection) == {}
