"""The user's own packages, and the columns chosen for headings of part tables."""

import json
import sqlite3
from typing import cast

from yellowfen.core.part.library import OwnPackage
from yellowfen.errors import NotFound
from yellowfen.store.packing import pack, readable, unpack


def rows(connection: sqlite3.Connection) -> list[OwnPackage]:
    """All own packages by name."""
    found = connection.execute(
        "SELECT content FROM own_package WHERE removed_at IS NULL ORDER BY name"
    ).fetchall()
    return readable(found, lambda row: unpack(OwnPackage, row["content"]))


def keep(connection: sqlite3.Connection, one: OwnPackage) -> None:
    """Store a package in place of one of the same name."""
    connection.execute(
        "INSERT OR REPLACE INTO own_package (name, content) VALUES (?, ?)", (one.name, pack(one))
    )


def row_of(connection: sqlite3.Connection, name: str) -> int:
    """The number of the package of that name. Raises NotFound where there is none."""
    row = connection.execute(
        "SELECT rowid AS row FROM own_package WHERE name = ? AND removed_at IS NULL", (name,)
    ).fetchone()
    if row is None:
        raise NotFound(f"there is no package of yours called {name[:60]!r}")
    return int(row["row"])


def meanings(connection: sqlite3.Connection) -> dict[str, str]:
    """Package names by footprint name, where the user said once what a footprint is."""
    return {
        row["footprint"]: row["package"]
        for row in connection.execute("SELECT footprint, package FROM footprint_meaning")
    }


def keep_meaning(connection: sqlite3.Connection, footprint: str, package: str) -> None:
    """Let a footprint name mean a package from now on."""
    connection.execute(
        "INSERT OR REPLACE INTO footprint_meaning (footprint, package) VALUES (?, ?)",
        (footprint, package),
    )


def headings(connection: sqlite3.Connection) -> dict[str, dict[str, int]]:
    """Columns by field for every heading that the user corrected once."""
    found = connection.execute("SELECT heading, columns FROM heading_choice").fetchall()
    return {row["heading"]: json.loads(row["columns"]) for row in found}


def keep_heading(connection: sqlite3.Connection, heading: str, columns: dict[str, int]) -> None:
    """Remember the columns of a heading."""
    connection.execute(
        "INSERT OR REPLACE INTO heading_choice (heading, columns) VALUES (?, ?)",
        (heading, json.dumps(columns)),
    )


def remember_again(connection: sqlite3.Connection, kind: str, key: str, before: object) -> None:
    """Put what a "heading" or "footprint" means back to `before`, or to nothing known."""
    if kind == "heading":
        forget_heading(connection, key, cast(dict[str, int] | None, before))
        return
    connection.execute("DELETE FROM footprint_meaning WHERE footprint = ?", (key,))
    if before is not None:
        keep_meaning(connection, key, str(before))


def forget_heading(
    connection: sqlite3.Connection, heading: str, before: dict[str, int] | None
) -> None:
    """Put a heading back to what was remembered before, or to nothing."""
    connection.execute("DELETE FROM heading_choice WHERE heading = ?", (heading,))
    if before is not None:
        keep_heading(connection, heading, before)
