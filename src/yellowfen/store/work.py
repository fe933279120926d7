"""Long work that goes on off the request: what was asked, who holds it, how it ended.

A worker takes a piece of work, and only its holder writes to it. A worker that takes work which
another one left behind becomes its holder, so that what the other one still tries to write is
refused. Work that has been left behind `MOST_TRIES` times without a step forward is given up.
"""

import sqlite3
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from yellowfen.errors import NotFound, Refused
from yellowfen.store.database import atomic

MOST_TRIES = 3
WAITING, WORKING, DONE, CANCELLED, FAILED = "waiting", "working", "done", "cancelled", "failed"
OPEN = (WAITING, WORKING)
_OPEN = "state IN ('waiting', 'working')"


class Lost(Refused):
    """The work was taken over by another worker, or ended, meanwhile."""


@dataclass(frozen=True, kw_only=True)
class Work:
    """One piece of long work.

    It belongs to a job or to a board, and goes with it. `asked` is JSON text; `said` the step it is
    at, or why it failed.
    """

    id: int
    kind: str
    job_id: int | None
    board_id: int | None
    asked: str
    state: str
    said: str
    owner: str


_COLUMNS = "SELECT id, kind, job_id, board_id, asked, state, said, owner FROM work"


def add(
    connection: sqlite3.Connection,
    kind: str,
    job_id: int | None = None,
    board_id: int | None = None,
    asked: str = "{}",
) -> int:
    """Ask for work; returns its id."""
    cursor = connection.execute(
        "INSERT INTO work (kind, job_id, board_id, asked, asked_at)"
        " VALUES (?, ?, ?, ?, datetime('now'))",
        (kind, job_id, board_id, asked),
    )
    return int(cursor.lastrowid or 0)


def get(connection: sqlite3.Connection, work_id: int) -> Work:
    """The work of that id. Raises NotFound where there is none."""
    row = connection.execute(f"{_COLUMNS} WHERE id = ?", (work_id,)).fetchone()
    if row is None:
        raise NotFound(f"there is no work {work_id}; it may have been removed")
    return Work(**dict(row))


def latest_of(connection: sqlite3.Connection, kind: str, board_id: int) -> Work | None:
    """A board's newest work of a kind, or None."""
    row = connection.execute(
        f"{_COLUMNS} WHERE kind = ? AND board_id = ? ORDER BY id DESC LIMIT 1", (kind, board_id)
    ).fetchone()
    return None if row is None else Work(**dict(row))


def take(connection: sqlite3.Connection, given_up: Mapping[str, str], owner: str) -> Work | None:
    """The oldest open work of some kinds that `owner` does not hold yet, now held by it; None when
    there is none. `given_up` says by kind what is said of work that was taken too often without a
    step forward: it ends as failed.
    """
    marks = ", ".join("?" for _ in given_up)
    with atomic(connection):
        while True:
            row = connection.execute(
                f"SELECT id, kind, tries FROM work WHERE {_OPEN} AND kind IN ({marks})"
                " AND NOT (state = 'working' AND owner = ?) ORDER BY state DESC, id LIMIT 1",
                (*given_up, owner),
            ).fetchone()
            if row is None:
                return None
            if row["tries"] < MOST_TRIES:
                connection.execute(
                    "UPDATE work SET state = 'working', owner = ?, tries = tries + 1 WHERE id = ?",
                    (owner, row["id"]),
                )
                return get(connection, row["id"])
            connection.execute(
                "UPDATE work SET state = 'failed', said = ? WHERE id = ?",
                (given_up[row["kind"]], row["id"]),
            )


def check(connection: sqlite3.Connection, work_id: int, owner: str) -> None:
    """Raise Lost unless `owner` holds the work; called in the transaction that writes to it."""
    row = connection.execute(
        "SELECT 1 FROM work WHERE id = ? AND owner = ? AND state = 'working'", (work_id, owner)
    ).fetchone()
    if row is None:
        raise Lost("the work was taken over or stopped meanwhile")


def tell(connection: sqlite3.Connection, work_id: int, owner: str, said: str) -> None:
    """Note the step that begins. Raises Lost when another holds the work, or nobody."""
    cursor = connection.execute(
        "UPDATE work SET said = ? WHERE id = ? AND owner = ? AND state = 'working'",
        (said, work_id, owner),
    )
    if not cursor.rowcount:
        raise Lost("the work was taken over or stopped meanwhile")


def moved_on(connection: sqlite3.Connection, work_id: int) -> None:
    """Note that work went forward: it is not given up for what came before."""
    connection.execute("UPDATE work SET tries = 0 WHERE id = ?", (work_id,))


def end(
    connection: sqlite3.Connection, work_id: int, owner: str, state: str, said: str = ""
) -> None:
    """End work that `owner` holds. Raises Lost when another holds it, so that what was stored with
    it in one transaction is taken back.
    """
    check(connection, work_id, owner)
    set_state(connection, work_id, state, said)


def set_state(connection: sqlite3.Connection, work_id: int, state: str, said: str = "") -> None:
    """Move open work on, whoever holds it; what has ended stays ended."""
    connection.execute(
        f"UPDATE work SET state = ?, said = ? WHERE id = ? AND {_OPEN}", (state, said, work_id)
    )


def forget(connection: sqlite3.Connection, work_id: int) -> None:
    """Take work out with its steps: what was to be said of it stands elsewhere."""
    connection.execute("DELETE FROM work WHERE id = ?", (work_id,))


def keep_newest(connection: sqlite3.Connection, job_id: int, kind: str, most: int) -> None:
    """Forget all ended work of a kind for a job but the newest `most` pieces."""
    connection.execute(
        "DELETE FROM work WHERE job_id = ?1 AND kind = ?2 AND state NOT IN ('waiting', 'working')"
        " AND id NOT IN (SELECT id FROM work WHERE job_id = ?1 AND kind = ?2"
        " ORDER BY id DESC LIMIT ?3)",
        (job_id, kind, most),
    )


def state_of(connection: sqlite3.Connection, work_id: int) -> str:
    """The work's state; 'cancelled' when it is gone."""
    row = connection.execute("SELECT state FROM work WHERE id = ?", (work_id,)).fetchone()
    return str(row["state"]) if row else CANCELLED


def left_open(connection: sqlite3.Connection, kinds: Iterable[str]) -> bool:
    """True while work of some kinds waits, or was begun and not ended."""
    wanted = tuple(kinds)
    marks = ", ".join("?" for _ in wanted)
    query = f"SELECT EXISTS (SELECT 1 FROM work WHERE {_OPEN} AND kind IN ({marks}))"
    return bool(connection.execute(query, wanted).fetchone()[0])


@dataclass(frozen=True, kw_only=True)
class Listed:
    """A piece of long work as it is listed: which, what it is for, how it stands, why it failed."""

    id: int
    name: str
    state: str
    said: str


def listed(connection: sqlite3.Connection) -> list[Listed]:
    """What waits, works, or failed within a day, the newest first."""
    found = connection.execute(
        "SELECT work.id, work.state, work.said, coalesce(work.kind || ' of ' || job.name,"
        " 'reading ' || board_import.name, 'reading ' || board.name || ' again') AS name FROM work"
        " LEFT JOIN job ON job.id = work.job_id LEFT JOIN board ON board.id = work.board_id"
        " LEFT JOIN board_import ON board_import.work_id = work.id WHERE work.state IN"
        " ('waiting', 'working') OR (work.state = 'failed' AND work.asked_at >"
        " datetime('now', '-1 day')) ORDER BY work.asked_at DESC, work.id DESC LIMIT 50"
    ).fetchall()
    return [Listed(**dict(row)) for row in found]
