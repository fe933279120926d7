"""The long work of a job's heats: what was asked, how far it is, and each finished step."""

import sqlite3
from dataclasses import dataclass

from yellowfen.errors import NotFound
from yellowfen.store import work
from yellowfen.store.database import atomic
from yellowfen.store.work import Work


@dataclass(frozen=True, kw_only=True)
class JobTask:
    """One piece of a job's long work. `asked` and the steps are JSON text."""

    id: int
    job_id: int
    kind: str
    asked: str
    state: str
    said: str
    steps: tuple[str, ...]
    owner: str = ""


def get(connection: sqlite3.Connection, task_id: int) -> JobTask:
    """The task of that id; NotFound otherwise."""
    return task_of(connection, work.get(connection, task_id))


def task_of(connection: sqlite3.Connection, one: Work) -> JobTask:
    """Work of a job with its finished steps. Raises NotFound for work of no job."""
    if one.job_id is None:
        raise NotFound(f"there is no task {one.id}; it may have been removed")
    steps = connection.execute(
        "SELECT content FROM work_step WHERE work_id = ? ORDER BY place", (one.id,)
    ).fetchall()
    return JobTask(
        id=one.id,
        job_id=one.job_id,
        kind=one.kind,
        asked=one.asked,
        state=one.state,
        said=one.said,
        steps=tuple(step["content"] for step in steps),
        owner=one.owner,
    )


def latest(connection: sqlite3.Connection, job_id: int, kind: str) -> JobTask | None:
    """The job's newest task of a kind, or None."""
    row = connection.execute(
        "SELECT max(id) AS id FROM work WHERE job_id = ? AND kind = ?", (job_id, kind)
    ).fetchone()
    return None if row["id"] is None else get(connection, row["id"])


def asked_last(
    connection: sqlite3.Connection, job_id: int, kind: str, asked: str
) -> JobTask | None:
    """The job's newest task of a kind that was asked just so, or None."""
    row = connection.execute(
        "SELECT max(id) AS id FROM work WHERE job_id = ? AND kind = ? AND asked = ?",
        (job_id, kind, asked),
    ).fetchone()
    return None if row["id"] is None else get(connection, row["id"])


def add_step(connection: sqlite3.Connection, task: JobTask, place: int, content: str) -> None:
    """Store one finished step; a step done twice is one step. Raises Lost when another holds it."""
    with atomic(connection):
        work.check(connection, task.id, task.owner)
        connection.execute(
            "INSERT INTO work_step (work_id, place, content) VALUES (?, ?, ?)"
            " ON CONFLICT (work_id, place) DO UPDATE SET content = excluded.content",
            (task.id, place, content),
        )
        work.moved_on(connection, task.id)


def cancel_others(connection: sqlite3.Connection, job_id: int, kind: str, side: str = "") -> None:
    """Give up unfinished work of this kind for a job (of one side), since something newer is asked."""
    connection.execute(
        "UPDATE work SET state = 'cancelled' WHERE job_id = ?1 AND kind = ?2"
        " AND state IN ('waiting', 'working')"
        " AND (?3 = '' OR json_extract(asked, '$.side') = ?3)",
        (job_id, kind, side),
    )
