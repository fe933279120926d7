"""Long work that goes on off the request: what was asked, how far it is, and each finished step."""

import sqlite3
from dataclasses import dataclass

from yellowfen.errors import NotFound
from yellowfen.store import leases
from yellowfen.store.database import atomic


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
    owner: str = ""


_COLUMNS = "SELECT id, job_id, kind, asked, state, said, owner FROM task"


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


def take(connection: sqlite3.Connection, owner: str) -> Task | None:
    """The oldest task that waits, or that another worker left behind, now held by `owner`."""
    said = "it ended its worker three times and is given up; change a setting and ask again"
    task_id = leases.take(connection, "task", owner, said)
    return None if task_id is None else get(connection, task_id)


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
        row["owner"],
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


def add_step(connection: sqlite3.Connection, task: Task, place: int, content: str) -> None:
    """Store one finished step; a step done twice is one step. Raises Lost when another holds it."""
    with atomic(connection):
        leases.check(connection, "task", task.id, task.owner)
        connection.execute(
            "INSERT INTO task_step (task_id, place, content) VALUES (?, ?, ?)"
            " ON CONFLICT (task_id, place) DO UPDATE SET content = excluded.content",
            (task.id, place, content),
        )
        leases.moved_on(connection, "task", task.id)


def end(connection: sqlite3.Connection, task: Task, state: str, said: str = "") -> None:
    """End a task that its owner holds still; one that was taken over or has ended stays as it is."""
    connection.execute(
        "UPDATE task SET state = ?, said = ? WHERE id = ? AND owner = ? AND state = 'working'",
        (state, said, task.id, task.owner),
    )


def cancel_others(connection: sqlite3.Connection, job_id: int, kind: str) -> None:
    """Give up unfinished work of this kind for a job, since something newer is asked."""
    connection.execute(
        "UPDATE task SET state = 'cancelled' WHERE job_id = ? AND kind = ? AND state IN ('waiting', 'working')",
        (job_id, kind),
    )
