"""Large imports that go on off the request: the files as they came, how far the reading is, and how
it ended.
"""

import sqlite3
from dataclasses import dataclass

from yellowfen.errors import NotFound
from yellowfen.store.database import atomic


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


_COLUMNS = "SELECT id, name, thickness_mm, revision_of, state, said, done_steps, all_steps, board_id FROM board_import"


def add(
    connection: sqlite3.Connection,
    name: str,
    thickness_mm: float,
    revision_of: int | None,
    files: dict[str, bytes],
) -> int:
    """Ask for an import; returns its id."""
    with atomic(connection):
        cursor = connection.execute(
            "INSERT INTO board_import (name, thickness_mm, revision_of, all_steps, asked_at) VALUES (?, ?, ?, ?, datetime('now'))",
            (name, thickness_mm, revision_of, len(files) + 6),
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


def next_open(connection: sqlite3.Connection) -> Import | None:
    """The oldest import that waits, or that a worker left behind."""
    row = connection.execute(
        f"{_COLUMNS} WHERE state IN ('working', 'waiting') ORDER BY id LIMIT 1"
    ).fetchone()
    return Import(*row) if row else None


def files_of(connection: sqlite3.Connection, import_id: int) -> dict[str, bytes]:
    """The files as they came."""
    rows = connection.execute(
        "SELECT name, bytes FROM board_import_file WHERE import_id = ? ORDER BY rowid", (import_id,)
    ).fetchall()
    return {row["name"]: bytes(row["bytes"]) for row in rows}


def tell(connection: sqlite3.Connection, import_id: int, done_steps: int, said: str) -> bool:
    """Note the step that begins; False when the import was given up meanwhile."""
    cursor = connection.execute(
        "UPDATE board_import SET state = 'working', done_steps = ?, said = ? WHERE id = ? AND state IN ('waiting', 'working')",
        (done_steps, said, import_id),
    )
    return cursor.rowcount > 0


def end(
    connection: sqlite3.Connection,
    import_id: int,
    state: str,
    said: str = "",
    board_id: int | None = None,
) -> None:
    """End an import; its copy of the files goes."""
    with atomic(connection):
        connection.execute(
            "UPDATE board_import SET state = ?, said = ?, board_id = ? WHERE id = ? AND state IN ('waiting', 'working')",
            (state, said, board_id, import_id),
        )
        connection.execute("DELETE FROM board_import_file WHERE import_id = ?", (import_id,))
