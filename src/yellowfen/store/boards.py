"""Boards and the files they were read from."""

import sqlite3
from dataclasses import dataclass
from functools import lru_cache

from yellowfen.core.board.board import Board, Role
from yellowfen.errors import NotFound
from yellowfen.store.database import atomic
from yellowfen.store.packing import pack, unpack


@dataclass(frozen=True)
class BoardRow:
    """A board's line in a list."""

    id: int
    name: str
    created_at: str


def add(connection: sqlite3.Connection, board: Board, files: dict[str, bytes], chosen: dict[str, Role]) -> int:
    """Store a board with its files; returns its id."""
    with atomic(connection):
        cursor = connection.execute(
            "INSERT INTO board (name, created_at, content) VALUES (?, datetime('now'), ?)", (board.name, pack(board))
        )
        board_id = int(cursor.lastrowid or 0)
        _put_files(connection, board_id, files, chosen)
    return board_id


def _put_files(connection: sqlite3.Connection, board_id: int, files: dict[str, bytes], chosen: dict[str, Role]) -> None:
    connection.executemany(
        "INSERT INTO board_file (board_id, name, chosen_role, bytes) VALUES (?, ?, ?, ?)",
        [(board_id, name, str(chosen[name]) if name in chosen else None, data) for name, data in files.items()],
    )


def replace(connection: sqlite3.Connection, board_id: int, board: Board, files: dict[str, bytes], chosen: dict[str, Role]) -> None:
    """Store a board anew under its id."""
    with atomic(connection):
        connection.execute("UPDATE board SET content = ? WHERE id = ?", (pack(board), board_id))
        connection.execute("DELETE FROM board_file WHERE board_id = ?", (board_id,))
        _put_files(connection, board_id, files, chosen)


def get(connection: sqlite3.Connection, board_id: int) -> Board:
    """The board of that id; NotFound otherwise."""
    row = connection.execute("SELECT content FROM board WHERE id = ?", (board_id,)).fetchone()
    if row is None:
        raise NotFound(f"there is no board {board_id}; it may have been removed")
    return _read(row["content"])


@lru_cache(maxsize=8)
def _read(content: str) -> Board:
    """A board from its stored text; kept, since it is frozen and takes some time to read."""
    return unpack(Board, content)


def files_of(connection: sqlite3.Connection, board_id: int) -> tuple[dict[str, bytes], dict[str, Role]]:
    """The files a board was read from, and the roles chosen by the user."""
    rows = connection.execute("SELECT name, chosen_role, bytes FROM board_file WHERE board_id = ? ORDER BY rowid", (board_id,)).fetchall()
    return {row["name"]: bytes(row["bytes"]) for row in rows}, {row["name"]: Role(row["chosen_role"]) for row in rows if row["chosen_role"]}


def rows(connection: sqlite3.Connection) -> list[BoardRow]:
    """All boards, newest first."""
    found = connection.execute("SELECT id, name, created_at FROM board ORDER BY id DESC").fetchall()
    return [BoardRow(row["id"], row["name"], row["created_at"]) for row in found]


def remove(connection: sqlite3.Connection, board_id: int) -> None:
    """Remove a board with its jobs."""
    connection.execute("DELETE FROM board WHERE id = ?", (board_id,))
