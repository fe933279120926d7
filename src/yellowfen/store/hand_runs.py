"""Dot plans followed at the bench: the plan as it was at the start, and the taps."""

import sqlite3
from dataclasses import dataclass

from yellowfen.core.deposit.hand_plan import HandPlan
from yellowfen.errors import NotFound
from yellowfen.store.packing import pack, unpack


@dataclass(frozen=True)
class HandTap:
    """One step done, at a wall-clock moment (ms since 1970)."""

    key: str
    step: int
    at_ms: int


@dataclass(frozen=True)
class HandRun:
    """One board dotted by hand."""

    id: int
    job_id: int
    side: str
    started_at: str
    plan: HandPlan
    taps: tuple[HandTap, ...]


def add(connection: sqlite3.Connection, job_id: int, side: str, plan: HandPlan) -> int:
    """Start a run; returns its id."""
    cursor = connection.execute(
        "INSERT INTO hand_run (job_id, side, started_at, plan) VALUES (?, ?, datetime('now'), ?)",
        (job_id, side, pack(plan)),
    )
    return int(cursor.lastrowid or 0)


def get(connection: sqlite3.Connection, run_id: int) -> HandRun:
    """The run of that id; NotFound otherwise."""
    row = connection.execute(
        "SELECT id, job_id, side, started_at, plan FROM hand_run WHERE id = ?", (run_id,)
    ).fetchone()
    if row is None:
        raise NotFound(f"there is no dotting {run_id}; it may have been removed")
    found = connection.execute(
        "SELECT key, step, at_ms FROM hand_tap WHERE run_id = ? ORDER BY id", (run_id,)
    ).fetchall()
    taps = tuple(HandTap(one["key"], one["step"], one["at_ms"]) for one in found)
    return HandRun(
        row["id"],
        row["job_id"],
        row["side"],
        row["started_at"],
        unpack(HandPlan, row["plan"]),
        taps,
    )


def unfinished(connection: sqlite3.Connection, job_id: int) -> HandRun | None:
    """The job's newest run if steps of it are still to do."""
    row = connection.execute(
        "SELECT id FROM hand_run WHERE job_id = ? ORDER BY id DESC LIMIT 1", (job_id,)
    ).fetchone()
    run = get(connection, row["id"]) if row else None
    return run if run is not None and len(run.taps) < len(run.plan.steps) else None


def add_tap(connection: sqlite3.Connection, run_id: int, tap: HandTap) -> None:
    """Store a tap; the same key, or the same step, twice is one tap."""
    connection.execute(
        "INSERT INTO hand_tap (run_id, key, step, at_ms) VALUES (?, ?, ?, ?) ON CONFLICT DO NOTHING",
        (run_id, tap.key, tap.step, tap.at_ms),
    )


def remove_tap(connection: sqlite3.Connection, run_id: int, key: str) -> None:
    """Take a tap back."""
    connection.execute("DELETE FROM hand_tap WHERE run_id = ? AND key = ?", (run_id, key))


def seconds_per_dot(connection: sqlite3.Connection, most: int = 20) -> list[float]:
    """Seconds a dot of the newest runs: the time from tap to tap over the step's spots; pauses of
    five minutes and more left out.
    """
    spent: list[float] = []
    for row in connection.execute(
        "SELECT id FROM hand_run ORDER BY id DESC LIMIT ?", (most,)
    ).fetchall():
        run = get(connection, row["id"])
        for before, tap in zip(run.taps[:-1], run.taps[1:], strict=True):
            step = run.plan.steps[tap.step]
            seconds = (tap.at_ms - before.at_ms) / 1000
            if step.way == "dots" and 0.2 < seconds < 300:
                spent.append(seconds / len(step.spots))
    return spent
