"""The user's own packages: described once, answered from three questions, carried in and out as a
file.
"""

import sqlite3
from dataclasses import replace

from yellowfen.core.board.board import BoardPart
from yellowfen.core.board.choices import PartChoice
from yellowfen.core.part.library import Library, OwnPackage
from yellowfen.core.part.package import JointKind
from yellowfen.errors import NotFound
from yellowfen.store import boards, packages
from yellowfen.store.database import atomic
from yellowfen.workflows.boards import library_of, reread
from yellowfen.workflows.reading import read_packages


def part_of(connection: sqlite3.Connection, board_id: int, ref: str) -> BoardPart:
    """A part of a stored board. Raises NotFound where the board has none of that name."""
    found = next((part for part in boards.get(connection, board_id).parts if part.ref == ref), None)
    if found is None:
        raise NotFound(f"there is no part {ref} on this board")
    return found


def answer_questions(
    connection: sqlite3.Connection,
    board_id: int,
    ref: str,
    height_mm: float,
    joint: JointKind,
    material: str,
    iron_only: bool,
) -> OwnPackage:
    """Three answers about a part of unknown footprint make a package of it, kept for every board
    that names that footprint.
    """
    part = part_of(connection, board_id, ref)
    name = part.footprint or f"{boards.get(connection, board_id).name} {ref}"[:80]
    size = (part.package.body_x_mm, part.package.body_y_mm)
    own = OwnPackage(
        name=name,
        body_x_mm=round(size[0], 2),
        body_y_mm=round(size[1], 2),
        height_mm=height_mm,
        joint=joint,
        material=material,
        heat_shy=material == "plastic",
        iron_only=iron_only,
    )
    choices = boards.source_of(connection, board_id).choices
    if not part.footprint:
        key = choices.key_of(ref)
        kept = choices.parts.get(key)
        choices = choices.with_part(key, replace(kept or PartChoice(), footprint=name))
    library = library_of(connection)
    others = [one for one in library.own if one.name != own.name]
    reread(
        connection,
        board_id,
        choices,
        f"answers about {ref}",
        library=Library([*others, own], library.meanings),
        also=lambda: packages.keep(connection, own),
    )
    return own


def take_in(connection: sqlite3.Connection, data: bytes, name: str) -> int:
    """Add the packages of a file; those of the same name are replaced.

    Returns how many came; on a problem nothing changes.
    """
    found = read_packages(data, name)
    with atomic(connection):
        for one in found:
            packages.keep(connection, one)
    return len(found)
