"""Boards, the files or the sketch they come from, and what the user decided about them."""

import contextlib
import json
import sqlite3
from dataclasses import dataclass
from hashlib import blake2b

from yellowfen.core.board.board import Board
from yellowfen.core.board.choices import Choices
from yellowfen.core.board.remembered import Shelf
from yellowfen.core.board.sketch import Sketch
from yellowfen.errors import Damaged, NotFound
from yellowfen.store.database import asked_once, atomic
from yellowfen.store.packing import pack, unpack


@dataclass(frozen=True, kw_only=True)
class BoardRow:
    """A board's line in a list."""

    id: int
    name: str
    created_at: str
    sketched: bool
    revision_of: int | None


@dataclass(frozen=True)
class Source:
    """What a board is read from: files, or a sketch; the choices made about it; the board it is a
    new revision of.
    """

    files: dict[str, bytes]
    choices: Choices
    sketch: Sketch | None = None
    revision_of: int | None = None


def add(connection: sqlite3.Connection, board: Board, source: Source) -> int:
    """Store a board with what it came from; returns its id."""
    sketch = None if source.sketch is None else pack(source.sketch)
    with atomic(connection):
        cursor = connection.execute(
            "INSERT INTO board (name, created_at, content, choices, sketch, revision_of) VALUES (?, datetime('now'), ?, ?, ?, ?)",
            (board.name, pack(board), pack(source.choices), sketch, source.revision_of),
        )
        board_id = int(cursor.lastrowid or 0)
        _put_files(connection, board_id, source.files)
    return board_id


def _put_files(connection: sqlite3.Connection, board_id: int, files: dict[str, bytes]) -> None:
    connection.executemany(
        "INSERT INTO board_file (board_id, name, bytes) VALUES (?, ?, ?)",
        [(board_id, *pair) for pair in files.items()],
    )


def replace(connection: sqlite3.Connection, board_id: int, board: Board, source: Source) -> None:
    """Store a board anew under its id; the files stay as they are."""
    sketch = None if source.sketch is None else pack(source.sketch)
    connection.execute(
        "UPDATE board SET name = ?, content = ?, choices = ?, sketch = ?, stale = 0, reread = NULL WHERE id = ?",
        (board.name, pack(board), pack(source.choices), sketch, board_id),
    )


def put_files(connection: sqlite3.Connection, board_id: int, files: dict[str, bytes]) -> None:
    """Put files to a board's, in place of those of the same name."""
    with atomic(connection):
        connection.executemany(
            "DELETE FROM board_file WHERE board_id = ? AND name = ?",
            [(board_id, name) for name in files],
        )
        _put_files(connection, board_id, files)


@asked_once
def get(connection: sqlite3.Connection, board_id: int) -> Board:
    """The board of that id. Raises NotFound where there is none."""
    row = connection.execute("SELECT content FROM board WHERE id = ?", (board_id,)).fetchone()
    if row is None:
        raise NotFound(f"there is no board {board_id}; it may have been removed")
    return _read(row["content"])


def digest_of(connection: sqlite3.Connection, board_id: int) -> str:
    """A digest of the board as it is stored. Raises NotFound where there is none."""
    row = connection.execute("SELECT content FROM board WHERE id = ?", (board_id,)).fetchone()
    if row is None:
        raise NotFound(f"there is no board {board_id}; it may have been removed")
    return blake2b(row["content"].encode("utf-8", "surrogatepass"), digest_size=16).hexdigest()


_boards: Shelf[Board] = Shelf(8)


def _read(content: str) -> Board:
    """A board from its stored text; the newest few are kept, fewer where they are large, since one
    is frozen and takes some time to read.
    """
    kept = _boards.get(content)
    if kept is not None:
        return kept[0]
    board = unpack(Board, content)
    _boards.put(content, (board,), board)
    return board


def must_exist(connection: sqlite3.Connection, board_id: int) -> str:
    """The board's name. Raises NotFound where there is none. Reads nothing that could be damaged."""
    row = connection.execute("SELECT name FROM board WHERE id = ?", (board_id,)).fetchone()
    if row is None:
        raise NotFound(f"there is no board {board_id}; it may have been removed")
    return str(row["name"])


def files_of(connection: sqlite3.Connection, board_id: int) -> dict[str, bytes]:
    """The files of a board, whatever became of the rest."""
    rows = connection.execute(
        "SELECT name, bytes FROM board_file WHERE board_id = ? ORDER BY rowid", (board_id,)
    )
    return {row["name"]: bytes(row["bytes"]) for row in rows}


def source_of(connection: sqlite3.Connection, board_id: int) -> Source:
    """What the board was read from. Raises NotFound when it is gone."""
    row = connection.execute(
        "SELECT choices, sketch, revision_of FROM board WHERE id = ?", (board_id,)
    ).fetchone()
    if row is None:
        raise NotFound(f"there is no board {board_id}; it may have been removed")
    files = connection.execute(
        "SELECT name, bytes FROM board_file WHERE board_id = ? ORDER BY rowid", (board_id,)
    ).fetchall()
    sketch = None if row["sketch"] is None else unpack(Sketch, row["sketch"])
    return Source(
        {one["name"]: bytes(one["bytes"]) for one in files},
        unpack(Choices, row["choices"]),
        sketch,
        row["revision_of"],
    )


def sketch_of(connection: sqlite3.Connection, board_id: int) -> Sketch | None:
    """The sketch a board stands on, None for a board from files.

    Raises NotFound where there is no such board.
    """
    row = connection.execute("SELECT sketch FROM board WHERE id = ?", (board_id,)).fetchone()
    if row is None:
        raise NotFound(f"there is no board {board_id}; it may have been removed")
    return None if row["sketch"] is None else unpack(Sketch, row["sketch"])


def revision_of(connection: sqlite3.Connection, board_id: int) -> int | None:
    """The board that this one is a new revision of, if it is there still."""
    row = connection.execute("SELECT revision_of FROM board WHERE id = ?", (board_id,)).fetchone()
    return None if row is None else row["revision_of"]


def rows(connection: sqlite3.Connection) -> list[BoardRow]:
    """All boards, newest first."""
    found = connection.execute(
        "SELECT id, name, created_at, sketch IS NOT NULL AS sketched, revision_of FROM board WHERE removed_at IS NULL ORDER BY id DESC"
    ).fetchall()
    return [
        BoardRow(
            id=row["id"],
            name=row["name"],
            created_at=row["created_at"],
            sketched=bool(row["sketched"]),
            revision_of=row["revision_of"],
        )
        for row in found
    ]


def stale(connection: sqlite3.Connection) -> list[int]:
    """Boards stored by an earlier version that this one has not read yet."""
    found = connection.execute(
        "SELECT id FROM board WHERE stale = 1 AND removed_at IS NULL ORDER BY id"
    )
    return [int(row["id"]) for row in found]


def make_readable(connection: sqlite3.Connection) -> None:
    """Bring boards of an earlier form into one that opens: the drawing is left out where its form
    has changed.
    """
    found = connection.execute("SELECT id, content FROM board WHERE stale = 1").fetchall()
    for row in found:
        with contextlib.suppress(ValueError, AttributeError):
            content = json.loads(row["content"])
            if not _reads(content):
                content["drawings"] = {}
                connection.execute(
                    "UPDATE board SET content = ? WHERE id = ?", (json.dumps(content), row["id"])
                )


def keep_as_read(connection: sqlite3.Connection, board_id: int, remark: str) -> None:
    """Keep a board of an earlier form as it was read, with a remark."""
    row = connection.execute("SELECT content FROM board WHERE id = ?", (board_id,)).fetchone()
    with contextlib.suppress(ValueError, AttributeError):
        content = json.loads(row["content"])
        content["findings"] = [*content.get("findings", []), {"about": "board", "sentence": remark}]
        connection.execute(
            "UPDATE board SET content = ? WHERE id = ?", (json.dumps(content), board_id)
        )
    connection.execute("UPDATE board SET stale = 0 WHERE id = ?", (board_id,))


def propose_reading(connection: sqlite3.Connection, board_id: int, board: Board | None) -> None:
    """Keep how this version reads a board beside what stands; None takes it away."""
    connection.execute(
        "UPDATE board SET reread = ?, stale = 0 WHERE id = ?",
        (None if board is None else pack(board), board_id),
    )


def proposed_reading(connection: sqlite3.Connection, board_id: int) -> Board | None:
    """How this version reads a board where it differs from what stands."""
    row = connection.execute("SELECT reread FROM board WHERE id = ?", (board_id,)).fetchone()
    return None if row is None or row["reread"] is None else _read(row["reread"])


def _reads(content: object) -> bool:
    try:
        unpack(Board, json.dumps(content))
    except Damaged:
        return False
    return True


def keep_picture(connection: sqlite3.Connection, board_id: int, kind: str, data: bytes) -> None:
    """Store the picture a sketch is drawn over, in place of an earlier one."""
    connection.execute(
        "INSERT OR REPLACE INTO board_picture (board_id, kind, bytes) VALUES (?, ?, ?)",
        (board_id, kind, data),
    )


def picture_of(connection: sqlite3.Connection, board_id: int) -> tuple[str, bytes] | None:
    """Kind and bytes of the picture under a sketch, None when there is none."""
    row = connection.execute(
        "SELECT kind, bytes FROM board_picture WHERE board_id = ?", (board_id,)
    ).fetchone()
    return None if row is None else (row["kind"], bytes(row["bytes"]))


def remove_picture(connection: sqlite3.Connection, board_id: int) -> None:
    """Take the picture under a sketch away."""
    connection.execute("DELETE FROM board_picture WHERE board_id = ?", (board_id,))
