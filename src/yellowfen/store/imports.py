"""Large imports: the files as they came, how far the reading is, and the board it became."""

import sqlite3
from dataclasses import dataclass

from yellowfen.core.board.board import LayerGuess
from yellowfen.core.board.choices import Choices
from yellowfen.errors import NotFound
from yellowfen.store import work
from yellowfen.store.database import atomic
from yellowfen.store.packing import pack, unpack

KIND = "import"
REFUSED_KEPT = 5


@dataclass(frozen=True, kw_only=True)
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
        import_id = work.add(connection, KIND, board_id=revision_of)
        connection.execute(
            "INSERT INTO board_import (work_id, name, thickness_mm, revision_of, all_steps, choices)"
            " VALUES (?, ?, ?, ?, ?, ?)",
            (
                import_id,
                name,
                thickness_mm,
                revision_of,
                len(files) + 6,
                pack(choices or Choices()),
            ),
        )
        connection.executemany(
            "INSERT INTO board_import_file (work_id, name, bytes) VALUES (?, ?, ?)",
            [(import_id, *pair) for pair in files.items()],
        )
    return import_id


def get(connection: sqlite3.Connection, import_id: int) -> Import:
    """The import of that id. Raises NotFound where there is none."""
    row = connection.execute(
        "SELECT id, name, thickness_mm, revision_of, state, said, done_steps, all_steps,"
        " board_import.board_id, owner FROM board_import JOIN work ON id = work_id WHERE id = ?",
        (import_id,),
    ).fetchone()
    if row is None:
        raise NotFound(f"there is no import {import_id}; it may have been removed")
    return Import(**dict(row))


def files_of(connection: sqlite3.Connection, import_id: int) -> dict[str, bytes]:
    """The files as they came."""
    rows = connection.execute(
        "SELECT name, bytes FROM board_import_file WHERE work_id = ? ORDER BY rowid", (import_id,)
    ).fetchall()
    return {row["name"]: bytes(row["bytes"]) for row in rows}


def choices_of(connection: sqlite3.Connection, import_id: int) -> Choices:
    """What was chosen for the files before they are read."""
    row = connection.execute(
        "SELECT choices FROM board_import WHERE work_id = ?", (import_id,)
    ).fetchone()
    return Choices() if row is None else unpack(Choices, row["choices"])


def guesses_of(connection: sqlite3.Connection, import_id: int) -> tuple[LayerGuess, ...]:
    """What the files of a refused set were taken for, as long as they are kept."""
    row = connection.execute(
        "SELECT guesses FROM board_import WHERE work_id = ? AND EXISTS"
        " (SELECT 1 FROM board_import_file WHERE work_id = board_import.work_id)",
        (import_id,),
    ).fetchone()
    return () if row is None else unpack(tuple[LayerGuess, ...], row["guesses"])


def refuse(
    connection: sqlite3.Connection, import_id: int, said: str, guesses: tuple[object, ...]
) -> None:
    """End an import whose files make no board as they were taken: they are kept, so that their
    owner can say what they are. Only the last few refused sets keep their files.
    """
    with atomic(connection):
        connection.execute(
            "UPDATE work SET state = 'failed', said = ? WHERE id = ?", (said, import_id)
        )
        connection.execute(
            "UPDATE board_import SET guesses = ? WHERE work_id = ?", (pack(guesses), import_id)
        )
        connection.execute(
            "DELETE FROM board_import_file WHERE work_id IN (SELECT id FROM work WHERE kind = ?"
            " AND state = 'failed' ORDER BY id DESC LIMIT -1 OFFSET ?)",
            (KIND, REFUSED_KEPT),
        )


def tell(connection: sqlite3.Connection, one: Import, done_steps: int, said: str) -> None:
    """Note the step that begins. Raises Lost when the import was given up or taken over."""
    with atomic(connection):
        work.tell(connection, one.id, one.owner, said)
        connection.execute(
            "UPDATE board_import SET done_steps = ? WHERE work_id = ?", (done_steps, one.id)
        )


def end(
    connection: sqlite3.Connection,
    one: Import,
    state: str,
    said: str = "",
    board_id: int | None = None,
) -> None:
    """End an import that its owner holds still; its copy of the files goes. Raises Lost when
    another holds it, so that what was stored with it is taken back.
    """
    with atomic(connection):
        work.end(connection, one.id, one.owner, state, said)
        _became(connection, one.id, board_id)


def read(connection: sqlite3.Connection, import_id: int, board_id: int) -> None:
    """Note that a refused set became a board after all; its copy of the files goes."""
    with atomic(connection):
        connection.execute("UPDATE work SET state = 'done', said = '' WHERE id = ?", (import_id,))
        _became(connection, import_id, board_id)


def _became(connection: sqlite3.Connection, import_id: int, board_id: int | None) -> None:
    connection.execute(
        "UPDATE board_import SET board_id = ? WHERE work_id = ?", (board_id, import_id)
    )
    connection.execute("DELETE FROM board_import_file WHERE work_id = ?", (import_id,))


def cancel(connection: sqlite3.Connection, import_id: int) -> None:
    """Give an import up; its copy of the files goes. One that has ended stays as it is."""
    with atomic(connection):
        if work.state_of(connection, import_id) in work.OPEN:
            work.set_state(connection, import_id, work.CANCELLED, "stopped; nothing was stored")
            connection.execute("DELETE FROM board_import_file WHERE work_id = ?", (import_id,))
