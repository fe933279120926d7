"""Opening the user's database and copying it."""

import sqlite3
from pathlib import Path

from yellowfen.errors import InvalidValue, NotFound
from yellowfen.store import boards
from yellowfen.store.database import backup, connect, migrate

DATABASE = "yellowfen.sqlite3"


def open_database(folder: Path) -> sqlite3.Connection:
    """A connection to the database in a folder, made and migrated when needed."""
    try:
        folder.mkdir(parents=True, exist_ok=True)
        connection = connect(folder / DATABASE)
    except (OSError, sqlite3.OperationalError) as problem:
        raise InvalidValue("data", f"the folder {folder} cannot be used ({problem})") from None
    migrate(connection)
    if boards.stale(connection):  # read again later, by the worker, one at a time
        boards.make_readable(connection)
    return connection


def back_up(folder: Path, target: Path) -> None:
    """Write a whole copy of the database; never over an existing file."""
    if not (folder / DATABASE).exists():
        raise NotFound(f"there is no database in {folder}")
    if target.exists():
        raise InvalidValue("file", f"{target} exists already; choose another name")
    connection = open_database(folder)
    try:
        backup(connection, target)
    except sqlite3.OperationalError as problem:
        raise InvalidValue("file", f"{target} cannot be written ({problem})") from None
    finally:
        connection.close()


def connect_existing(folder: Path) -> sqlite3.Connection:
    """A connection to a database that was opened (and so migrated) before."""
    return connect(folder / DATABASE)
