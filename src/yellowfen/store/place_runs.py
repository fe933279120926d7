"""Placement runs: the order as it was at the start, and the taps."""

import sqlite3

from yellowfen.core.work.order import Step
from yellowfen.core.work.placing_run import PlaceRun, PlaceTap, Placing
from yellowfen.errors import NotFound
from yellowfen.store.packing import pack, unpack


def add(connection: sqlite3.Connection, job_id: int, side: str, steps: tuple[Step, ...]) -> int:
    """Start a run; returns its id."""
    cursor = connection.execute(
        "INSERT INTO place_run (job_id, side, started_at, steps) VALUES (?, ?, datetime('now'), ?)",
        (job_id, side, pack(Placing(steps))),
    )
    return int(cursor.lastrowid or 0)


def get(connection: sqlite3.Connection, run_id: int) -> PlaceRun:
    """The run of that id; NotFound otherwise."""
    row = connection.execute(
        "SELECT id, job_id, side, started_at, steps FROM place_run WHERE id = ?", (run_id,)
    ).fetchone()
    if row is None:
        raise NotFound(f"there is no placement run {run_id}; it may have been removed")
    found = connection.execute(
        "SELECT key, ref, what, at_ms FROM place_tap WHERE run_id = ? ORDER BY id", (run_id,)
    ).fetchall()
    taps = tuple(PlaceTap(one["key"], one["ref"], one["what"], one["at_ms"]) for one in found)
    return PlaceRun(
        row["id"],
        row["job_id"],
        row["side"],
        row["started_at"],
        unpack(Placing, row["steps"]).steps,
        taps,
    )


def latest(connection: sqlite3.Connection, job_id: int) -> PlaceRun | None:
    """The job's newest run."""
    row = connection.execute(
        "SELECT id FROM place_run WHERE job_id = ? ORDER BY id DESC LIMIT 1", (job_id,)
    ).fetchone()
    return get(connection, row["id"]) if row else None


def recent(connection: sqlite3.Connection, most: int = 30) -> list[PlaceRun]:
    """The newest runs of all jobs."""
    return [
        get(connection, row["id"])
        for row in connection.execute(
            "SELECT id FROM place_run ORDER BY id DESC LIMIT ?", (most,)
        ).fetchall()
    ]


def add_tap(connection: sqlite3.Connection, run_id: int, tap: PlaceTap) -> None:
    """Store a tap; the same key twice is one tap."""
    connection.execute(
        "INSERT INTO place_tap (run_id, key, ref, what, at_ms) VALUES (?, ?, ?, ?, ?) ON CONFLICT (run_id, key) DO NOTHING",
        (run_id, tap.key, tap.ref, tap.what, tap.at_ms),
    )


def remove_tap(connection: sqlite3.Connection, run_id: int, key: str) -> None:
    """Take a tap back."""
    connection.execute("DELETE FROM place_tap WHERE run_id = ? AND key = ?", (run_id, key))
