"""Storage in trouble: damaged in a dozen ways, full, locked, only to be read, newer. A sentence
each, and nothing lost.
"""

import os
import random
import shutil
import sqlite3
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient

from yellowfen.errors import NotFound, Refused
from yellowfen.store import boards, ready
from yellowfen.store.database import Vanished, atomic, connect, migrate
from yellowfen.store.health import (
    earlier_copy,
    good_copy,
    holds,
    keep_good_copy,
    lacking,
    put_back,
    trouble,
)
from yellowfen.store.turns import Turns
from yellowfen.web.app import create_app
from yellowfen.workflows import demo
from yellowfen.workflows.opening import DATABASE, keep_good, open_database, open_soundly


@pytest.fixture
def folder(tmp_path: Path, filled: Path) -> Path:
    shutil.copy(filled, tmp_path / DATABASE)
    return tmp_path


def _over(at: float, length: int, content: bytes | None = None) -> Callable[[Path], None]:
    """Bytes written over a place of the file (a share of its length)."""

    def damage(path: Path) -> None:
        size = path.stat().st_size
        with path.open("r+b") as file:
            file.seek(int(at * size))
            file.write(content or random.Random(5).randbytes(length))

    return damage


def _cut(share: float) -> Callable[[Path], None]:
    return lambda path: os.truncate(path, int(share * path.stat().st_size))


DAMAGES: dict[str, Callable[[Path], None]] = {
    "header of zeros": _over(0, 0, bytes(100)),
    "header of text": _over(0, 0, b"this is no database " * 6),
    "first page": _over(0, 4096),
    "second page": _over(4096 / 10_000_000, 4096, b"\xff" * 8192),
    "a page in the middle": _over(0.5, 8192),
    "a stretch of pages": _over(0.2, 400_000),
    "the last pages": _over(0.97, 20_000),
    "cut in half": _cut(0.5),
    "cut to a page": _cut(0.001),
    "another file": lambda path: path.write_bytes(b"PK\x03\x04" + bytes(50_000)) and None,
    "pages of zeros": _over(0.3, 0, bytes(200_000)),
    "a page size of none": lambda path: _over(0, 0, b"SQLite format 3\x00\x00\x00")(path),
}


@pytest.mark.parametrize("name", DAMAGES)
def test_a_damaged_database_is_told_and_the_good_copy_put_back(folder: Path, name: str) -> None:
    path = folder / DATABASE
    assert keep_good_copy(path)
    DAMAGES[name](path)
    damaged = path.read_bytes()
    if not trouble(path):
        pytest.skip("what was written over held nothing")
    with pytest.raises(Refused, match=r"damaged.*--last-good"):
        open_soundly(folder)
    assert path.read_bytes() == damaged
    connection = open_soundly(folder, last_good=True)
    assert len(boards.rows(connection)) == 1
    assert len(boards.get(connection, 1).parts) == 46
    connection.close()
    kept = [one for one in folder.glob("*.damaged-*") if not one.name.endswith(("-wal", "-shm"))]
    assert [one.read_bytes() for one in kept] == [damaged]


def test_a_sound_database_is_never_replaced(folder: Path) -> None:
    path = folder / DATABASE
    with pytest.raises(NotFound, match="no good copy"):
        put_back(path)
    assert keep_good_copy(path)
    assert not keep_good_copy(path)
    with pytest.raises(Refused, match="is sound"):
        put_back(path)
    assert good_copy(path).exists()


def test_a_vanished_database_is_asked_about_and_its_copy_stays(folder: Path) -> None:
    """Missing or of no length, with a copy beside: nothing begins anew, whoever opens it."""
    path = folder / DATABASE
    assert keep_good_copy(path)
    copy = good_copy(path).read_bytes()
    for gone in (path.unlink, path.touch):
        gone()
        for opening in (open_database, open_soundly, create_app):
            with pytest.raises(Refused, match=r"good copy.*--last-good.*--begin-anew"):
                opening(folder)
        assert good_copy(path).read_bytes() == copy
        assert not path.exists() or not path.stat().st_size
    connection = open_soundly(folder, last_good=True)
    assert len(boards.rows(connection)) == 1
    connection.close()
    path.unlink()
    connection = open_soundly(folder, begin_anew=True)
    assert boards.rows(connection) == []
    connection.close()
    assert keep_good(folder) == ""
    assert [one.read_bytes() for one in folder.glob("*.good.set-aside-*")] == [copy]


def test_a_copy_that_holds_more_is_kept_until_the_user_says_otherwise(folder: Path) -> None:
    path = folder / DATABASE
    connection = open_database(folder)
    assert keep_good_copy(path)
    full = good_copy(path).read_bytes()
    connection.execute("DELETE FROM board WHERE id = 1")  # on purpose: the copy may follow
    connection.close()
    assert lacking(path) == ""
    assert keep_good_copy(path, every_s=0)
    assert earlier_copy(path).read_bytes() == full
    good_copy(path).write_bytes(full)
    path.unlink()
    poorer = connect(path, make=True)
    migrate(poorer)
    poorer.close()
    assert lacking(path) == "0 of 1 boards, 0 of 1 jobs, 0 of 1 stations, 0 of 1 paste lots"
    assert not keep_good_copy(path, every_s=0)
    assert good_copy(path).read_bytes() == full
    client = TestClient(create_app(folder), base_url="http://127.0.0.1")
    client.app.state.lacks = lacking(path)  # type: ignore[attr-defined]
    assert "holds less than its last good copy:</b> 0 of 1 boards" in client.get("/").text
    client.post("/storage/copy")
    assert "holds less" not in client.get("/").text
    assert (good_copy(path).read_bytes() != full, earlier_copy(path).read_bytes() == full) == (
        True,
        True,
    )


@pytest.mark.parametrize("name", ["a#b", "a?b", "50% done", "a b&c=d", "Überholung Ω"])
def test_a_folder_of_any_name_has_its_own_copy(tmp_path: Path, filled: Path, name: str) -> None:
    folder = tmp_path / name
    folder.mkdir()
    shutil.copy(filled, folder / DATABASE)
    path = folder / DATABASE
    keep_good(folder)
    assert sorted(one.name for one in tmp_path.iterdir()) == [name]
    assert not holds(path).less_than(holds(good_copy(path)))
    assert holds(good_copy(path)).numbers["board"] == 1
    DAMAGES["another file"](path)
    assert trouble(path)
    connection = open_soundly(folder, last_good=True)
    assert len(boards.rows(connection)) == 1
    connection.close()


@pytest.mark.parametrize("killed_at", range(5))
def test_a_kill_while_the_copy_is_put_back_loses_nothing(
    folder: Path, monkeypatch: pytest.MonkeyPatch, killed_at: int
) -> None:
    """Ended before each of its renames: the next start asks or puts it back, and all is there."""
    path = folder / DATABASE
    assert keep_good_copy(path)
    DAMAGES["first page"](path)
    path.with_name(path.name + "-wal").write_bytes(b"of the damaged one")
    left, rename = [killed_at], os.replace

    def until_killed(source: Path, target: Path) -> None:
        if not left[0]:
            raise KeyboardInterrupt
        left[0] -= 1
        rename(source, target)

    monkeypatch.setattr("yellowfen.store.health.os.replace", until_killed)
    with suppress(KeyboardInterrupt):
        open_soundly(folder, last_good=True).close()
    monkeypatch.undo()
    if not path.exists() or trouble(path):
        with pytest.raises(Refused, match="--last-good"):
            open_soundly(folder)
    connection = open_soundly(folder, last_good=True)
    assert len(boards.get(connection, 1).parts) == 46
    connection.close()


def test_what_disappears_under_a_running_server_is_told_and_no_tap_confirmed(folder: Path) -> None:
    """The whole file moved away, and moved back; then its log deleted: what was confirmed before
    is in the database.
    """
    path, away = folder / DATABASE, folder / "away"
    app = create_app(folder)
    client = TestClient(app, base_url="http://127.0.0.1", raise_server_exceptions=False)

    def tap(hands: str) -> int:
        return client.post("/bench/hands", data={"hands": hands}).status_code

    assert tap("shaky") == 200
    for name in ("", "-wal", "-shm"):
        os.replace(path.with_name(path.name + name), away.with_name(away.name + name))
    reply = client.post("/bench/hands", data={"hands": "steady"})
    assert (reply.status_code, "cannot be opened" in reply.text) == (503, True)
    assert not path.exists()
    for name in ("", "-wal", "-shm"):
        os.replace(away.with_name(away.name + name), path.with_name(path.name + name))
    assert tap("shaky") == 200
    path.with_name(path.name + "-wal").unlink()
    reply = client.post("/bench/hands", data={"hands": "steady"})
    assert (reply.status_code, "-wal beside the database was deleted" in reply.text) == (409, True)
    assert tap("steady") == 409  # until it is started anew
    app.state.resting.close()
    connection = open_soundly(folder)
    assert ready.bench_setting(connection, "hands") == "shaky"
    connection.close()


def test_a_statement_whose_file_went_away_is_not_confirmed(folder: Path) -> None:
    """Between the request's begin and its end: in one statement and in a transaction."""
    path = folder / DATABASE
    open_database(folder).close()
    for gone in (path.with_name(path.name + "-wal"), path):
        connection = connect(path)
        gone.rename(folder / "away")
        with pytest.raises(Vanished):
            connection.execute("INSERT OR REPLACE INTO kit_place (line, place) VALUES ('one', 'x')")
        with pytest.raises(Vanished), atomic(connection):
            connection.execute("INSERT OR REPLACE INTO kit_place (line, place) VALUES ('two', 'x')")
        connection.close()


def test_what_a_killed_server_left_in_the_log_is_read_where_nothing_may_be_written(
    folder: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    open_database(folder).close()
    path, killed = folder / DATABASE, folder / "killed"
    killed.mkdir()
    connection = connect(path)
    connection.execute("INSERT INTO kit_place (line, place) VALUES ('C1', 'bin 7')")
    for name in ("", "-wal"):  # as they lie when a server is killed
        shutil.copy(path.with_name(path.name + name), killed)
    connection.close()
    monkeypatch.setattr("yellowfen.store.database._may_write", lambda path: False)
    connection = connect(killed / DATABASE)
    assert connection.execute("SELECT place FROM kit_place").fetchone()[0] == "bin 7"
    with pytest.raises(sqlite3.OperationalError, match="readonly"):
        connection.execute("DELETE FROM kit_place")
    connection.close()
    assert sorted(one.name for one in killed.iterdir()) == [DATABASE, f"{DATABASE}-wal"]


def test_a_full_disk_is_told_and_nothing_is_lost(
    folder: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A bound on the file's pages stands in for the disk."""
    client = TestClient(
        create_app(folder), base_url="http://127.0.0.1", raise_server_exceptions=False
    )

    def bounded(path: Path, **more: Any) -> sqlite3.Connection:
        connection = connect(path, **more)
        pages = connection.execute("PRAGMA page_count").fetchone()[0]
        connection.execute(f"PRAGMA max_page_count = {pages}")
        return connection

    monkeypatch.setattr("yellowfen.workflows.opening.connect", bounded)
    files = [("files", pair) for pair in demo.demo_files().items()]
    reply = client.post("/boards", files=files)
    assert reply.status_code == 507
    assert "The disk is full; nothing was changed" in reply.text
    assert client.get("/boards/1").status_code == 200
    assert client.get("/boards/2").status_code == 404
    monkeypatch.undo()
    assert client.post("/boards", files=files).status_code == 200


def test_a_folder_only_to_be_read_shows_its_pages(
    folder: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    open_database(folder).close()
    monkeypatch.setattr("yellowfen.store.database._may_write", lambda path: False)
    client = TestClient(
        create_app(folder), base_url="http://127.0.0.1", raise_server_exceptions=False
    )
    for path in ("/", "/boards/1", "/bench", "/jobs/1/ready"):
        assert client.get(path).status_code == 200, path
    reply = client.post("/bench/hands", data={"hands": "shaky"})
    assert reply.status_code == 503
    assert "may be read but not written" in reply.text


def test_a_lock_of_another_program_is_told(folder: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    client = TestClient(
        create_app(folder), base_url="http://127.0.0.1", raise_server_exceptions=False
    )

    def hasty(path: Path, **more: Any) -> sqlite3.Connection:
        connection = connect(path, **more)
        connection.execute("PRAGMA busy_timeout = 200")
        return connection

    monkeypatch.setattr("yellowfen.workflows.opening.connect", hasty)
    other = sqlite3.connect(folder / DATABASE, isolation_level=None)
    other.execute("BEGIN IMMEDIATE")
    reply = client.post("/bench/hands", data={"hands": "shaky"})
    assert (reply.status_code, "Another program holds" in reply.text) == (503, True)
    assert client.get("/bench").status_code == 200
    other.execute("ROLLBACK")
    assert client.post("/bench/hands", data={"hands": "shaky"}).status_code == 200


def test_a_newer_database_is_refused_with_a_sentence(folder: Path) -> None:
    connection = open_database(folder)
    connection.execute("INSERT INTO migration VALUES ('9999_later.sql', '')")
    connection.close()
    with pytest.raises(Refused, match="newer Yellowfen"):
        open_database(folder)


def test_the_command_tells_a_damaged_database(folder: Path) -> None:
    DAMAGES["header of zeros"](folder / DATABASE)
    command = [sys.executable, "-m", "yellowfen.cli", "serve", "--data", str(folder)]
    done = subprocess.run(command, capture_output=True, text=True, check=False)
    assert done.returncode == 2
    assert "damaged" in done.stderr
    assert "Traceback" not in done.stderr


def test_writers_wait_in_order_and_none_is_left_out() -> None:
    """Twenty writers, each taking the lock twice over: every one gets its turn, first come first."""
    turns, order, began = Turns(), [], threading.Event()

    def writer(number: int) -> None:
        with turns.turn(), turns.turn():
            order.append(number)
            time.sleep(0.002)

    with turns.turn():
        threads = []
        for number in range(20):
            threads.append(threading.Thread(target=writer, args=(number,)))
            threads[-1].start()
            time.sleep(0.003)
        began.set()
    for one in threads:
        one.join()
    assert order == list(range(20))


def test_many_writers_at_once_lose_nothing(folder: Path) -> None:
    def write(number: int) -> None:
        connection = connect(folder / DATABASE)
        for step in range(12):
            with atomic(connection):
                connection.execute(
                    "INSERT INTO kit_place (line, place) VALUES (?, ?)", (f"{number}-{step}", "x")
                )
        connection.close()

    threads = [threading.Thread(target=write, args=(number,)) for number in range(16)]
    for one in threads:
        one.start()
    for one in threads:
        one.join()
    connection = connect(folder / DATABASE)
    assert connection.execute("SELECT count(*) FROM kit_place").fetchone()[0] == 16 * 12
    connection.close()
