"""Runs at the bench: their taps, marks and note."""

import sqlite3

from yellowfen.core.work.job import Forecast, FoundMark, HeatPlan, Run, Tap, TapKind, Verdict
from yellowfen.errors import NotFound
from yellowfen.store.packing import pack, unpack

_COLUMNS = (
    "SELECT run.id, run.job_id, job.name AS job_name, board.name AS board_name, run.started_at, run.started_ms, run.plan,"
    " run.forecast, run.note, run.finished FROM run JOIN job ON job.id = run.job_id JOIN board ON board.id = job.board_id"
)


def add(connection: sqlite3.Connection, job_id: int, plan: HeatPlan, forecast: Forecast) -> int:
    """Open a run; returns its id."""
    cursor = connection.execute(
        "INSERT INTO run (job_id, started_at, plan, forecast) VALUES (?, datetime('now'), ?, ?)",
        (job_id, pack(plan), pack(forecast)),
    )
    return int(cursor.lastrowid or 0)


def get(connection: sqlite3.Connection, run_id: int) -> Run:
    """The run of that id; NotFound otherwise."""
    row = connection.execute(f"{_COLUMNS} WHERE run.id = ?", (run_id,)).fetchone()
    if row is None:
        raise NotFound(f"there is no run {run_id}; it may have been removed")
    return _run(connection, row)


def latest_of(connection: sqlite3.Connection, job_id: int) -> Run | None:
    """The job's newest run, or None."""
    row = connection.execute(
        f"{_COLUMNS} WHERE run.job_id = ? ORDER BY run.id DESC LIMIT 1", (job_id,)
    ).fetchone()
    return _run(connection, row) if row else None


def rows(connection: sqlite3.Connection, most: int = 200) -> list[Run]:
    """The newest runs of all jobs."""
    found = connection.execute(f"{_COLUMNS} ORDER BY run.id DESC LIMIT ?", (most,)).fetchall()
    return [_run(connection, row) for row in found]


def _run(connection: sqlite3.Connection, row: sqlite3.Row) -> Run:
    return Run(
        row["id"],
        row["job_id"],
        row["job_name"],
        row["board_name"],
        row["started_at"],
        row["started_ms"],
        unpack(HeatPlan, row["plan"]),
        unpack(Forecast, row["forecast"]),
        _taps(connection, row["id"]),
        _marks(connection, row["id"]),
        row["note"],
        bool(row["finished"]),
    )


def _taps(connection: sqlite3.Connection, run_id: int) -> tuple[Tap, ...]:
    found = connection.execute(
        "SELECT id, key, kind, ref, at_s FROM tap WHERE run_id = ? ORDER BY id", (run_id,)
    ).fetchall()
    return tuple(
        Tap(row["id"], row["key"], TapKind(row["kind"]), row["ref"], row["at_s"]) for row in found
    )


def _marks(connection: sqlite3.Connection, run_id: int) -> tuple[FoundMark, ...]:
    found = connection.execute(
        "SELECT ref, pin, verdict FROM found_mark WHERE run_id = ? ORDER BY rowid", (run_id,)
    ).fetchall()
    return tuple(FoundMark(row["ref"], row["pin"], Verdict(row["verdict"])) for row in found)


def set_start(connection: sqlite3.Connection, run_id: int, started_ms: int | None) -> None:
    """Keep the wall-clock moment of the start tap (milliseconds since 1970), or forget it."""
    connection.execute("UPDATE run SET started_ms = ? WHERE id = ?", (started_ms, run_id))


def add_tap(
    connection: sqlite3.Connection, run_id: int, key: str, kind: TapKind, ref: str, at_s: float
) -> None:
    """Store a tap; the same key twice is the same tap."""
    connection.execute(
        "INSERT INTO tap (run_id, key, kind, ref, at_s) VALUES (?, ?, ?, ?, ?) ON CONFLICT (run_id, key) DO NOTHING",
        (run_id, key, str(kind), ref, at_s),
    )


def remove_tap(connection: sqlite3.Connection, run_id: int, key: str) -> None:
    """Take a tap back."""
    connection.execute("DELETE FROM tap WHERE run_id = ? AND key = ?", (run_id, key))


def keep_mark(connection: sqlite3.Connection, run_id: int, mark: FoundMark) -> None:
    """Store a verdict, replacing the one before."""
    connection.execute(
        "INSERT INTO found_mark (run_id, ref, pin, verdict) VALUES (?, ?, ?, ?)"
        " ON CONFLICT (run_id, ref, pin) DO UPDATE SET verdict = excluded.verdict",
        (run_id, mark.ref, mark.pin, str(mark.verdict)),
    )


def remove_mark(connection: sqlite3.Connection, run_id: int, ref: str, pin: str) -> None:
    """Take a verdict back."""
    connection.execute(
        "DELETE FROM found_mark WHERE run_id = ? AND ref = ? AND pin = ?", (run_id, ref, pin)
    )


def keep_note(connection: sqlite3.Connection, run_id: int, note: str, finished: bool) -> None:
    """Store the run's note and whether it is finished."""
    connection.execute(
        "UPDATE run SET note = ?, finished = ? WHERE id = ?", (note, int(finished), run_id)
    )
