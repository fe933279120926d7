"""Opening the user's database and copying it."""

import sqlite3
from pathlib import Path

from yellowfen.errors import InvalidValue, NotFound, Refused
from yellowfen.store import boards
from yellowfen.store.database import backup, connect, may_write, migrate
from yellowfen.store.health import (
    best_copy,
    earlier_copy,
    good_copy,
    good_copy_of,
    is_begun,
    keep_good_copy,
    lacking,
    put_back,
    set_aside,
    trouble,
)
from yellowfen.store.kept import Kept
from yellowfen.workflows.trouble import storage_sentence

DATABASE = "yellowfen.sqlite3"


def open_database(folder: Path) -> sqlite3.Connection:
    """A connection to the database in a folder, made and migrated when needed.

    Raises InvalidValue for a folder that cannot be used, Refused with what to do for a database
    that cannot, or that is gone while a good copy of it is there.
    """
    _ask_about_a_copy(folder / DATABASE)
    try:
        folder.mkdir(parents=True, exist_ok=True)
        connection = connect(folder / DATABASE, make=True)
        migrate(connection)
    except OSError as problem:
        raise InvalidValue("data", f"the folder {folder} cannot be used ({problem})") from None
    except sqlite3.DatabaseError as problem:
        raise Refused(f"{folder / DATABASE}: {_what_now(folder, problem)}") from None
    if may_write(connection) and boards.stale(
        connection
    ):  # read again later, by the worker, one at a time
        boards.make_readable(connection)
    return connection


def _ask_about_a_copy(path: Path) -> None:
    """Raises Refused where a database is gone or empty but a good copy of it lies beside."""
    if is_begun(path) or best_copy(path) is None:
        return
    gone = "is empty" if path.exists() else "is not there"
    raise Refused(
        f"The database {path} {gone}, but there is a good copy of it from {good_copy_of(path)}."
        f" To go on with the copy: yellowfen serve --data {path.parent} --last-good."
        f" To begin with an empty database and set the copy aside: yellowfen serve --data {path.parent} --begin-anew."
        " If you moved the database, put it back first. Nothing was changed."
    )


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


def open_soundly(
    folder: Path, last_good: bool = False, begin_anew: bool = False
) -> sqlite3.Connection:
    """The database of a folder, looked over first. Raises Refused with what to do when it is
    damaged, or gone while a good copy is there; with `last_good` the good copy is put in its place,
    with `begin_anew` a gone one is begun anew and its copies are kept under other names.
    """
    path = folder / DATABASE
    found = trouble(path)
    if last_good and (found or not is_begun(path)):
        put_back(path)
    elif found:
        raise Refused(f"{path}: {_what_now(folder, sqlite3.DatabaseError('malformed: ' + found))}")
    elif begin_anew and not is_begun(path):
        for copy in (path, good_copy(path), earlier_copy(path)):
            set_aside(copy, "set-aside")
    return open_database(folder)


def keep_good(folder: Path) -> str:
    """Keep a good copy beside the database, at most every half day. Returns what the database lacks
    beside the copy that is there, which then stays as it is; "" where nothing lacks.
    """
    path = folder / DATABASE
    if not is_begun(path) or trouble(path):
        return ""
    keep_good_copy(path)
    return lacking(path)


def replace_good_copy(folder: Path) -> None:
    """Copy the database over a good copy that holds more, because the user said so; the copy that
    was there is kept as the earlier one.
    """
    keep_good_copy(folder / DATABASE, every_s=0.0, said_so=True)


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


def connect_existing(folder: Path, kept: Kept | None = None) -> sqlite3.Connection:
    """A connection to a database that was opened (and so migrated) before."""
    return connect(folder / DATABASE, kept=kept)
