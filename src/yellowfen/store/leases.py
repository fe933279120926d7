"""Who holds a piece of long work: a worker takes it, and only its holder writes to it.

A worker that takes work which another one left behind becomes its holder, so that what the other one
still tries to write is refused. Work that has been left behind `MOST_TRIES` times is given up.
"""

import sqlite3
from dataclasses import dataclass

from yellowfen.errors import Refused
from yellowfen.store.database import atomic

MOST_TRIES = 3
_TABLES = ("task", "board_import")


class Lost(Refused):
    """The work was taken over by another worker, or ended, meanwhile."""


def take(connection: sqlite3.Connection, table: str, owner: str, given_up: str) -> int | None:
    """The oldest open work that `owner` does not hold yet, now held by it; None when there is none.

    What was taken too often without a step forward ends as failed with `given_up` as its reason.
    """
    assert table in _TABLES
    with atomic(connection):
        while True:
            row = connection.execute(
                f"SELECT id, tries FROM {table} WHERE state IN ('working', 'waiting')"
                " AND NOT (state = 'working' AND owner = ?) ORDER BY state DESC, id LIMIT 1",
                (owner,),
            ).fetchone()
            if row is None:
                return None
            if row["tries"] < MOST_TRIES:
                connection.execute(
                    f"UPDATE {table} SET state = 'working', owner = ?, tries = tries + 1"
                    " WHERE id = ?",
                    (owner, row["id"]),
                )
                return int(row["id"])
            connection.execute(
                f"UPDATE {table} SET state = 'failed', said = ? WHERE id = ?", (given_up, row["id"])
            )


def check(connection: sqlite3.Connection, table: str, work_id: int, owner: str) -> None:
    """Raise Lost unless `owner` holds the work; called in the transaction that writes to it."""
    assert table in _TABLES
    row = connection.execute(
        f"SELECT 1 FROM {table} WHERE id = ? AND owner = ? AND state = 'working'", (work_id, owner)
    ).fetchone()
    if row is None:
        raise Lost("the work was taken over or given up meanwhile")


def moved_on(connection: sqlite3.Connection, table: str, work_id: int) -> None:
    """Note that work went forward: it is not given up for what came before."""
    assert table in _TABLES
    connection.execute(f"UPDATE {table} SET tries = 0 WHERE id = ?", (work_id,))


def left_open(connection: sqlite3.Connection, table: str) -> bool:
    """True while work waits, or was begun and not ended."""
    assert table in _TABLES
    query = f"SELECT EXISTS (SELECT 1 FROM {table} WHERE state IN ('working', 'waiting'))"
    return bool(connection.execute(query).fetchone()[0])


@dataclass(frozen=True, kw_only=True)
class Work:
    """A piece of long work as it is listed: which, what it is for, how it stands, why it failed."""

    table: str
    id: int
    name: str
    state: str
    said: str


def listed(connection: sqlite3.Connection) -> list[Work]:
    """What waits, works, or failed within a day, the newest first."""
    recent = "state IN ('waiting', 'working') OR (state = 'failed' AND asked_at > datetime('now', '-1 day'))"
    found = connection.execute(
        "SELECT 'task' AS of, task.id, task.kind || ' of ' || job.name AS name, task.state, task.said,"
        f" task.asked_at FROM task JOIN job ON job.id = task.job_id WHERE {recent}"
        f" UNION ALL SELECT 'board_import', id, 'reading ' || name, state, said, asked_at"
        f" FROM board_import WHERE {recent} ORDER BY asked_at DESC LIMIT 50"
    ).fetchall()
    return [
        Work(
            table=row["of"],
            id=row["id"],
            name=row["name"],
            state=row["state"],
            said=row["said"],
        )
        for row in found
    ]
