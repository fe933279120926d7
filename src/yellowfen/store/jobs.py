"""Jobs and their heat plans."""

import sqlite3

from yellowfen.core.work.job import HeatPlan, Job
from yellowfen.errors import NotFound
from yellowfen.store.packing import pack, unpack


def add(connection: sqlite3.Connection, board_id: int, name: str, plan: HeatPlan) -> int:
    """Store a new job; returns its id."""
    cursor = connection.execute(
        "INSERT INTO job (board_id, name, created_at, plan) VALUES (?, ?, datetime('now'), ?)",
        (board_id, name, pack(plan)),
    )
    return int(cursor.lastrowid or 0)


def get(connection: sqlite3.Connection, job_id: int) -> Job:
    """The job of that id; NotFound otherwise."""
    row = connection.execute(
        "SELECT job.id, job.board_id, board.name AS board_name, job.name, job.created_at, job.plan"
        " FROM job JOIN board ON board.id = job.board_id WHERE job.id = ?",
        (job_id,),
    ).fetchone()
    if row is None:
        raise NotFound(f"there is no job {job_id}; it may have been removed")
    return _job(row)


def rows(connection: sqlite3.Connection) -> list[Job]:
    """All jobs, newest first."""
    found = connection.execute(
        "SELECT job.id, job.board_id, board.name AS board_name, job.name, job.created_at, job.plan"
        " FROM job JOIN board ON board.id = job.board_id ORDER BY job.id DESC"
    ).fetchall()
    return [_job(row) for row in found]


def _job(row: sqlite3.Row) -> Job:
    return Job(
        row["id"],
        row["board_id"],
        row["board_name"],
        row["name"],
        row["created_at"],
        unpack(HeatPlan, row["plan"]),
    )


def keep_plan(connection: sqlite3.Connection, job_id: int, plan: HeatPlan) -> None:
    """Store the job's plan."""
    connection.execute("UPDATE job SET plan = ? WHERE id = ?", (pack(plan), job_id))


def remove(connection: sqlite3.Connection, job_id: int) -> None:
    """Remove a job with its runs."""
    connection.execute("DELETE FROM job WHERE id = ?", (job_id,))
