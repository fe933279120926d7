"""What a job's Ready stage is set to, what of its schedule is done, and its kit."""

import sqlite3
from dataclasses import replace

from yellowfen.core.work.ready_plan import COLDEST_ROOM_C, WARMEST_ROOM_C, ReadyPlan
from yellowfen.store import jobs
from yellowfen.store.database import asked_once
from yellowfen.store.packing import pack, unpack

HANDS, EYES = "hands", "eyes"
MOST_SCHEDULED = 200  # boards that a schedule is made for


@asked_once
def ready_plan_of(connection: sqlite3.Connection, job_id: int) -> ReadyPlan:
    """The job's plan, a fresh one when none was kept; for as many boards and in the room that the
    job is.
    """
    row = jobs.plans_of(connection, job_id)
    kept = row["ready_plan"] if row else None
    plan = ReadyPlan() if kept is None else unpack(ReadyPlan, kept)
    boards = min(jobs.boards_of(connection, job_id), MOST_SCHEDULED)
    return replace(plan, boards=boards, room_c=_room_of(connection, job_id))


def _room_of(connection: sqlite3.Connection, job_id: int) -> float:
    """The job's room, as far as one works in it."""
    return min(max(jobs.room_of(connection, job_id), COLDEST_ROOM_C), WARMEST_ROOM_C)


def keep_ready_plan(connection: sqlite3.Connection, job_id: int, plan: ReadyPlan) -> None:
    """Store the job's plan, how many boards the job is for, and the room it is worked in."""
    jobs.set_boards(connection, job_id, plan.boards)
    if plan.room_c != _room_of(connection, job_id):
        jobs.set_room(connection, job_id, plan.room_c)
    connection.execute(
        "INSERT INTO ready_plan (job_id, content) VALUES (?, ?) ON CONFLICT (job_id) DO UPDATE SET content = excluded.content",
        (job_id, pack(plan)),
    )


@asked_once
def bench_schools(connection: sqlite3.Connection) -> dict[str, str]:
    """The bench's own schools by question; a job's choice stands above them."""
    return {
        row["question"]: row["school"]
        for row in connection.execute("SELECT question, school FROM bench_school").fetchall()
    }


def keep_bench_schools(connection: sqlite3.Connection, schools: dict[str, str]) -> None:
    """Replace the bench's schools."""
    connection.execute("DELETE FROM bench_school")
    connection.executemany(
        "INSERT INTO bench_school (question, school) VALUES (?, ?)", list(schools.items())
    )


@asked_once
def bench_setting(connection: sqlite3.Connection, name: str) -> str:
    """What the bench is set to, "" where nothing was said."""
    row = connection.execute("SELECT value FROM bench_setting WHERE name = ?", (name,)).fetchone()
    return "" if row is None else str(row["value"])


def keep_bench_setting(connection: sqlite3.Connection, name: str, value: str) -> None:
    """Set something of the bench; "" forgets it."""
    connection.execute("DELETE FROM bench_setting WHERE name = ?", (name,))
    if value:
        connection.execute("INSERT INTO bench_setting (name, value) VALUES (?, ?)", (name, value))


def done_of(connection: sqlite3.Connection, job_id: int) -> dict[str, tuple[float, float]]:
    """Tasks done, each with its real start and end (seconds since 1970)."""
    found = connection.execute(
        "SELECT task, start_s, end_s FROM schedule_done WHERE job_id = ? ORDER BY end_s", (job_id,)
    ).fetchall()
    return {row["task"]: (row["start_s"], row["end_s"]) for row in found}


def set_done(
    connection: sqlite3.Connection, job_id: int, task: str, start_s: float, end_s: float
) -> None:
    """Store a task as done."""
    connection.execute(
        "INSERT INTO schedule_done (job_id, task, start_s, end_s) VALUES (?, ?, ?, ?)"
        " ON CONFLICT (job_id, task) DO UPDATE SET start_s = excluded.start_s, end_s = excluded.end_s",
        (job_id, task, start_s, end_s),
    )


def unset_done(connection: sqlite3.Connection, job_id: int, task: str | None) -> None:
    """Take a task's done back; all of them for None."""
    if task is None:
        connection.execute("DELETE FROM schedule_done WHERE job_id = ?", (job_id,))
    else:
        connection.execute(
            "DELETE FROM schedule_done WHERE job_id = ? AND task = ?", (job_id, task)
        )


def places(connection: sqlite3.Connection) -> dict[str, str]:
    """Where parts live, by line of the kit, for every job."""
    return {
        row["line"]: row["place"]
        for row in connection.execute("SELECT line, place FROM kit_place").fetchall()
    }


def keep_place(connection: sqlite3.Connection, line: str, place: str) -> None:
    """Store where a line's parts live; empty forgets it."""
    if place:
        connection.execute(
            "INSERT INTO kit_place (line, place) VALUES (?, ?) ON CONFLICT (line) DO UPDATE SET place = excluded.place",
            (line, place),
        )
    else:
        connection.execute("DELETE FROM kit_place WHERE line = ?", (line,))
