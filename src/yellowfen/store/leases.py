"""Who holds a piece of long work: a worker takes it, and only its holder writes to it.

A worker that takes work which another one left behind becomes its holder, so that what the other one
still tries to write is refused. Work that has been left behind `MOST_TRIES` times is given up.
"""

import sqlite3

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
