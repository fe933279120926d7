"""Opening the user's database and copying it."""

import sqlite3
from pathlib import Path

from yellowfen.errors import InvalidValue, NotFound, Refused
from yellowfen.store import boards
from yellowfen.store.database import backup, connect, migrate
from yellowfen.store.health import good_copy_of, keep_good_copy, put_back, trouble
from yellowfen.workflows.trouble import storage_sentence

DATABASE = "yellowfen.sqlite3"


def open_database(folder: Path) -> sqlite3.Connection:
    """A connection to the database in a folder, made and migrated when needed.

    Raises InvalidValue for a folder that cannot be used, Refused with what to do for a database
    that cannot.
    """
    try:
        folder.mkdir(parents=True, exist_ok=True)
        connection = connect(folder / DATABASE)
        migrate(connection)
    except OSError as problem:
        raise InvalidValue("data", f"the folder {folder} cannot be used ({problem})") from None
    except sqlite3.DatabaseError as problem:
        raise Refused(f"{folder / DATABASE}: {_what_now(folder, problem)}") from None
    if boards.stale(connection):  # read again later, by the worker, one at a time
        boards.make_readable(connection)
    return connection


def _what_now(folder: Path, problem: sqlite3.DatabaseError) -> str:
    """What happened, what is safe, and what to do."""
    said, _ = storage_sentence(problem)
    when = good_copy_of(folder / DATABASE)
    damaged = "damaged" in said
    return said + (
        f" The last good copy is of {when}: yellowfen serve --data {folder} --last-good puts it in place and keeps the damaged file."
        if damaged and when
        else ""
    )


def open_soundly(folder: Path, last_good: bool = False) -> sqlite3.Connection:
    """The database of a folder, looked over first. Raises Refused with what to do when it is
    damaged; with `last_good` the good copy is put in its place.
    """
    path = folder / DATABASE
    found = trouble(path)
    if found and last_good:
        put_back(path)
    elif found:
        raise Refused(f"{path}: {_what_now(folder, sqlite3.DatabaseError('malformed: ' + found))}")
    return open_database(folder)


def keep_good(folder: Path) -> None:
    """Keep a good copy beside the database, at most every half day."""
    path = folder / DATABASE
    if path.exists() and not trouble(path):
        keep_good_copy(path)


def back_up(folder: Path, target: Path) -> None:
    """Write a whole copy of the database; never over an existing file.

    Raises NotFound without a database, InvalidValue for a file that is there or cannot be written.
    """
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
