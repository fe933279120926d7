"""Runs at the bench, of every kind: their plan, taps and note, and what looks found at the joints."""

import json
import sqlite3
from collections.abc import Iterable, Mapping, Sequence
from functools import lru_cache
from typing import Any

from yellowfen.core.heat.heat_plan import Forecast
from yellowfen.core.heat.revise import Course
from yellowfen.core.run.kinds import KINDS, kind_of
from yellowfen.core.run.look import LOOK
from yellowfen.core.run.machine import Tap
from yellowfen.core.run.run import BenchRun, KindOfRun
from yellowfen.core.work.job import Purpose
from yellowfen.errors import Damaged, NotFound, WhichBoard
from yellowfen.store.database import asked_once
from yellowfen.store.moment import day_words
from yellowfen.store.packing import pack, readable, unpack

_COLUMNS = (
    "SELECT bench_run.id, bench_run.job_id, job.name AS job_name, job.board_id,"
    " board.name AS board_name, bench_run.kind, bench_run.side, bench_run.started_at,"
    " bench_run.plan, bench_run.forecast, bench_run.note, bench_run.finished,"
    " bench_run.heat_id, bench_run.piece_id, bench_run.looks_at, job.purpose,"
    " coalesce(piece.name, '') AS piece_name"
    " FROM bench_run JOIN job ON job.id = bench_run.job_id JOIN board ON board.id = job.board_id"
    " LEFT JOIN piece ON piece.id = bench_run.piece_id"
    " WHERE bench_run.removed_at IS NULL AND"
)


def add(
    connection: sqlite3.Connection,
    job_id: int,
    plan: Any,
    *,
    side: str = "",
    forecast: Forecast | None = None,
    looks_at: int | None = None,
) -> int:
    """Open the run that follows a plan, on the job's piece in hand (a heat also on its heat, a look
    at a run's joints); returns its id. Raises WhichBoard where it is about one board and nobody said
    which.
    """
    kind = kind_of(plan)
    if not kind.any_board:
        _say_which(connection, job_id)
    cursor = connection.execute(
        "INSERT INTO bench_run"
        " (job_id, kind, side, started_at, plan, forecast, heat_id, piece_id, looks_at)"
        " SELECT id, ?, ?, datetime('now'), ?, ?, CASE ? WHEN 'heat' THEN heat_id END, piece_id, ?"
        " FROM job WHERE id = ?",
        (
            kind.name,
            side,
            pack(plan),
            None if forecast is None else pack(forecast),
            kind.name,
            looks_at,
            job_id,
        ),
    )
    return int(cursor.lastrowid or 0)


def _say_which(connection: sqlite3.Connection, job_id: int) -> None:
    row = connection.execute(
        "SELECT piece_id IS NULL AND all_alike = 0"
        " AND (SELECT count(*) FROM job_piece WHERE job_id = job.id) > 1 FROM job WHERE id = ?",
        (job_id,),
    ).fetchone()
    if row is not None and row[0]:
        raise WhichBoard(job_id)


def get(connection: sqlite3.Connection, run_id: int) -> BenchRun:
    """The run of that id. Raises NotFound where there is none."""
    row = connection.execute(f"{_COLUMNS} bench_run.id = ?", (run_id,)).fetchone()
    if row is None:
        raise NotFound(f"there is no run {run_id}; it may have been removed")
    return _read_one(connection, row)


def latest(
    connection: sqlite3.Connection, job_id: int, kind: KindOfRun, side: str | None = None
) -> BenchRun | None:
    """The newest run of a kind (and side) on the job's board in hand, or None. A run on all boards
    alike is one on each; a kit is fetched for all of them.
    """
    row = connection.execute(
        f"{_COLUMNS} bench_run.job_id = ? AND bench_run.kind = ?"
        " AND (? IS NULL OR bench_run.side = ?)"
        " AND (? OR job.piece_id IS NULL OR bench_run.piece_id IS NULL"
        " OR bench_run.piece_id = job.piece_id) ORDER BY bench_run.id DESC LIMIT 1",
        (job_id, kind.name, side, side, kind.for_all),
    ).fetchone()
    return _read_one(connection, row) if row else None


def unfinished(connection: sqlite3.Connection, job_id: int, kind: KindOfRun) -> BenchRun | None:
    """The job's newest run of a kind if it was begun and something of it is still to do."""
    run = latest(connection, job_id, kind)
    return run if run is not None and run.taps and run.state.to_do else None


@asked_once
def rows(
    connection: sqlite3.Connection,
    kind: KindOfRun | None = None,
    most: int = 200,
    job_id: int | None = None,
    before: int = 0,
) -> list[BenchRun]:
    """The newest runs of all jobs (or one), of a kind or of all; those older than run `before` where
    one is named.
    """
    found = connection.execute(
        f"{_COLUMNS} (? IS NULL OR bench_run.kind = ?) AND (? IS NULL OR bench_run.job_id = ?)"
        " AND (? = 0 OR bench_run.id < ?) ORDER BY bench_run.id DESC LIMIT ?",
        (kind and kind.name, kind and kind.name, job_id, job_id, before, before, most),
    ).fetchall()
    return _read(connection, found)


# Runs on one board (:job, :piece): of a named one over all jobs, with what their jobs did to all
# boards alike; of one without a name, or of all alike, those of the job that name none.
_ON_BOARD = (
    "((:piece IS NOT NULL AND (bench_run.piece_id = :piece OR (bench_run.piece_id IS NULL AND"
    " bench_run.job_id IN (SELECT job_id FROM job_piece WHERE piece_id = :piece))))"
    " OR (:piece IS NULL AND bench_run.job_id = :job AND bench_run.piece_id IS NULL)"
    " OR (bench_run.job_id = :job AND bench_run.kind IN (SELECT value FROM json_each(:for_all))))"
)


def _of_board(job_id: int, piece_id: int | None) -> dict[str, Any]:
    """What `_ON_BOARD` asks for; a kind that is done for all boards is done for each of them."""
    for_all = [kind.name for kind in KINDS.values() if kind.for_all]
    return {"job": job_id, "piece": piece_id, "for_all": json.dumps(for_all)}


def on_board(connection: sqlite3.Connection, job_id: int, piece_id: int | None) -> list[BenchRun]:
    """All runs on one board of a job, the oldest first."""
    found = connection.execute(
        f"{_COLUMNS} {_ON_BOARD} ORDER BY bench_run.id", _of_board(job_id, piece_id)
    ).fetchall()
    return _read(connection, found)


@asked_once
def stamp(connection: sqlite3.Connection, job_id: int, piece_id: int | None) -> tuple[object, ...]:
    """What changes whenever the runs on a board do."""
    mine = f"FROM bench_run WHERE removed_at IS NULL AND {_ON_BOARD}"
    row = connection.execute(
        "SELECT (SELECT count(*) || ' ' || coalesce(max(id), 0) || ' ' || coalesce(sum(finished), 0)"
        " || ' ' || coalesce(group_concat(note, char(10)), '')"
        f" {mine}), (SELECT count(*) || ' ' || coalesce(max(id), 0) FROM bench_tap"
        f" WHERE run_id IN (SELECT id {mine})), (SELECT key FROM bench_tap"
        f" WHERE run_id IN (SELECT id {mine}) ORDER BY id DESC LIMIT 1)",
        _of_board(job_id, piece_id),
    ).fetchone()
    return tuple(row)


def by_id(connection: sqlite3.Connection, run_ids: Sequence[int]) -> list[BenchRun]:
    """Those of the runs that are there."""
    found = connection.execute(
        f"{_COLUMNS} bench_run.id IN (SELECT value FROM json_each(?))", (json.dumps(run_ids),)
    ).fetchall()
    return _read(connection, found)


def _read(connection: sqlite3.Connection, found: Sequence[sqlite3.Row]) -> list[BenchRun]:
    """Runs with their taps and the looks at them, in two queries more however many they are."""
    solder = {name for name, kind in KINDS.items() if kind.solders}
    soldered = [row["id"] for row in found if row["kind"] in solder]
    looks = connection.execute(
        f"{_COLUMNS} bench_run.looks_at IN (SELECT value FROM json_each(?)) ORDER BY bench_run.id",
        (json.dumps(soldered),),
    ).fetchall()
    taps = _taps(connection, [row["id"] for row in (*found, *looks)])
    looked: dict[int, list[BenchRun]] = {}
    for look in readable(looks, lambda row: _run(row, taps)):
        looked.setdefault(look.looks_at or 0, []).append(look)
    return readable(found, lambda row: _run(row, taps, looked.get(row["id"], ())))


def _read_one(connection: sqlite3.Connection, row: sqlite3.Row) -> BenchRun:
    """One run; a damaged one is told, not left out."""
    return next(iter(_read(connection, [row])), None) or _run(row, {})


def _run(
    row: sqlite3.Row, taps: Mapping[int, tuple[Tap, ...]], looked: Iterable[BenchRun] = ()
) -> BenchRun:
    return BenchRun(
        id=row["id"],
        job_id=row["job_id"],
        job_name=row["job_name"],
        board_id=row["board_id"],
        board_name=row["board_name"],
        kind=_kind(row),
        side=row["side"],
        started_at=row["started_at"],
        plan=_plan(row["kind"], row["plan"]),
        forecast=None if row["forecast"] is None else _forecast(row["forecast"]),
        taps=taps.get(row["id"], ()),
        looked=tuple(looked),
        note=row["note"],
        finished=bool(row["finished"]),
        heat_id=row["heat_id"],
        piece_id=row["piece_id"],
        looks_at=row["looks_at"],
        purpose=Purpose(row["purpose"]),
        piece_name=row["piece_name"],
    )


def _kind(row: sqlite3.Row) -> KindOfRun:
    try:
        return KINDS[row["kind"]]
    except KeyError:
        raise Damaged(f"there is no kind of run called {row['kind']!r}") from None


def _plan(kind: str, text: str) -> Any:
    """A plan stays as it was at its run's start, so it is read once. Those of looks are large: their
    thousands of joints would push the others out.
    """
    return _look_plan(text) if kind == LOOK.name else _other_plan(kind, text)


@lru_cache(maxsize=64)
def _other_plan(kind: str, text: str) -> Any:
    return unpack(KINDS[kind].plan, text)


@lru_cache(maxsize=4)
def _look_plan(text: str) -> Any:
    return unpack(LOOK.plan, text)


@lru_cache(maxsize=64)
def _forecast(text: str) -> Forecast:
    return unpack(Forecast, text)


def taps_of(connection: sqlite3.Connection, run_id: int) -> tuple[Tap, ...]:
    """A run's taps, oldest first."""
    return _taps(connection, [run_id]).get(run_id, ())


def _taps(connection: sqlite3.Connection, run_ids: Sequence[int]) -> dict[int, tuple[Tap, ...]]:
    found: dict[int, list[Tap]] = {}
    for row in connection.execute(
        "SELECT run_id, id, key, cue, word, at_ms, text FROM bench_tap"
        " WHERE run_id IN (SELECT value FROM json_each(?)) ORDER BY id",
        (json.dumps(run_ids),),
    ):
        one = Tap(
            key=row["key"],
            cue=row["cue"],
            word=row["word"],
            at_ms=row["at_ms"],
            text=row["text"],
            order=row["id"],
        )
        found.setdefault(row["run_id"], []).append(one)
    return {run_id: tuple(mine) for run_id, mine in found.items()}


def looks(connection: sqlite3.Connection, run_id: int) -> list[BenchRun]:
    """The looks at the joints of a run, the newest first."""
    found = connection.execute(
        f"{_COLUMNS} bench_run.looks_at = ? ORDER BY bench_run.id DESC", (run_id,)
    ).fetchall()
    return _read(connection, found)


def keep_course(connection: sqlite3.Connection, run_id: int, course: Course) -> None:
    """Keep the samples that a run's forecast was read off."""
    connection.execute(
        "INSERT INTO run_course (run_id, content) VALUES (?, ?)"
        " ON CONFLICT (run_id) DO UPDATE SET content = excluded.content",
        (run_id, pack(course)),
    )


def course(connection: sqlite3.Connection, run_id: int) -> Course | None:
    """Those samples; None for a run that has none (an earlier one, or no heat)."""
    row = connection.execute(
        "SELECT content FROM run_course WHERE run_id = ?", (run_id,)
    ).fetchone()
    return None if row is None else unpack(Course, row["content"])


def add_tap(connection: sqlite3.Connection, run_id: int, tap: Tap) -> None:
    """Store a tap; the same key twice is the same tap."""
    connection.execute(
        "INSERT INTO bench_tap (run_id, key, cue, word, at_ms, text) VALUES (?, ?, ?, ?, ?, ?)"
        " ON CONFLICT (run_id, key) DO NOTHING",
        (run_id, tap.key, tap.cue, tap.word, tap.at_ms, tap.text),
    )


def notes_on(connection: sqlite3.Connection, board_id: int, most: int = 5) -> list[tuple[str, str]]:
    """The newest notes for next time on a board's jobs: (when and in which job, the note)."""
    found = connection.execute(
        "SELECT bench_run.started_at, job.name, bench_run.note FROM bench_run"
        " JOIN job ON job.id = bench_run.job_id WHERE job.board_id = ? AND bench_run.note <> ''"
        " AND bench_run.removed_at IS NULL ORDER BY bench_run.id DESC LIMIT ?",
        (board_id, most),
    ).fetchall()
    return [(f"{day_words(row['started_at'])}, {row['name']}", row["note"]) for row in found]


def set_over(connection: sqlite3.Connection, run_id: int, over: bool) -> None:
    """Keep whether anything of a run is still to do."""
    connection.execute("UPDATE bench_run SET over = ? WHERE id = ?", (int(over), run_id))


def remove_tap(connection: sqlite3.Connection, run_id: int, key: str) -> None:
    """Take a tap back."""
    connection.execute("DELETE FROM bench_tap WHERE run_id = ? AND key = ?", (run_id, key))


def keep_note(connection: sqlite3.Connection, run_id: int, note: str, finished: bool) -> None:
    """Store the run's note and whether it is finished."""
    connection.execute(
        "UPDATE bench_run SET note = ?, finished = ? WHERE id = ?", (note, int(finished), run_id)
    )


def remove(connection: sqlite3.Connection, run_id: int, back: bool = False) -> None:
    """Put a run away with the looks at its joints, or bring it `back` with those that went along."""
    mine = "(id = ?1 OR looks_at = ?1)"
    if back:
        connection.execute(
            f"UPDATE bench_run SET removed_at = NULL WHERE {mine}"
            " AND removed_at >= (SELECT removed_at FROM bench_run WHERE id = ?1)",
            (run_id,),
        )
    else:
        connection.execute(
            f"UPDATE bench_run SET removed_at = datetime('now') WHERE {mine} AND removed_at IS NULL",
            (run_id,),
        )


def removed(connection: sqlite3.Connection, days: int = 14) -> list[tuple[int, str]]:
    """Runs put away lately, (id, the job's name and the kind), the newest first."""
    found = connection.execute(
        "SELECT bench_run.id, job.name, bench_run.kind FROM bench_run"
        " JOIN job ON job.id = bench_run.job_id JOIN board ON board.id = job.board_id"
        " WHERE bench_run.removed_at > datetime('now', ?) AND bench_run.looks_at IS NULL"
        " AND board.removed_at IS NULL"
        " ORDER BY bench_run.removed_at DESC",
        (f"-{days} days",),
    ).fetchall()
    return [(row["id"], f"{row['name']}, {row['kind']}") for row in found]
