"""Paste lots with what happened to them; needles and foils at hand."""

import sqlite3

from yellowfen.core.metal.lot import Happened, Lot, LotEvent
from yellowfen.core.metal.paste import Paste
from yellowfen.core.quantity.stored_word import word_as_first_stored
from yellowfen.errors import NotFound, Refused
from yellowfen.store.archive import free_name
from yellowfen.store.database import asked_once
from yellowfen.store.packing import pack, readable, unpack

_COLUMNS = "SELECT id, name, paste, container, grams, bought_s, expires_s FROM paste_lot WHERE removed_at IS NULL"


def add_lot(connection: sqlite3.Connection, lot: Lot) -> int:
    """Store a lot (its id and events are ignored); returns the id. Raises Refused when the name is taken."""
    free_name(connection, "paste_lot", lot.name.strip())
    try:
        cursor = connection.execute(
            "INSERT INTO paste_lot (name, paste, container, grams, bought_s, expires_s) VALUES (?, ?, ?, ?, ?, ?)",
            (
                lot.name.strip(),
                pack(lot.paste),
                lot.container,
                lot.grams,
                lot.bought_s,
                lot.expires_s,
            ),
        )
    except sqlite3.IntegrityError:
        raise Refused(
            f"a paste called {lot.name!r} is there already; choose another name"
        ) from None
    return int(cursor.lastrowid or 0)


@asked_once
def lots(connection: sqlite3.Connection) -> list[Lot]:
    """All lots, newest first."""
    found = connection.execute(f"{_COLUMNS} ORDER BY id DESC").fetchall()
    return readable(found, lambda row: _lot(connection, row))


def lot(connection: sqlite3.Connection, lot_id: int) -> Lot:
    """The lot of that id. Raises NotFound where there is none."""
    row = connection.execute(f"{_COLUMNS} AND id = ?", (lot_id,)).fetchone()
    if row is None:
        raise NotFound(f"there is no paste {lot_id}; it may have been removed")
    return _lot(connection, row)


def _lot(connection: sqlite3.Connection, row: sqlite3.Row) -> Lot:
    found = connection.execute(
        "SELECT id, kind, at_s, grams, said FROM lot_event WHERE lot_id = ? ORDER BY at_s, id",
        (row["id"],),
    ).fetchall()
    events = tuple(
        Happened(
            id=one["id"],
            kind=LotEvent(one["kind"]),
            at_s=one["at_s"],
            grams=one["grams"],
            said=one["said"],
        )
        for one in found
    )
    return Lot(
        id=row["id"],
        name=row["name"],
        paste=unpack(Paste, row["paste"]),
        container=row["container"],
        grams=row["grams"],
        bought_s=row["bought_s"],
        expires_s=row["expires_s"],
        events=events,
    )


def add_event(
    connection: sqlite3.Connection,
    lot_id: int,
    kind: LotEvent,
    at_s: float,
    grams: float = 0.0,
    said: str = "",
) -> int:
    """Store what happened to a lot; returns the event's id."""
    cursor = connection.execute(
        "INSERT INTO lot_event (lot_id, kind, at_s, grams, said) VALUES (?, ?, ?, ?, ?)",
        (lot_id, word_as_first_stored("LotEvent", kind), at_s, grams, said),
    )
    return int(cursor.lastrowid or 0)


def remove_event(connection: sqlite3.Connection, event_id: int) -> None:
    """Take an event back."""
    connection.execute("DELETE FROM lot_event WHERE id = ?", (event_id,))


def supply(connection: sqlite3.Connection, kind: str) -> tuple[float, ...]:
    """Gauges of needles or thicknesses of foils (mm) at hand, in rising order."""
    return tuple(size for of, size in _supplies(connection) if of == kind)


@asked_once
def _supplies(connection: sqlite3.Connection) -> tuple[tuple[str, float], ...]:
    found = connection.execute("SELECT kind, size FROM paste_supply ORDER BY size").fetchall()
    return tuple((row["kind"], row["size"]) for row in found)


def keep_supply(connection: sqlite3.Connection, kind: str, sizes: tuple[float, ...]) -> None:
    """Replace the needles or foils at hand."""
    connection.execute("DELETE FROM paste_supply WHERE kind = ?", (kind,))
    connection.executemany(
        "INSERT OR IGNORE INTO paste_supply (kind, size) VALUES (?, ?)",
        [(kind, size) for size in sizes],
    )
