"""Jobs, their heats and the pieces they are about."""

import sqlite3
from collections.abc import Sequence
from dataclasses import replace

from yellowfen.core.heat.heat_plan import USUAL_ROOM_C, HeatPlan
from yellowfen.core.work.job import Heat, Job, Piece, Purpose
from yellowfen.errors import InvalidValue, NotFound
from yellowfen.store.database import asked_once, atomic
from yellowfen.store.packing import pack, readable, unpack

_COLUMNS = (
    "SELECT job.id, job.board_id, board.name AS board_name, job.name, job.created_at, job.purpose,"
    " job.parts, job.heat_id, job.piece_id, job.room_c, job.all_alike FROM job JOIN board ON board.id = job.board_id"
)


def add(
    connection: sqlite3.Connection,
    board_id: int,
    name: str,
    plan: HeatPlan,
    *,
    purpose: Purpose = Purpose.BUILD,
    parts: tuple[str, ...] = (),
) -> int:
    """Store a new job with one heat; returns its id."""
    with atomic(connection):
        cursor = connection.execute(
            "INSERT INTO job (board_id, name, created_at, purpose, parts, room_c)"
            " VALUES (?, ?, datetime('now'), ?, ?, ?)",
            (board_id, name, str(purpose), pack(parts), plan.ambient_c),
        )
        job_id = int(cursor.lastrowid or 0)
        choose_heat(connection, job_id, add_heat(connection, job_id, "", plan))
    return job_id


@asked_once
def get(connection: sqlite3.Connection, job_id: int) -> Job:
    """The job of that id. Raises NotFound where there is none."""
    row = connection.execute(
        f"{_COLUMNS} WHERE job.id = ? AND job.removed_at IS NULL", (job_id,)
    ).fetchone()
    if row is None:
        raise NotFound(f"there is no job {job_id}; it may have been removed")
    return _job(connection, row)


def rows(connection: sqlite3.Connection) -> list[Job]:
    """All jobs, newest first."""
    found = connection.execute(
        f"{_COLUMNS} WHERE job.removed_at IS NULL ORDER BY job.id DESC"
    ).fetchall()
    return readable(found, lambda row: _job(connection, row))


def _job(connection: sqlite3.Connection, row: sqlite3.Row) -> Job:
    heats = tuple(
        Heat(id=one["id"], name=one["name"], plan=_in_room(one["plan"], row["room_c"]))
        for one in connection.execute(
            "SELECT id, name, plan FROM heat WHERE job_id = ? ORDER BY id", (row["id"],)
        ).fetchall()
    )
    return Job(
        id=row["id"],
        board_id=row["board_id"],
        board_name=row["board_name"],
        name=row["name"],
        created_at=row["created_at"],
        purpose=Purpose(row["purpose"]),
        parts=unpack(tuple[str, ...], row["parts"]),
        heats=heats,
        heat_id=row["heat_id"] or heats[0].id,
        pieces=pieces_of(connection, row["id"]),
        piece_id=row["piece_id"],
        all_alike=bool(row["all_alike"]),
    )


def _in_room(content: str, room_c: float | None) -> HeatPlan:
    plan = unpack(HeatPlan, content)
    return plan if room_c in (None, plan.ambient_c) else replace(plan, ambient_c=float(room_c))


@asked_once
def plans_of(connection: sqlite3.Connection, job_id: int) -> sqlite3.Row | None:
    """What a job has of plans of its own, as stored (`paste_plan`, `ready_plan`, `cleaning`; NULL
    where none was kept), its `boards` and `room_c`: pages ask for most of them. None without a job.
    """
    row: sqlite3.Row | None = connection.execute(
        "SELECT job.boards, job.room_c, paste_plan.content AS paste_plan,"
        " ready_plan.content AS ready_plan, job_cleaning.content AS cleaning FROM job"
        " LEFT JOIN paste_plan ON paste_plan.job_id = job.id"
        " LEFT JOIN ready_plan ON ready_plan.job_id = job.id"
        " LEFT JOIN job_cleaning ON job_cleaning.job_id = job.id WHERE job.id = ?",
        (job_id,),
    ).fetchone()
    return row


def boards_of(connection: sqlite3.Connection, job_id: int) -> int:
    """How many boards a job is for."""
    row = plans_of(connection, job_id)
    return int(row["boards"]) if row else 1


def room_of(connection: sqlite3.Connection, job_id: int) -> float:
    """The temperature of the room that a job is worked in, °C."""
    row = plans_of(connection, job_id)
    return USUAL_ROOM_C if row is None or row["room_c"] is None else float(row["room_c"])


def set_room(connection: sqlite3.Connection, job_id: int, celsius: float) -> None:
    """Store the temperature of the room, −10 to 60 °C, for every page and heat of a job."""
    connection.execute("UPDATE job SET room_c = ? WHERE id = ?", (celsius, job_id))


def grade_of(connection: sqlite3.Connection, job_id: int) -> int:
    """The class, 1 to 3, by which the job's joints count as good."""
    row = connection.execute("SELECT grade FROM job WHERE id = ?", (job_id,)).fetchone()
    return int(row["grade"]) if row else 2


def set_grade(connection: sqlite3.Connection, job_id: int, grade: int) -> None:
    """Store the job's class, 1 to 3."""
    connection.execute("UPDATE job SET grade = ? WHERE id = ?", (grade, job_id))


def set_boards(connection: sqlite3.Connection, job_id: int, boards: int) -> None:
    """Store how many boards a job is for, 1 to 10 000."""
    connection.execute("UPDATE job SET boards = ? WHERE id = ?", (boards, job_id))


def set_purpose(
    connection: sqlite3.Connection, job_id: int, name: str, purpose: Purpose, parts: tuple[str, ...]
) -> None:
    """Store what a job is for."""
    connection.execute(
        "UPDATE job SET name = ?, purpose = ?, parts = ? WHERE id = ?",
        (name, str(purpose), pack(parts), job_id),
    )


def remove(connection: sqlite3.Connection, job_id: int, back: bool = False) -> None:
    """Put a job away with its runs, or bring it `back`."""
    moment = None if back else "now"
    connection.execute("UPDATE job SET removed_at = datetime(?) WHERE id = ?", (moment, job_id))


def removed(connection: sqlite3.Connection, days: int = 14) -> list[tuple[int, str]]:
    """Jobs put away lately, (id, name), the newest first."""
    found = connection.execute(
        "SELECT job.id, job.name FROM job JOIN board ON board.id = job.board_id"
        " WHERE job.removed_at > datetime('now', ?) AND board.removed_at IS NULL"
        " ORDER BY job.removed_at DESC",
        (f"-{days} days",),
    ).fetchall()
    return [(row["id"], row["name"]) for row in found]


# heats
def add_heat(connection: sqlite3.Connection, job_id: int, name: str, plan: HeatPlan) -> int:
    """Add a heat to a job; returns its id."""
    cursor = connection.execute(
        "INSERT INTO heat (job_id, name, plan) VALUES (?, ?, ?)", (job_id, name, pack(plan))
    )
    return int(cursor.lastrowid or 0)


def choose_heat(connection: sqlite3.Connection, job_id: int, heat_id: int) -> None:
    """Make a heat of the job the one being worked on. Raises NotFound for another job's."""
    cursor = connection.execute(
        "UPDATE job SET heat_id = ? WHERE id = ?"
        " AND EXISTS (SELECT 1 FROM heat WHERE heat.id = ? AND heat.job_id = job.id)",
        (heat_id, job_id, heat_id),
    )
    if cursor.rowcount == 0:
        raise NotFound(f"this job has no heat {heat_id}; it may have been removed")


def remove_heat(connection: sqlite3.Connection, job_id: int, heat_id: int) -> None:
    """Remove a heat; its runs stay in the logbook. Raises InvalidValue for the job's last one,
    NotFound for another job's.
    """
    heats = get(connection, job_id).heats
    left = [heat for heat in heats if heat.id != heat_id]
    if len(left) == len(heats):
        raise NotFound(f"this job has no heat {heat_id}; it may have been removed")
    if not left:
        raise InvalidValue("heat", "a job keeps one heat at least")
    with atomic(connection):
        connection.execute("DELETE FROM heat WHERE id = ? AND job_id = ?", (heat_id, job_id))
        choose_heat(connection, job_id, left[0].id)


def keep_heat_plan(connection: sqlite3.Connection, job_id: int, plan: HeatPlan) -> None:
    """Store the plan of the heat being worked on, and the room that the job is worked in."""
    set_room(connection, job_id, plan.ambient_c)
    connection.execute(
        "UPDATE heat SET plan = ? WHERE id = (SELECT heat_id FROM job WHERE id = ?)",
        (pack(plan), job_id),
    )


def keep_heat(connection: sqlite3.Connection, heat_id: int, plan: HeatPlan) -> None:
    """Store the plan of a heat."""
    connection.execute("UPDATE heat SET plan = ? WHERE id = ?", (pack(plan), heat_id))


# pieces
@asked_once
def pieces_of(connection: sqlite3.Connection, job_id: int) -> tuple[Piece, ...]:
    """The job's pieces, oldest first."""
    found = connection.execute(
        "SELECT piece.id, piece.board_id, piece.name FROM piece"
        " JOIN job_piece ON job_piece.piece_id = piece.id WHERE job_id = ? ORDER BY piece.id",
        (job_id,),
    ).fetchall()
    return tuple(Piece(id=row["id"], board_id=row["board_id"], name=row["name"]) for row in found)


def board_pieces(connection: sqlite3.Connection, board_id: int) -> tuple[Piece, ...]:
    """All pieces of a board, of whatever job."""
    found = connection.execute(
        "SELECT id, board_id, name FROM piece WHERE board_id = ? ORDER BY id", (board_id,)
    ).fetchall()
    return tuple(Piece(id=row["id"], board_id=row["board_id"], name=row["name"]) for row in found)


def set_pieces(connection: sqlite3.Connection, job_id: int, names: Sequence[str]) -> None:
    """The job's pieces by name: known ones of the board are taken up, new ones made."""
    board_id = get(connection, job_id).board_id
    with atomic(connection):
        connection.execute("DELETE FROM job_piece WHERE job_id = ?", (job_id,))
        for name in names:
            connection.execute(
                "INSERT INTO piece (board_id, name, made_at) VALUES (?, ?, datetime('now'))"
                " ON CONFLICT (board_id, name) DO NOTHING",
                (board_id, name),
            )
            connection.execute(
                "INSERT INTO job_piece (job_id, piece_id)"
                " SELECT ?, id FROM piece WHERE board_id = ? AND name = ?",
                (job_id, board_id, name),
            )
        connection.execute(
            "UPDATE job SET piece_id = NULL WHERE id = ? AND piece_id NOT IN"
            " (SELECT piece_id FROM job_piece WHERE job_id = ?)",
            (job_id, job_id),
        )


def take_piece(connection: sqlite3.Connection, job_id: int, piece_id: int | None) -> None:
    """Take one of the job's pieces in hand, or all alike (None). Raises NotFound for another's."""
    if piece_id is not None and piece_id not in {p.id for p in pieces_of(connection, job_id)}:
        raise NotFound(f"this job has no board {piece_id}")
    connection.execute(
        "UPDATE job SET piece_id = ?, all_alike = ? WHERE id = ?",
        (piece_id, int(piece_id is None), job_id),
    )
