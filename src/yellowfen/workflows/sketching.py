"""A patch of a board sketched by hand: begun, changed, laid over a picture.

It is a stored board from its first moment.
"""

import sqlite3
from dataclasses import replace

from yellowfen.core.board.choices import Choices
from yellowfen.core.board.join import plain_ref
from yellowfen.core.board.sketch import Sketch, board_of
from yellowfen.errors import InvalidValue, Refused, UnreadableFile
from yellowfen.formats.picture import made_safe
from yellowfen.store import boards
from yellowfen.store.boards import Source
from yellowfen.store.database import atomic
from yellowfen.workflows import heat
from yellowfen.workflows.boards import library_of

MOST_PICTURE_BYTES = 12_000_000


def begin(connection: sqlite3.Connection, name: str = "") -> int:
    """A new, empty patch; returns its board's id."""
    sketch = Sketch(
        name=name.strip()[:120]
        or f"Patch {sum(row.sketched for row in boards.rows(connection)) + 1}"
    )
    return boards.add(connection, board_of(sketch), Source({}, Choices(), sketch))


def sketch_of(connection: sqlite3.Connection, board_id: int) -> Sketch:
    """The sketch of a board. Raises Refused for a board from files."""
    sketch = boards.sketch_of(connection, board_id)
    if sketch is None:
        raise Refused("this board was read from files; only sketched patches can be drawn on")
    return sketch


def keep(connection: sqlite3.Connection, board_id: int, sketch: Sketch) -> None:
    """Store a changed sketch and the board it makes; on a problem nothing changes. Raises
    InvalidValue for a new name that cannot stand in a list of names.
    """
    before = {part.ref for part in sketch_of(connection, board_id).parts}
    for ref in (part.ref for part in sketch.parts if part.ref not in before):
        if ref != plain_ref(ref) or not ref.isprintable():
            raise InvalidValue(
                "name",
                f"{ref!r} cannot name a part: leave out spaces, commas, semicolons and signs that cannot be printed",
            )
    board = board_of(sketch, library_of(connection))
    boards.replace(connection, board_id, board, Source({}, Choices(), sketch))
    heat.forget(connection, board_id)


def lay_picture(connection: sqlite3.Connection, board_id: int, data: bytes, name: str) -> None:
    """Keep a picture to draw over, read and written anew; where and how large it lies is part of
    the sketch. Raises UnreadableFile for what is no picture, Refused for a board that was read from
    files.
    """
    sketch_of(connection, board_id)
    if len(data) > MOST_PICTURE_BYTES:
        raise UnreadableFile(
            name or "picture",
            f"is larger than {MOST_PICTURE_BYTES // 1_000_000} MB; make it smaller",
        )
    safe = made_safe(data, name or "picture")
    boards.keep_picture(connection, board_id, "image/jpeg", safe.jpeg)


def take_picture_away(connection: sqlite3.Connection, board_id: int) -> None:
    """Remove the picture under a sketch."""
    with atomic(connection):
        boards.remove_picture(connection, board_id)
        keep(connection, board_id, replace(sketch_of(connection, board_id), picture=None))
