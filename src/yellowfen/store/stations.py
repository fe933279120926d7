"""Hot-air stations of the bench."""

import sqlite3

from yellowfen.core.bench.station import Station
from yellowfen.errors import NotFound, Refused
from yellowfen.store.database import asked_once


def add(connection: sqlite3.Connection, station: Station) -> int:
    """Store a station (its id is ignored); returns the id. Refused when the name is taken."""
    try:
        cursor = connection.execute(
            "INSERT INTO station (name, nozzle_mm, outlet_c, flow_lpm, outlet_label, flow_label, outlet_offset_c, nozzle_long_mm, air_share, air_max_lpm, air_unknown, outlet_unknown)"
            " VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?)",
            _values(station),
        )
    except sqlite3.IntegrityError:
        raise Refused(
            f"a station called {station.name!r} is there already; choose another name"
        ) from None
    return int(cursor.lastrowid or 0)


def change(connection: sqlite3.Connection, station: Station) -> None:
    """Store a station's new values. Raises Refused when another has its new name."""
    try:
        connection.execute(
            "UPDATE station SET name = ?, nozzle_mm = ?, outlet_c = ?, flow_lpm = ?, outlet_label = ?, flow_label = ?,"
            " outlet_offset_c = ?, nozzle_long_mm = ?, air_share = ?, air_max_lpm = ?, air_unknown = ?, outlet_unknown = ? WHERE id = ?",
            (*_values(station), station.id),
        )
    except sqlite3.IntegrityError:
        raise Refused(
            f"a station called {station.name!r} is there already; choose another name"
        ) from None


def _values(station: Station) -> tuple[str | float | None, ...]:
    return (
        station.name,
        station.nozzle_mm,
        station.outlet_c,
        station.flow_lpm,
        station.outlet_label,
        station.flow_label,
        station.outlet_offset_c,
        station.nozzle_long_mm,
        station.air_share,
        station.air_max_lpm,
        int(station.air_unknown),
        int(station.outlet_unknown),
    )


@asked_once
def rows(connection: sqlite3.Connection) -> list[Station]:
    """All stations in the order they were entered."""
    found = connection.execute(
        "SELECT id, name, nozzle_mm, outlet_c, flow_lpm, outlet_label, flow_label, outlet_offset_c, nozzle_long_mm, air_share, air_max_lpm, air_unknown, outlet_unknown FROM station ORDER BY id"
    ).fetchall()
    return [
        Station(**dict(row) | {key: bool(row[key]) for key in ("air_unknown", "outlet_unknown")})
        for row in found
    ]


def get(connection: sqlite3.Connection, station_id: int) -> Station:
    """The station of that id; NotFound otherwise."""
    for station in rows(connection):
        if station.id == station_id:
            return station
    raise NotFound(f"there is no station {station_id}; it may have been removed")
