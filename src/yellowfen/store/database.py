"""Opening the database, migrating it, and atomic work on it.

Laws: one connection per request; foreign keys on; every confirmed write is on disk (synchronous
FULL) before the caller hears of it; a migration and its record share one transaction.
"""

import sqlite3
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from importlib import resources
from itertools import count
from pathlib import Path
from typing import Any

from yellowfen.errors import Refused
from yellowfen.store.turns import WRITERS, writes

_SAVEPOINTS = count(1)


def connect(path: Path) -> sqlite3.Connection:
    """An open connection with the settings every user of the database needs.

    A request's steps may run on different threads of the pool, one after the other, so the thread
    check is off; no connection is ever shared between requests.
    """
    connection = sqlite3.connect(
        path, isolation_level=None, timeout=10, check_same_thread=False, factory=_InTurn
    )
    connection.row_factory = sqlite3.Row
    for pragma in (
        "foreign_keys = ON",
        "journal_mode = WAL",
        "synchronous = FULL",
        "busy_timeout = 10000",
    ):
        connection.execute(f"PRAGMA {pragma}")
    return connection


class _InTurn(sqlite3.Connection):
    """A connection whose single writing statements wait for their turn."""

    def execute(self, sql: str, parameters: Any = (), /) -> sqlite3.Cursor:
        if self.in_transaction or not writes(sql):
            return super().execute(sql, parameters)
        with WRITERS.turn():
            return super().execute(sql, parameters)

    def executemany(self, sql: str, parameters: Iterable[Any], /) -> sqlite3.Cursor:
        if self.in_transaction:
            return super().executemany(sql, parameters)
        with WRITERS.turn():
            return super().executemany(sql, parameters)


@contextmanager
def atomic(connection: sqlite3.Connection) -> Iterator[None]:
    """All or nothing; nests by savepoints. The outermost waits for its turn to write."""
    if connection.in_transaction:
        name = f"step_{next(_SAVEPOINTS)}"
        with _kept(connection, f"SAVEPOINT {name}", f"RELEASE {name}", f"ROLLBACK TO {name}"):
            yield
        return
    with WRITERS.turn(), _kept(connection, "BEGIN IMMEDIATE", "COMMIT", "ROLLBACK"):
        yield


@contextmanager
def _kept(connection: sqlite3.Connection, begin: str, keep: str, drop: str) -> Iterator[None]:
    connection.execute(begin)
    try:
        yield
    except BaseException:
        if connection.in_transaction:  # a full disk may have rolled it back already
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
