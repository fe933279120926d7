"""Bringing boards in and choosing what their files are. Nothing is stored unless the whole board could be read."""

import itertools
import sqlite3
from collections.abc import Iterable

from yellowfen.core.board.board import Board, Role
from yellowfen.core.quantity.number import in_range
from yellowfen.errors import InvalidValue, UnreadableFile
from yellowfen.formats.board_files import read_board
from yellowfen.formats.bundle import label_of, unpack
from yellowfen.store import boards
from yellowfen.workflows import heat


def read_upload(uploads: Iterable[tuple[str, bytes]], name: str = "", thickness_mm: float = 1.6) -> tuple[Board, dict[str, bytes]]:
    """A board from uploaded files; raises UnreadableFile, TooLarge or InvalidValue and stores nothing."""
    in_range("thickness_mm", thickness_mm, 0.2, 5, "mm")
    given = [(file, data) for file, data in uploads if file or data]
    if not given:
        raise InvalidValue("files", "no file was given; drop a zip or the Gerber layers of one board")
    files = unpack(given)
    if not files:
        raise UnreadableFile(label_of(given[0][0]), "holds no files")
    plain = name.strip()[:120] or _common_name([label_of(file) for file, _ in given])
    return read_board(files, plain, thickness_mm=thickness_mm), files


def _common_name(labels: list[str]) -> str:
    """What all the files' names begin with, or the single file's own stem."""
    if len(labels) == 1:
        return labels[0].rsplit(".", 1)[0] or "Board"
    alike = itertools.takewhile(lambda letters: len(set(letters)) == 1, zip(*labels, strict=False))
    shared = "".join(letters[0] for letters in alike).split(".")[0].strip("-_ ")
    return shared if len(shared) >= 2 else "Board"


def import_board(connection: sqlite3.Connection, uploads: Iterable[tuple[str, bytes]], name: str = "", thickness_mm: float = 1.6) -> int:
    """Read and store a board; returns its id."""
    board, files = read_upload(uploads, name, thickness_mm)
    return boards.add(connection, board, files, {})


def choose_roles(connection: sqlite3.Connection, board_id: int, chosen: dict[str, Role], thickness_mm: float | None = None) -> None:
    """Read a stored board's files again with roles the user chose, and keep the result."""
    board = boards.get(connection, board_id)
    files, before = boards.files_of(connection, board_id)
    unknown = set(chosen) - set(files)
    if unknown:
        raise InvalidValue("file", f"{sorted(unknown)[0]} is not one of this board's files")
    roles = before | chosen
    thickness = board.thickness_mm if thickness_mm is None else in_range("thickness_mm", thickness_mm, 0.2, 5, "mm")
    boards.replace(connection, board_id, read_board(files, board.name, roles, thickness), files, roles)
    heat.forget(board_id)
