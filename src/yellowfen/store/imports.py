"""Large imports that go on off the request: the files as they came, how far the reading is, and how
it ended.
"""

import sqlite3
from dataclasses import dataclass

from yellowfen.core.board.board import LayerGuess
from yellowfen.core.board.choices import Choices
from yellowfen.errors import NotFound
from yellowfen.store import leases
from yellowfen.store.database import atomic
from yellowfen.store.packing import pack, unpack

REFUSED_KEPT = 5


@dataclass(frozen=True)
class Import:
    """One large import. `said` is the step it is at, or why it failed."""

    id: int
    name: str
    thickness_mm: float
    revision_of: int | None
    state: str
    said: str
    done_steps: int
    all_steps: int
    board_id: int | None
    owner: str = ""


_COLUMNS = (
    "SELECT id, name, thickness_mm, revision_of, state, said, done_steps, all_steps, board_id, owner"
    " FROM board_import"
)


def add(
    connection: sqlite3.Connection,
    name: str,
    thickness_mm: float,
    revision_of: int | None,
    files: dict[str, bytes],
    choices: Choices | None = None,
) -> int:
    """Ask for an import; returns its id."""
    with atomic(connection):
        cursor = connection.execute(
            "INSERT INTO board_import (name, thickness_mm, revision_of, all_steps, choices, asked_at)"
            " VALUES (?, ?, ?, ?, ?, datetime('now'))",
            (name, thickness_mm, revision_of, len(files) + 6, pack(choices or Choices())),
        )
        import_id = int(cursor.lastrowid or 0)
        connection.executemany(
            "INSERT INTO board_import_file (import_id, name, bytes) VALUES (?, ?, ?)",
            [(import_id, *pair) for pair in files.items()],
        )
    return import_id


def get(connection: sqlite3.Connection, import_id: int) -> Import:
    """The import of that id; NotFound otherwise."""
    row = connection.execute(f"{_COLUMNS} WHERE id = ?", (import_id,)).fetchone()
    if row is None:
        raise NotFound(f"there is no import {import_id}; it may have been removed")
    return Import(*row)


def take(connection: sqlite3.Connection, owner: str) -> Import | None:
    """The oldest import that waits, or that another worker left behind, now held by `owner`."""
    said = "reading it ended the reader three times, so it is given up; nothing was stored"
    import_id = leases.take(connection, "board_import", owner, said)
    return None if import_id is None else get(connection, import_id)


def files_of(connection: sqlite3.Connection, import_id: int) -> dict[str, bytes]:
    """The files as they came."""
    rows = connection.execute(
        "SELECT name, bytes FROM board_import_file WHERE import_id = ? ORDER BY rowid", (import_id,)
    ).fetchall()
    return {row["name"]: bytes(row["bytes"]) for row in rows}


def choices_of(connection: sqlite3.Connection, import_id: int) -> Choices:
    """What was chosen for the files before they are read."""
    row = connection.execute(
        "SELECT choices FROM board_import WHERE id = ?", (import_id,)
    ).fetchone()
    return Choices() if row is None else unpack(Choices, row["choices"])


def guesses_of(connection: sqlite3.Connection, import_id: int) -> tuple[LayerGuess, ...]:
    """What the files of a refused set were taken for, as long as they are kept."""
    row = connection.execute(
        "SELECT guesses FROM board_import WHERE id = ? AND EXISTS"
        " (SELECT 1 FROM board_import_file WHERE import_id = board_import.id)",
        (import_id,),
    ).fetchone()
    return () if row is None else unpack(tuple[LayerGuess, ...], row["guesses"])


def refuse(
    connection: sqlite3.Connection, import_id: int, said: str, guesses: tuple[object, ...]
) -> None:
    """End an import whose files make no board as they were taken: they are kept, so that their owner
    can say what they are. Only the last few refused sets keep their files.
    """
    with atomic(connection):
        connection.execute(
            "UPDATE board_import SET state = 'failed', said = ?, guesses = ? WHERE id = ?",
            (said, pack(guesses), import_id),
        )
        connection.execute(
            "DELETE FROM board_import_file WHERE import_id IN (SELECT id FROM board_import"
            " WHERE state = 'failed' ORDER BY id DESC LIMIT -1 OFFSET ?)",
            (REFUSED_KEPT,),
        )


def tell(connection: sqlite3.Connection, one: Import, done_steps: int, said: str) -> bool:
    """Note the step that begins; False when the import was given up or taken over meanwhile."""
    cursor = connection.execute(
        "UPDATE board_import SET done_steps = ?, said = ?"
        " WHERE id = ? AND owner = ? AND state = 'working'",
        (done_steps, said, one.id, one.owner),
    )
    return cursor.rowcount > 0


def end(
    connection: sqlite3.Connection,
    one: Import,
    state: str,
    said: str = "",
    board_id: int | None = None,
) -> None:
    """End an import that its owner holds still; its copy of the files goes. Raises Lost when another
    holds it, so that what was stored with it is taken back.
    """
    with atomic(connection):
        leases.check(connection, "board_import", one.id, one.owner)
        connection.execute(
            "UPDATE board_import SET state = ?, said = ?, board_id = ? WHERE id = ?",
            (state, said, board_id, one.id),
        )
        connection.execute("DELETE FROM board_import_file WHERE import_id = ?", (one.id,))


def read(connection: sqlite3.Connection, import_id: int, board_id: int) -> None:
    """Note that a refused set became a board after all; its copy of the files goes."""
    with atomic(connection):
        connection.execute(
            "UPDATE board_import SET state = 'done', said = '', board_id = ? WHERE id = ?",
            (board_id, import_id),
        )
        connection.execute("DELETE FROM board_import_file WHERE import_id = ?", (import_id,))


def cancel(connection: sqlite3.Connection, import_id: int) -> None:
    """Give an import up; its copy of the files goes."""
    with atomic(connection):
        connection.execute(
            "UPDATE board_import SET state = 'cancelled', said = 'given up; nothing was stored' WHERE id = ?"
            " AND state IN ('waiting', 'working')",
            (import_id,),
        )
        connection.execute(
            "DELETE FROM board_import_file WHERE import_id = ? AND EXISTS"
            " (SELECT 1 FROM board_import WHERE id = ? AND state = 'cancelled')",
            (import_id, import_id),
        )
