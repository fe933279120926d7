"""Hot-air stations of the bench."""

import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

from yellowfen.core.bench.station import Station
from yellowfen.core.heat.source import HotAir
from yellowfen.errors import NotFound, Refused
from yellowfen.store.database import asked_once
from yellowfen.store.packing import pack, readable, unpack

_COLUMNS = (
    *("name", "air", "outlet_label", "flow_label", "outlet_offset_c"),
    *("air_share", "air_max_lpm", "air_unknown", "outlet_unknown"),
)


def add(connection: sqlite3.Connection, station: Station) -> int:
    """Store a station (its id is ignored); returns the id. Refused when the name is taken."""
    marks = ", ".join("?" * len(_COLUMNS))
    with _own_name(station):
        cursor = connection.execute(
            f"INSERT INTO station ({', '.join(_COLUMNS)}) VALUES ({marks})", _values(station)
        )
    return int(cursor.lastrowid or 0)


def change(connection: sqlite3.Connection, station: Station) -> None:
    """Store a station's new values. Raises Refused when another has its new name."""
    given = ", ".join(f"{column} = ?" for column in _COLUMNS)
    with _own_name(station):
        connection.execute(
            f"UPDATE station SET {given} WHERE id = ?", (*_values(station), station.id)
        )


@contextmanager
def _own_name(station: Station) -> Iterator[None]:
    try:
        yield
    except sqlite3.IntegrityError:
        raise Refused(
            f"a station called {station.name!r} is there already; choose another name"
        ) from None


def _values(station: Station) -> tuple[Any, ...]:
    """A station's fields as columns: its air as JSON, the rest as it is."""
    return tuple(
        pack(station.air) if column == "air" else getattr(station, column) for column in _COLUMNS
    )


@asked_once
def rows(connection: sqlite3.Connection) -> list[Station]:
    """All stations in the order they were entered."""
    found = connection.execute(f"SELECT id, {', '.join(_COLUMNS)} FROM station ORDER BY id")
    return readable(found.fetchall(), _station)


def _station(row: sqlite3.Row) -> Station:
    flags = {key: bool(row[key]) for key in ("air_unknown", "outlet_unknown")}
    return Station(**dict(row) | flags | {"air": unpack(HotAir, row["air"])})


def get(connection: sqlite3.Connection, station_id: int) -> Station:
    """The station of that id. Raises NotFound where there is none."""
    for station in rows(connection):
        if station.id == station_id:
            return station
    raise NotFound(f"there is no station {station_id}; it may have been removed")
