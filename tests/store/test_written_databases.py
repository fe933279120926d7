"""Databases that the program of every landed commit with a migration wrote itself open, and each
board is as its owner left it.
"""

import sqlite3
from pathlib import Path

import pytest
from fastapi.testclient import TestClient

from tests.store.written_databases import FOLDER
from tests.workflows.test_boards import reread_all
from yellowfen.store import boards
from yellowfen.store.damaged import found
from yellowfen.web.app import create_app
from yellowfen.workflows.boards import take_reading
from yellowfen.workflows.opening import DATABASE, open_database

WRITTEN = sorted(path.name for path in FOLDER.glob("*.sql"))
CORRECTED_FROM = "0005"  # earlier versions could not correct a value


def left(connection: sqlite3.Connection, number: int) -> tuple[object, ...]:
    """What its owner sees of a board."""
    board = boards.get(connection, number)
    parts = [
        (one.ref, one.value, one.package.name, one.x_mm, one.y_mm, one.rotation_deg, one.side)
        for one in board.parts
    ]
    return board.name, board.thickness_mm, board.width_mm, sorted(parts)


def test_every_migration_has_a_database_written_by_its_commit() -> None:
    from tests.store.test_earlier_databases import SCRIPTS

    assert WRITTEN == SCRIPTS


@pytest.mark.parametrize("name", WRITTEN)
def test_a_database_of_its_time_opens_with_its_boards_as_they_were(
    tmp_path: Path, name: str
) -> None:
    """Also when the worker has read them again, and when its owner takes the new reading."""
    written = sqlite3.connect(tmp_path / DATABASE)
    written.executescript(FOLDER.joinpath(name).read_text(encoding="utf-8"))
    jobs = written.execute("SELECT count(*) FROM job").fetchone()[0]
    written.close()
    connection = open_database(tmp_path)
    value = "2k2" if name >= CORRECTED_FROM else "1k"
    before = [left(connection, number) for number in (1, 2)]
    assert [(one[0], one[1], one[2]) for one in before] == [
        ("Ordinary", 1.6, 20.0),
        ("Awkward", 0.8, 20.0),
    ]
    for one in before:
        kept = {ref: said for ref, said, *_ in one[3]}  # type: ignore[attr-defined]
        # That version set the awkward table aside as a whole and proposed two parts.
        apart = name.startswith("0004") and one[0] == "Awkward"
        assert kept == ({"P1": "", "P2": ""} if apart else {"R1": value, "C1": "100n"})
    reread_all(connection)
    assert [left(connection, number) for number in (1, 2)] == before
    for number in (1, 2):
        if boards.proposed_reading(connection, number) is not None:
            take_reading(connection, number, take=True)
    after = [left(connection, number) for number in (1, 2)]
    assert [one[:3] for one in after] == [one[:3] for one in before]
    corrected = [
        [said for ref, said, *_ in one[3] if ref == "R1"]  # type: ignore[attr-defined]
        for one in after
        if any(ref == "R1" for ref, *_ in one[3])  # type: ignore[attr-defined]
    ]
    assert corrected
    assert all(said == [value] for said in corrected)
    assert found(connection) == []
    connection.close()
    client = TestClient(create_app(tmp_path), base_url="http://127.0.0.1")
    pages = ["/", "/boards", "/boards/1", "/boards/2", "/boards/2?leaf=files"]
    pages += [f"/jobs/{job}/{stage}" for job in range(1, jobs + 1) for stage in ("ready", "heat")]
    for page in pages:
        assert client.get(page).status_code == 200, page
