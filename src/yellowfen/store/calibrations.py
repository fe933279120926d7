"""What was found about stations and tools, newest last; an undone one stays in the history."""

import sqlite3
from dataclasses import dataclass

from yellowfen.core.heat.calibrate import Calibration
from yellowfen.errors import NotFound
from yellowfen.store.packing import pack, readable, unpack


@dataclass(frozen=True, kw_only=True)
class KeptCalibration:
    """One stored calibration."""

    id: int
    station_id: int | None
    tool_id: int | None
    made_at: str
    how: str
    said: str
    result: Calibration
    undone: bool


_COLUMNS = "SELECT id, station_id, tool_id, made_at, how, said, result, undone FROM calibration"


def add(
    connection: sqlite3.Connection,
    how: str,
    said: str,
    result: Calibration,
    station_id: int | None = None,
    tool_id: int | None = None,
) -> int:
    """Store a calibration of a station or of a tool; returns its id."""
    cursor = connection.execute(
        "INSERT INTO calibration (station_id, tool_id, made_at, how, said, result) VALUES (?, ?, datetime('now'), ?, ?, ?)",
        (station_id, tool_id, how, said, pack(result)),
    )
    return int(cursor.lastrowid or 0)


def of_station(connection: sqlite3.Connection, station_id: int) -> list[KeptCalibration]:
    """A station's calibrations, oldest first."""
    found = connection.execute(
        f"{_COLUMNS} WHERE station_id = ? ORDER BY id", (station_id,)
    ).fetchall()
    return readable(found, _kept)


def of_tool(connection: sqlite3.Connection, tool_id: int) -> list[KeptCalibration]:
    """A tool's calibrations, oldest first."""
    found = connection.execute(f"{_COLUMNS} WHERE tool_id = ? ORDER BY id", (tool_id,)).fetchall()
    return readable(found, _kept)


def get(connection: sqlite3.Connection, calibration_id: int) -> KeptCalibration:
    """The calibration of that id. Raises NotFound where there is none."""
    row = connection.execute(f"{_COLUMNS} WHERE id = ?", (calibration_id,)).fetchone()
    if row is None:
        raise NotFound(f"there is no calibration {calibration_id}")
    return _kept(row)


def _kept(row: sqlite3.Row) -> KeptCalibration:
    return KeptCalibration(
        id=row["id"],
        station_id=row["station_id"],
        tool_id=row["tool_id"],
        made_at=row["made_at"],
        how=row["how"],
        said=row["said"],
        result=unpack(Calibration, row["result"]),
        undone=bool(row["undone"]),
    )


def set_undone(connection: sqlite3.Connection, calibration_id: int, undone: bool) -> None:
    """Take a calibration out of use, or put it back."""
    connection.execute(
        "UPDATE calibration SET undone = ? WHERE id = ?", (int(undone), calibration_id)
    )
