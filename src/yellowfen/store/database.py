"""Opening the database, migrating it, and atomic work on it.

Laws: one connection per request; foreign keys on; every confirmed write is on disk (synchronous
FULL) before the caller hears of it; a migration and its record share one transaction.
"""

import sqlite3
from collections.abc import Iterator
from contextlib import contextmanager
from importlib import resources
from itertools import count
from pathlib import Path

from yellowfen.errors import Refused

_SAVEPOINTS = count(1)


def connect(path: Path) -> sqlite3.Connection:
    """An open connection with the settings every user of the database needs.

    A request's steps may run on different threads of the pool, one after the other, so the thread
    check is off; no connection is ever shared between requests.
    """
    connection = sqlite3.connect(path, isolation_level=None, timeout=10, check_same_thread=False)
    connection.row_factory = sqlite3.Row
    for pragma in (
        "foreign_keys = ON",
        "journal_mode = WAL",
        "synchronous = FULL",
        "busy_timeout = 10000",
    ):
        connection.execute(f"PRAGMA {pragma}")
    return connection


@contextmanager
def atomic(connection: sqlite3.Connection) -> Iterator[None]:
    """All or nothing; nests by savepoints."""
    if connection.in_transaction:
        name = f"step_{next(_SAVEPOINTS)}"
        begin, keep, drop = f"SAVEPOINT {name}", f"RELEASE {name}", f"ROLLBACK TO {name}"
    else:
        begin, keep, drop = "BEGIN IMMEDIATE", "COMMIT", "ROLLBACK"
    connection.execute(begin)
    try:
        yield
    except BaseException:
        connection.execute(drop)
        raise
    connection.execute(keep)


def migrate(connection: sqlite3.Connection) -> int:
    """Bring the database to this version's shape; returns how many migrations ran."""
    connection.execute(
        "CREATE TABLE IF NOT EXISTS migration (name TEXT PRIMARY KEY, at TEXT NOT NULL) STRICT"
    )
    done = {row["name"] for row in connection.execute("SELECT name FROM migration")}
    scripts = sorted(
        item.name
        for item in resources.files("yellowfen.store.migrations").iterdir()
        if item.name.endswith(".sql")
    )
    unknown = done - set(scripts)
    if unknown:
        raise Refused(
            f"this database was written by a newer Yellowfen ({', '.join(sorted(unknown))}); update the program first"
        )
    for name in scripts:
        if name not in done:
            _run_script(connection, name)
    return len(set(scripts) - done)


def _run_script(connection: sqlite3.Connection, name: str) -> None:
    text = resources.files("yellowfen.store.migrations").joinpath(name).read_text(encoding="utf-8")
    with atomic(connection):
        for statement in _statements(text):
            connection.execute(statement)
        connection.execute("INSERT INTO migration (name, at) VALUES (?, datetime('now'))", (name,))


def _statements(text: str) -> Iterator[str]:
    pending = ""
    for line in text.splitlines():
        pending += line + "\n"
        if sqlite3.complete_statement(pending):
            yield pending
            pending = ""


def backup(connection: sqlite3.Connection, target: Path) -> None:
    """A whole, consistent copy of the database while it is in use."""
    copy = sqlite3.connect(target)
    try:
        connection.backup(copy)
    finally:
        copy.close()
