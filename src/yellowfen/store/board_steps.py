"""Changes to a board that can be taken back: the board as it stood before each of the newest ones."""

import json
import sqlite3
import zlib
from collections.abc import Mapping

from yellowfen.core.board.board import Board
from yellowfen.core.board.choices import Choices
from yellowfen.errors import NotFound
from yellowfen.store.packing import unpack

MOST_STEPS = 30


def keep(
    connection: sqlite3.Connection, board_id: int, said: str, memory: Mapping[str, object]
) -> None:
    """Keep the board as it is stored now, before the change that `said` names; of the earlier ones
    the newest stay. `memory`: what the library remembered before, where the change alters that too.
    """
    row = connection.execute(
        "SELECT content, choices FROM board WHERE id = ?", (board_id,)
    ).fetchone()
    connection.execute(
        "INSERT INTO board_before (board_id, said, content, choices, memory) VALUES (?, ?, ?, ?, ?)",
        (board_id, said, _packed(row["content"]), _packed(row["choices"]), json.dumps(memory)),
    )
    connection.execute(
        "DELETE FROM board_before WHERE board_id = ?1 AND id NOT IN"
        " (SELECT id FROM board_before WHERE board_id = ?1 ORDER BY id DESC LIMIT ?2)",
        (board_id, MOST_STEPS),
    )


def newest(connection: sqlite3.Connection, board_id: int) -> str:
    """What the newest change that can be taken back was; "" where there is none."""
    row = connection.execute(
        "SELECT said FROM board_before WHERE board_id = ? ORDER BY id DESC LIMIT 1", (board_id,)
    ).fetchone()
    return "" if row is None else str(row["said"])


def take_back(connection: sqlite3.Connection, board_id: int) -> tuple[str, dict[str, list[object]]]:
    """Put the board back to how it stood before the newest change; returns what that was and what
    the library remembered before it.

    Raises NotFound where there is none, Damaged (nothing is changed then) where it cannot be read.
    """
    row = connection.execute(
        "SELECT id, said, content, choices, memory FROM board_before WHERE board_id = ?"
        " ORDER BY id DESC LIMIT 1",
        (board_id,),
    ).fetchone()
    if row is None:
        raise NotFound("there is no change of this board left to undo")
    content, choices = (zlib.decompress(row[key]).decode() for key in ("content", "choices"))
    board = unpack(Board, content)
    unpack(Choices, choices)
    connection.execute(
        "UPDATE board SET name = ?, content = ?, choices = ?, stale = 0, reread = NULL WHERE id = ?",
        (board.name, content, choices, board_id),
    )
    connection.execute("DELETE FROM board_before WHERE id = ?", (row["id"],))
    return str(row["said"]), json.loads(row["memory"])


def forget(connection: sqlite3.Connection, board_id: int) -> None:
    """Forget all of them: the files they were read from are no longer the board's."""
    connection.execute("DELETE FROM board_before WHERE board_id = ?", (board_id,))


def _packed(text: str) -> bytes:
    return zlib.compress(text.encode("utf-8", "surrogatepass"), 4)
