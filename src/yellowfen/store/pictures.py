"""Pictures of boards in hand, with what was measured on them."""

import sqlite3
from dataclasses import dataclass

from yellowfen.core.look.picture_work import PictureWork
from yellowfen.errors import NotFound
from yellowfen.store.packing import pack, readable, unpack


@dataclass(frozen=True, kw_only=True)
class PictureRow:
    """A picture without its bytes."""

    id: int
    job_id: int
    piece_id: int | None
    made_at: str
    width: int
    height: int
    work: PictureWork


_COLUMNS = "SELECT id, job_id, piece_id, made_at, width, height, work FROM picture"


def _row(row: sqlite3.Row) -> PictureRow:
    return PictureRow(
        id=row["id"],
        job_id=row["job_id"],
        piece_id=row["piece_id"],
        made_at=row["made_at"],
        width=row["width"],
        height=row["height"],
        work=unpack(PictureWork, row["work"]),
    )


def add(
    connection: sqlite3.Connection,
    job_id: int,
    piece_id: int | None,
    *,
    jpeg: bytes,
    size: tuple[int, int],
    work: PictureWork,
) -> int:
    """Store a picture; returns its id."""
    cursor = connection.execute(
        "INSERT INTO picture (job_id, piece_id, made_at, width, height, jpeg, work)"
        " VALUES (?, ?, datetime('now'), ?, ?, ?, ?)",
        (job_id, piece_id, *size, jpeg, pack(work)),
    )
    return int(cursor.lastrowid or 0)


def get(connection: sqlite3.Connection, picture_id: int) -> PictureRow:
    """One picture. Raises NotFound."""
    row = connection.execute(
        f"{_COLUMNS} WHERE id = ? AND removed_at IS NULL", (picture_id,)
    ).fetchone()
    if row is None:
        raise NotFound(f"there is no picture {picture_id}")
    return _row(row)


def jpeg_of(connection: sqlite3.Connection, picture_id: int) -> bytes:
    """A picture's bytes. Raises NotFound."""
    row = connection.execute(
        "SELECT jpeg FROM picture WHERE id = ? AND removed_at IS NULL", (picture_id,)
    ).fetchone()
    if row is None:
        raise NotFound(f"there is no picture {picture_id}")
    return bytes(row["jpeg"])


def rows(connection: sqlite3.Connection, board_id: int, job_id: int) -> list[PictureRow]:
    """A job's pictures, and those of its boards in hand from other jobs, newest first."""
    found = connection.execute(
        f"{_COLUMNS} WHERE removed_at IS NULL AND (job_id = :job OR piece_id IN ("
        "SELECT piece_id FROM job_piece JOIN piece ON piece.id = piece_id"
        " WHERE job_piece.job_id = :job AND piece.board_id = :board)) ORDER BY id DESC",
        {"job": job_id, "board": board_id},
    )
    return readable(found, _row)


def keep_work(connection: sqlite3.Connection, picture_id: int, work: PictureWork) -> None:
    """Store what was done on a picture."""
    get(connection, picture_id)
    connection.execute("UPDATE picture SET work = ? WHERE id = ?", (pack(work), picture_id))


def remove(connection: sqlite3.Connection, picture_id: int, back: bool = False) -> None:
    """Put a picture away, or bring it back. Raises NotFound where there is none."""
    cursor = connection.execute(
        "UPDATE picture SET removed_at = datetime(?) WHERE id = ?",
        (None if back else "now", picture_id),
    )
    if not cursor.rowcount:
        raise NotFound(f"there is no picture {picture_id}")
