"""What a rework or salvage knows beside its runs: the survey's answers, the passports of parts that
came off.
"""

import sqlite3
from dataclasses import dataclass

from yellowfen.core.rework.legs import Passport
from yellowfen.core.rework.survey import Answers
from yellowfen.errors import NotFound
from yellowfen.store.database import asked_once
from yellowfen.store.packing import pack, unpack


def answers(connection: sqlite3.Connection, job_id: int, piece_id: int | None) -> Answers | None:
    """What was answered for a job's board in hand; for a piece also by another job; None: nothing."""
    row = connection.execute(
        "SELECT content FROM survey WHERE (job_id = :job AND piece_id = :piece)"
        " OR (piece_id = :piece AND :piece <> 0) OR (job_id = :job AND piece_id = 0)"
        " ORDER BY (job_id = :job AND piece_id = :piece) DESC, piece_id = :piece DESC, rowid DESC LIMIT 1",
        {"job": job_id, "piece": piece_id or 0},
    ).fetchone()
    return None if row is None else unpack(Answers, row["content"])


def keep_answers(
    connection: sqlite3.Connection, job_id: int, piece_id: int | None, content: Answers
) -> None:
    """Keep what was answered for a job's board in hand."""
    connection.execute(
        "INSERT INTO survey (job_id, piece_id, content) VALUES (?, ?, ?)"
        " ON CONFLICT (job_id, piece_id) DO UPDATE SET content = excluded.content",
        (job_id, piece_id or 0, pack(content)),
    )


@dataclass(frozen=True, kw_only=True)
class KeptPassport:
    """A passport as it is stored; `used` once its part is on a board again; `run_id` the run that
    took it off (None: said without one).
    """

    id: int
    job_id: int | None
    piece_id: int | None
    made_at: str
    passport: Passport
    used: bool
    run_id: int | None = None


_COLUMNS = "SELECT id, job_id, piece_id, made_at, content, used_at, run_id FROM passport"


def add_passport(
    connection: sqlite3.Connection,
    job_id: int,
    piece_id: int | None,
    passport: Passport,
    run_id: int | None = None,
) -> int:
    """Store a part that came off; returns its id."""
    cursor = connection.execute(
        "INSERT INTO passport (job_id, piece_id, made_at, content, run_id)"
        " VALUES (?, ?, datetime('now'), ?, ?)",
        (job_id, piece_id, pack(passport), run_id),
    )
    return int(cursor.lastrowid or 0)


def keep_passport(connection: sqlite3.Connection, passport_id: int, passport: Passport) -> None:
    """Store what is known now of a part that came off."""
    get_passport(connection, passport_id)
    connection.execute(
        "UPDATE passport SET content = ? WHERE id = ?", (pack(passport), passport_id)
    )


def set_used(connection: sqlite3.Connection, passport_id: int, used: bool) -> None:
    """Note that a part is on a board again, or not."""
    get_passport(connection, passport_id)
    connection.execute(
        "UPDATE passport SET used_at = datetime(?) WHERE id = ?",
        ("now" if used else None, passport_id),
    )


def remove_passport(connection: sqlite3.Connection, passport_id: int, back: bool = False) -> None:
    """Put a passport away, or bring it `back`."""
    connection.execute(
        "UPDATE passport SET removed_at = datetime(?) WHERE id = ?",
        (None if back else "now", passport_id),
    )


def get_passport(connection: sqlite3.Connection, passport_id: int) -> KeptPassport:
    """The passport of that id. Raises NotFound where there is none."""
    row = connection.execute(
        f"{_COLUMNS} WHERE id = ? AND removed_at IS NULL", (passport_id,)
    ).fetchone()
    if row is None:
        raise NotFound(f"there is no part {passport_id} in the bags; it may have been removed")
    return _kept(row)


@asked_once
def passports(connection: sqlite3.Connection, job_id: int | None = None) -> list[KeptPassport]:
    """Parts that came off, of a job or of all, the newest first."""
    found = connection.execute(
        f"{_COLUMNS} WHERE removed_at IS NULL AND (? IS NULL OR job_id = ?) ORDER BY id DESC",
        (job_id, job_id),
    ).fetchall()
    return [_kept(row) for row in found]


def written(connection: sqlite3.Connection, job_id: int) -> set[tuple[str, int | None]]:
    """Which parts of a job have a passport, by (ref, run), those put away as well."""
    found = connection.execute(
        "SELECT json_extract(content, '$.ref') AS ref, run_id FROM passport WHERE job_id = ?",
        (job_id,),
    ).fetchall()
    return {(row["ref"], row["run_id"]) for row in found}


def _kept(row: sqlite3.Row) -> KeptPassport:
    return KeptPassport(
        id=row["id"],
        job_id=row["job_id"],
        piece_id=row["piece_id"],
        made_at=row["made_at"],
        passport=unpack(Passport, row["content"]),
        used=row["used_at"] is not None,
        run_id=row["run_id"],
    )
