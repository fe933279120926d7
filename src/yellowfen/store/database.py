"""Opening the database, migrating it, and atomic work on it.

Laws: one connection per request; foreign keys on; every confirmed write is on disk (synchronous
FULL) before the caller hears of it; a migration and its record share one transaction.
"""

import os
import sqlite3
from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from importlib import resources
from itertools import count
from pathlib import Path
from typing import Any
from urllib.parse import quote

from yellowfen.errors import Refused
from yellowfen.store.turns import WRITERS, writes

_SAVEPOINTS = count(1)


def connect(path: Path) -> sqlite3.Connection:
    """An open connection with the settings every user of the database needs; one that only reads
    where the file or its folder may not be written.

    A request's steps may run on different threads of the pool, one after the other, so the thread
    check is off; no connection is ever shared between requests.
    """
    shut = path.exists() and not (_may_write(path) and _may_write(path.parent))
    connection = sqlite3.connect(
        f"file:{quote(str(path))}?immutable=1" if shut else path,
        uri=shut,
        isolation_level=None,
        timeout=10,
        check_same_thread=False,
        factory=_InTurn,
    )
    connection.row_factory = sqlite3.Row
    writing = () if shut else ("journal_mode = WAL", "synchronous = FULL")
    for pragma in ("foreign_keys = ON", *writing, "busy_timeout = 10000"):
        connection.execute(f"PRAGMA {pragma}")
    return connection


def _may_write(path: Path) -> bool:
    """False for what may only be read: then pages open still, and every change is refused."""
    return os.access(path, os.W_OK)


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
    """Bring the database to this version's shape; returns how many migrations ran.

    Raises Refused for a database of a newer version.
    """
    if not connection.execute("SELECT 1 FROM sqlite_master WHERE name = 'migration'").fetchone():
        connection.execute(
            "CREATE TABLE migration (name TEXT PRIMARY KEY, at TEXT NOT NULL) STRICT"
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
    """A whole, consistent copy of the database while it is in use; written beside and renamed, so
    that no half copy bears the name.
    """
    half = target.with_name(target.name + ".part")
    half.unlink(missing_ok=True)
    copy = sqlite3.connect(half)
    try:
        connection.backup(copy)
    finally:
        copy.close()
    os.replace(half, target)
