"""What owners said of a board's proof, of a job's cleaning, and by which limits joints are good."""

import sqlite3

from yellowfen.core.look.acceptance import Limits, remembered
from yellowfen.core.look.cleaning import CleaningPlan
from yellowfen.core.look.proof import BoardProof
from yellowfen.store import jobs
from yellowfen.store.database import asked_once
from yellowfen.store.packing import pack, unpack


@asked_once
def proof_of(connection: sqlite3.Connection, board_id: int) -> BoardProof:
    """What was said of a board; nothing yet: as guessed."""
    row = connection.execute(
        "SELECT content FROM board_proof WHERE board_id = ?", (board_id,)
    ).fetchone()
    return BoardProof() if row is None else unpack(BoardProof, row["content"])


def keep_proof(connection: sqlite3.Connection, board_id: int, proof: BoardProof) -> None:
    """Store what was said of a board."""
    connection.execute(
        "INSERT INTO board_proof (board_id, content) VALUES (?, ?)"
        " ON CONFLICT (board_id) DO UPDATE SET content = excluded.content",
        (board_id, pack(proof)),
    )


def cleaning_of(connection: sqlite3.Connection, job_id: int) -> CleaningPlan:
    """What a job is cleaned of and with; nothing yet: what is usual."""
    row = jobs.plans_of(connection, job_id)
    kept = row["cleaning"] if row else None
    return CleaningPlan() if kept is None else unpack(CleaningPlan, kept)


def keep_cleaning(connection: sqlite3.Connection, job_id: int, plan: CleaningPlan) -> None:
    """Store what a job is cleaned of and with."""
    connection.execute(
        "INSERT INTO job_cleaning (job_id, content) VALUES (?, ?)"
        " ON CONFLICT (job_id) DO UPDATE SET content = excluded.content",
        (job_id, pack(plan)),
    )


def limits_of(connection: sqlite3.Connection, grade: int) -> Limits:
    """The limits of a class: the user's own, or as remembered."""
    row = connection.execute("SELECT content FROM acceptance WHERE grade = ?", (grade,)).fetchone()
    return remembered(grade) if row is None else unpack(Limits, row["content"])


def keep_limits(connection: sqlite3.Connection, grade: int, limits: Limits | None) -> None:
    """Store the user's own limits of a class of 1 to 3; None goes back to what is remembered."""
    if limits is None:
        connection.execute("DELETE FROM acceptance WHERE grade = ?", (grade,))
        return
    connection.execute(
        "INSERT INTO acceptance (grade, content) VALUES (?, ?)"
        " ON CONFLICT (grade) DO UPDATE SET content = excluded.content",
        (grade, pack(limits)),
    )
