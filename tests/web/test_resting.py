"""Connections that rest between requests."""

import os
import shutil
import sqlite3
from pathlib import Path

import pytest

from yellowfen.store.database import asked_once, page_of
from yellowfen.web.database import Resting
from yellowfen.workflows.opening import DATABASE, connect_existing


@pytest.fixture
def folder(tmp_path: Path, filled: Path) -> Path:
    shutil.copy(filled, tmp_path / DATABASE)
    return tmp_path


def test_a_connection_serves_one_request_at_a_time_and_is_taken_again(folder: Path) -> None:
    resting = Resting(folder)
    (state, one), (_, other) = resting.take(), resting.take()
    assert one is not other
    resting.give_back(state, one)
    assert resting.take()[1] is one
    resting.close()


def test_what_a_request_left_open_is_undone(folder: Path) -> None:
    resting = Resting(folder)
    state, one = resting.take()
    one.execute("BEGIN")
    one.execute("UPDATE job SET name = 'half done'")
    resting.give_back(state, one)
    _, again = resting.take()
    assert again is one
    assert again.execute("SELECT count(*) FROM job WHERE name = 'half done'").fetchone()[0] == 0


def test_another_file_or_other_rights_ask_for_a_new_connection(folder: Path) -> None:
    resting, path = Resting(folder), folder / DATABASE
    state, one = resting.take()
    resting.give_back(state, one)
    path.chmod(0o444)
    state, shut = resting.take()
    assert shut is not one
    path.chmod(0o644)
    resting.give_back(state, shut)
    copy = folder / "copy"
    shutil.copy(path, copy)
    os.replace(copy, path)
    _, fresh = resting.take()
    assert fresh is not shut
    with pytest.raises(sqlite3.ProgrammingError):
        one.execute("SELECT 1")


def test_a_page_asks_once_and_sees_what_it_changed_itself(folder: Path) -> None:
    """Within one page the same question is asked once, and anew after a change; outside always."""
    asked: list[int] = []

    @asked_once
    def rooms(connection: sqlite3.Connection, job: int) -> float:
        asked.append(job)
        row = connection.execute("SELECT room_c FROM job WHERE id = ?", (job,)).fetchone()
        return float(row["room_c"])

    connection = connect_existing(folder)
    for _ in range(2):
        rooms(connection, 1)
    assert asked == [1, 1]
    with page_of(connection):
        before = rooms(connection, 1)
        assert rooms(connection, 1) == before
        assert asked == [1, 1, 1]
        connection.execute("UPDATE job SET room_c = room_c + 1 WHERE id = 1")
        assert rooms(connection, 1) == before + 1
        assert asked == [1] * 4
    rooms(connection, 1)
    assert asked == [1] * 5
    connection.close()
