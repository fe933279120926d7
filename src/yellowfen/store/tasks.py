"""Long work that goes on off the request: what was asked, how far it is, and each finished step."""

import sqlite3
from dataclasses import dataclass

from yellowfen.errors import NotFound


@dataclass(frozen=True)
class Task:
    """One piece of long work. `asked` and the steps are JSON text."""

    id: int
    job_id: int
    kind: str
    asked: str
    state: str
    said: str
    steps: tuple[str, ...]


_COLUMNS = "SELECT id, job_id, kind, asked, state, said FROM task"


def add(connection: sqlite3.Connection, job_id: int, kind: str, asked: str) -> int:
    """Ask for work; returns its id."""
    cursor = connection.execute(
        "INSERT INTO task (job_id, kind, asked, asked_at) VALUES (?, ?, ?, datetime('now'))",
        (job_id, kind, asked),
    )
    return int(cursor.lastrowid or 0)


def get(connection: sqlite3.Connection, task_id: int) -> Task:
    """The task of that id; NotFound otherwise."""
    row = connection.execute(f"{_COLUMNS} WHERE id = ?", (task_id,)).fetchone()
    if row is None:
        raise NotFound(f"there is no task {task_id}; it may have been removed")
    return _task(connection, row)


def latest(connection: sqlite3.Connection, job_id: int, kind: str) -> Task | None:
    """The job's newest task of a kind, or None."""
    row = connection.execute(
        f"{_COLUMNS} WHERE job_id = ? AND kind = ? ORDER BY id DESC LIMIT 1", (job_id, kind)
    ).fetchone()
    return _task(connection, row) if row else None


def next_open(connection: sqlite3.Connection) -> Task | None:
    """The oldest task that waits, or that a worker left behind."""
    row = connection.execute(
        f"{_COLUMNS} WHERE state IN ('working', 'waiting') ORDER BY state DESC, id LIMIT 1"
    ).fetchone()
    return _task(connection, row) if row else None


def _task(connection: sqlite3.Connection, row: sqlite3.Row) -> Task:
    steps = connection.execute(
        "SELECT content FROM task_step WHERE task_id = ? ORDER BY place", (row["id"],)
    ).fetchall()
    return Task(
        row["id"],
        row["job_id"],
        row["kind"],
        row["asked"],
        row["state"],
        row["said"],
        tuple(step["content"] for step in steps),
    )


def state_of(connection: sqlite3.Connection, task_id: int) -> str:
    """The task's state; 'cancelled' when it is gone."""
    row = connection.execute("SELECT state FROM task WHERE id = ?", (task_id,)).fetchone()
    return str(row["state"]) if row else "cancelled"


def set_state(
    connection: sqlite3.Connection,
    task_id: int,
    state: str,
    said: str = "",
    only_from: tuple[str, ...] = ("waiting", "working"),
) -> None:
    """Move a task on; a task that has ended stays ended."""
    marks = ", ".join("?" for _ in only_from)
    connection.execute(
        f"UPDATE task SET state = ?, said = ? WHERE id = ? AND state IN ({marks})",
        (state, said, task_id, *only_from),
    )


def add_step(connection: sqlite3.Connection, task_id: int, place: int, content: str) -> None:
    """Store one finished step; a step done twice is one step."""
    connection.execute(
        "INSERT INTO task_step (task_id, place, content) VALUES (?, ?, ?) ON CONFLICT (task_id, place) DO UPDATE SET content = excluded.content",
        (task_id, place, content),
    )


def cancel_others(connection: sqlite3.Connection, job_id: int, kind: str) -> None:
    """Give up unfinished work of this kind for a job, since something newer is asked."""
    connection.execute(
        "UPDATE task SET state = 'cancelled' WHERE job_id = ? AND kind = ? AND state IN ('waiting', 'working')",
        (job_id, kind),
    )
