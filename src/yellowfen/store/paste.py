"""What a job's Paste stage is set to: its plan, changes of openings, weighings and prints."""

import sqlite3
from dataclasses import dataclass, replace

from yellowfen.core.deposit.paste_plan import ChangeStep, PastePlan, Printed
from yellowfen.core.deposit.weighing import Weighing
from yellowfen.core.metal.paste import Paste
from yellowfen.errors import NotFound
from yellowfen.store import jobs
from yellowfen.store.database import asked_once
from yellowfen.store.packing import pack, readable, unpack


@dataclass(frozen=True)
class KeptWeighing:
    """A stored weighing."""

    id: int
    job_id: int
    made_at: str
    weighing: Weighing


@asked_once
def paste_plan_of(connection: sqlite3.Connection, job_id: int) -> PastePlan:
    """The job's paste plan, a fresh one when none was kept; for as many boards as the job is."""
    row = jobs.plans_of(connection, job_id)
    kept = row["paste_plan"] if row else None
    plan = PastePlan() if kept is None else unpack(PastePlan, kept)
    return replace(plan, boards=jobs.boards_of(connection, job_id))


def keep_paste_plan(connection: sqlite3.Connection, job_id: int, plan: PastePlan) -> None:
    """Store the job's paste plan, and how many boards the job is for."""
    jobs.set_boards(connection, job_id, plan.boards)
    connection.execute(
        "INSERT INTO paste_plan (job_id, content) VALUES (?, ?) ON CONFLICT (job_id) DO UPDATE SET content = excluded.content",
        (job_id, pack(plan)),
    )


def steps_of(
    connection: sqlite3.Connection, job_id: int, before: str = ""
) -> tuple[ChangeStep, ...]:
    """Decisions about openings, oldest first; only those made `before` a moment where one is given."""
    return tuple(
        step for made_at, step in _steps(connection, job_id) if not before or made_at < before
    )


@asked_once
def _steps(connection: sqlite3.Connection, job_id: int) -> tuple[tuple[str, ChangeStep], ...]:
    found = connection.execute(
        "SELECT made_at, content FROM opening_step WHERE job_id = ? ORDER BY id", (job_id,)
    ).fetchall()
    return tuple((row["made_at"], unpack(ChangeStep, row["content"])) for row in found)


def add_step(connection: sqlite3.Connection, job_id: int, step: ChangeStep) -> None:
    """Store a decision about openings."""
    connection.execute(
        "INSERT INTO opening_step (job_id, made_at, content) VALUES (?, datetime('now'), ?)",
        (job_id, pack(step)),
    )


def undo_step(connection: sqlite3.Connection, job_id: int) -> None:
    """Take the newest decision back."""
    connection.execute(
        "DELETE FROM opening_step WHERE id = (SELECT id FROM opening_step WHERE job_id = ? ORDER BY id DESC LIMIT 1)",
        (job_id,),
    )


def _microns(foil_mm: float) -> int:
    return round(foil_mm * 1000)


def add_weighing(
    connection: sqlite3.Connection, job_id: int, foil_mm: float, paste: Paste, weighing: Weighing
) -> int:
    """Store a weighing of this foil and paste; returns its id."""
    cursor = connection.execute(
        "INSERT INTO weighing (job_id, made_at, foil_um, paste, content) VALUES (?, datetime('now'), ?, ?, ?)",
        (job_id, _microns(foil_mm), pack(paste), pack(weighing)),
    )
    return int(cursor.lastrowid or 0)


def weighings(connection: sqlite3.Connection, foil_mm: float, paste: Paste) -> list[KeptWeighing]:
    """All weighings with this foil and paste, of every job, oldest first."""
    return readable(
        [row for row in _of_paste(connection, paste) if row["foil_um"] == _microns(foil_mm)],
        lambda row: KeptWeighing(
            row["id"], row["job_id"], row["made_at"], unpack(Weighing, row["content"])
        ),
    )


@asked_once
def _of_paste(connection: sqlite3.Connection, paste: Paste) -> list[sqlite3.Row]:
    return connection.execute(
        "SELECT id, job_id, made_at, foil_um, content FROM weighing WHERE paste = ? ORDER BY id",
        (pack(paste),),
    ).fetchall()


def remove_weighing(connection: sqlite3.Connection, weighing_id: int) -> None:
    """Take a weighing back. Raises NotFound when it is gone."""
    if connection.execute("DELETE FROM weighing WHERE id = ?", (weighing_id,)).rowcount == 0:
        raise NotFound(f"there is no weighing {weighing_id}; it may have been removed")


def add_print(
    connection: sqlite3.Connection,
    job_id: int,
    found: str,
    wiped: bool,
    repeated: bool,
    foil_mm: float,
    paste: Paste,
    lot_event_id: int | None,
    tap: str = "",
) -> None:
    """Store how a print looked; `lot_event_id` is what it took from a lot, `tap` what told it."""
    connection.execute(
        "INSERT INTO printed"
        " (job_id, made_at, found, wiped, repeated, foil_um, paste, lot_event_id, tap)"
        " VALUES (?, datetime('now'), ?, ?, ?, ?, ?, ?, ?)",
        (
            job_id,
            found,
            int(wiped),
            int(repeated),
            _microns(foil_mm),
            pack(paste),
            lot_event_id,
            tap,
        ),
    )


def prints_of(connection: sqlite3.Connection, job_id: int) -> list[Printed]:
    """The job's prints, oldest first."""
    found = connection.execute(
        "SELECT id, made_at, found, wiped, repeated, foil_um, paste, tap FROM printed WHERE job_id = ? ORDER BY id",
        (job_id,),
    ).fetchall()
    return [
        Printed(
            id=row["id"],
            at=row["made_at"],
            found=row["found"],
            wiped=bool(row["wiped"]),
            repeated=bool(row["repeated"]),
            foil_mm=row["foil_um"] / 1000,
            paste=unpack(Paste, row["paste"]),
            by_key=row["tap"] != "",
        )
        for row in found
    ]


def undo_print(connection: sqlite3.Connection, job_id: int, tap: str = "") -> int | None:
    """Take the print of a tap back, or the newest that none told (those of earlier versions name
    none); returns the lot event that came with it, if any.
    """
    row = connection.execute(
        "SELECT id, lot_event_id FROM printed WHERE job_id = ? AND tap IN (?, '')"
        " ORDER BY tap DESC, id DESC LIMIT 1",
        (job_id, tap),
    ).fetchone()
    if row is None:
        return None
    connection.execute("DELETE FROM printed WHERE id = ?", (row["id"],))
    return None if row["lot_event_id"] is None else int(row["lot_event_id"])
