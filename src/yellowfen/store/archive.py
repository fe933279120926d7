"""What is removed stays in the database for a while and can be restored.

A record is archived by its `removed_at`; a board takes its jobs, their runs, pictures and passports
along, and brings back exactly those.
"""

import sqlite3

from yellowfen.errors import NotFound
from yellowfen.store.database import atomic

DAYS_SHOWN = 14

# Tables whose records can be archived, with what one of them is called.
SHELVES = {"board": "board", "tool": "tool", "paste_lot": "paste", "own_package": "package"}
_OF_BOARD = {
    "picture": "job_id IN (SELECT id FROM job WHERE board_id = ?1)",
    "passport": "job_id IN (SELECT id FROM job WHERE board_id = ?1)",
    "bench_run": "job_id IN (SELECT id FROM job WHERE board_id = ?1)",
    "job": "board_id = ?1",
    "board": "id = ?1",
}


def put_away(connection: sqlite3.Connection, table: str, row: int) -> None:
    """Archive a record of one of `SHELVES`. Raises NotFound where there is none."""
    _known(connection, table, row)
    moment = connection.execute("SELECT datetime('now') AS now").fetchone()["now"]
    with atomic(connection):  # one moment for all: by it they are restored together
        for each, which in _reaching(table):
            connection.execute(
                f"UPDATE {each} SET removed_at = ?2 WHERE {which} AND removed_at IS NULL",
                (row, moment),
            )


def bring_back(connection: sqlite3.Connection, table: str, row: int) -> None:
    """Restore a record, and what was archived with it. Raises NotFound where there is none."""
    _known(connection, table, row)
    moment = connection.execute(
        f"SELECT removed_at FROM {table} WHERE rowid = ?", (row,)
    ).fetchone()["removed_at"]
    with atomic(connection):
        for each, which in _reaching(table):
            connection.execute(
                f"UPDATE {each} SET removed_at = NULL WHERE {which} AND removed_at >= ?2",
                (row, moment),
            )


def archived(connection: sqlite3.Connection, table: str) -> list[tuple[int, str]]:
    """Records archived lately: (number, name), the newest first."""
    found = connection.execute(
        f"SELECT rowid AS row, name FROM {table}"
        " WHERE removed_at > datetime('now', ?) ORDER BY removed_at DESC, rowid DESC",
        (f"-{DAYS_SHOWN} days",),
    )
    return [(one["row"], str(one["name"])) for one in found]


def free_name(connection: sqlite3.Connection, table: str, name: str) -> None:
    """Let a new record have the name of an archived one, which is told apart by its number."""
    connection.execute(
        f"UPDATE {table} SET name = name || ', earlier ' || id"
        " WHERE name = ? AND removed_at IS NOT NULL",
        (name,),
    )


def _reaching(table: str) -> list[tuple[str, str]]:
    return list(_OF_BOARD.items()) if table == "board" else [(table, "rowid = ?1")]


def _known(connection: sqlite3.Connection, table: str, row: int) -> None:
    there = (
        table in SHELVES
        and connection.execute(f"SELECT 1 FROM {table} WHERE rowid = ?", (row,)).fetchone()
    )
    if not there:
        raise NotFound(
            f"there is no {SHELVES.get(table, 'record')} {row}; it may have been removed"
        )
