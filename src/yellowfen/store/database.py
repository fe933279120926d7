"""Opening the database, migrating it, and atomic work on it.

Laws: one connection per request; foreign keys on; every confirmed write is on disk (synchronous
FULL) before the caller hears of it; a migration and its record share one transaction.
"""

import atexit
import os
import shutil
import sqlite3
import tempfile
from collections.abc import Callable, Iterable, Iterator
from contextlib import contextmanager, suppress
from functools import lru_cache, wraps
from importlib import resources
from itertools import count
from pathlib import Path
from typing import Any, Concatenate, ParamSpec, TypeVar, cast

from yellowfen.errors import Refused
from yellowfen.store.kept import Kept
from yellowfen.store.turns import WRITERS, writes

_SAVEPOINTS = count(1)


def connect(path: Path, make: bool = False, kept: Kept | None = None) -> sqlite3.Connection:
    """An open connection with the settings every user of the database needs; one that only reads
    where the file or its folder may not be written. Only `make` may begin a new file.
    What it works out is kept in `kept`, else while it is open.

    A request's steps may run on different threads of the pool, one after the other, so the thread
    check is off; no connection is ever shared between requests. Raises sqlite3.OperationalError
    when there is no file.
    """
    shut = path.exists() and not (_may_write(path) and _may_write(path.parent))
    address = _address_to_read(path) if shut else f"{uri(path)}?mode={'rwc' if make else 'rw'}"
    connection = sqlite3.connect(
        address,
        uri=True,
        isolation_level=None,
        timeout=10,
        check_same_thread=False,
        factory=_InTurn,
    )
    connection.row_factory = sqlite3.Row
    connection.kept = Kept() if kept is None else kept
    writing = ("query_only = ON",) if shut else ("journal_mode = WAL", "synchronous = FULL")
    for pragma in ("foreign_keys = ON", "busy_timeout = 10000", *writing):
        connection.execute(f"PRAGMA {pragma}")
    connection.execute("SELECT 1 FROM sqlite_master").fetchone()  # opens the log beside the file
    connection.files = () if shut else _files(path)
    return connection


def may_write(connection: sqlite3.Connection) -> bool:
    """False for a connection that only reads."""
    return not connection.execute("PRAGMA query_only").fetchone()[0]


def uri(path: Path) -> str:
    """The address of a file for SQLite, whatever signs its folders' names hold."""
    return path.absolute().as_uri()


def _may_write(path: Path) -> bool:
    """False for what may only be read: then pages open still, and every change is refused."""
    return os.access(path, os.W_OK)


def _address_to_read(path: Path) -> str:
    """Where to read a database that may not be written. What a killed server left in the log beside
    it can only be read from a copy, since reading a log writes beside it.
    """
    log = _log_of(path)
    if not log.exists() or not log.stat().st_size:
        return f"{uri(path)}?immutable=1"
    now = tuple((one.stat().st_ino, one.stat().st_mtime_ns) for one in (path, log))
    return f"{uri(_copied(path, now) / path.name)}?mode=rw"


@lru_cache(maxsize=1)
def _copied(path: Path, _now: object) -> Path:
    """A folder of our own with a copy of the database and its log as they are now."""
    folder = Path(tempfile.mkdtemp(prefix="yellowfen-"))
    atexit.register(shutil.rmtree, folder, ignore_errors=True)
    for one in (path, _log_of(path)):
        shutil.copyfile(one, folder / one.name)
    return folder


def _log_of(path: Path) -> Path:
    """Where SQLite keeps what it has not yet written into the file itself."""
    return path.with_name(path.name + "-wal")


def _files(path: Path) -> tuple[tuple[Path, int], ...]:
    """The database and its log, each with what tells this very file from another of its name."""
    return tuple((one, _inode(one)) for one in (path, _log_of(path)))


def _inode(path: Path) -> int:
    try:
        return path.stat().st_ino
    except OSError:
        return 0


class Vanished(Refused):
    """The database or its log was taken away, or replaced, while it was open."""


def check_files(connection: sqlite3.Connection) -> None:
    """Raises Vanished when what a connection writes would be lost: the file or its log is not any
    more where it was. What was confirmed until then is written into the file first, where it is
    still there.
    """
    files: tuple[tuple[Path, int], ...] = getattr(connection, "files", ())
    if all(_inode(path) == known for path, known in files):
        return
    here, known = files[0]
    if _inode(here) != known:
        raise Vanished(
            f"The database {here.name} was moved, deleted or replaced while Yellowfen was running."
            " This change is not confirmed. Put the file back where it was, or stop Yellowfen and start it again."
        )
    with suppress(sqlite3.Error):
        connection.execute("PRAGMA wal_checkpoint(TRUNCATE)")
    raise Vanished(
        f"The file {here.name}-wal beside the database was deleted while Yellowfen was running."
        " What was confirmed before has been written into the database; this change is not"
        " confirmed. Stop Yellowfen, start it again and see whether your last taps are there."
    )


class _InTurn(sqlite3.Connection):
    """A connection whose single writing statements wait for their turn, and are confirmed only
    while the files they went to are there.
    """

    files: tuple[tuple[Path, int], ...] = ()
    answers: dict[object, Any] | None = None  # what was asked while one page is made
    kept: Kept  # what is kept for whom it works

    def execute(self, sql: str, parameters: Any = (), /) -> sqlite3.Cursor:
        if self.in_transaction or not writes(sql):
            return super().execute(sql, parameters)
        with WRITERS.turn():
            done = super().execute(sql, parameters)
        check_files(self)
        return done

    def executemany(self, sql: str, parameters: Iterable[Any], /) -> sqlite3.Cursor:
        if self.in_transaction:
            return super().executemany(sql, parameters)
        with WRITERS.turn():
            done = super().executemany(sql, parameters)
        check_files(self)
        return done


_Given = ParamSpec("_Given")
_Found = TypeVar("_Found")


def asked_once(
    read: Callable[Concatenate[sqlite3.Connection, _Given], _Found],
) -> Callable[Concatenate[sqlite3.Connection, _Given], _Found]:
    """A question that a page asks the database once, however many of its figures hang on it: asked
    anew after any change through the same connection, and by whoever makes no page.
    """

    @wraps(read)
    def asked(connection: sqlite3.Connection, *given: _Given.args, **more: _Given.kwargs) -> _Found:
        answers: dict[object, _Found] | None = getattr(connection, "answers", None)
        if answers is None:
            return read(connection, *given, **more)
        key = (read, given, tuple(sorted(more.items())), connection.total_changes)
        try:
            known = key in answers
        except TypeError:  # asked about something that has no hash: each time anew
            return read(connection, *given, **more)
        if not known:
            answers[key] = read(connection, *given, **more)
        return answers[key]

    return cast(Callable[Concatenate[sqlite3.Connection, _Given], _Found], asked)


@asked_once
def file_of(connection: sqlite3.Connection) -> str:
    """The path of the file that a connection works on."""
    return str(connection.execute("PRAGMA database_list").fetchone()[2])


@contextmanager
def page_of(connection: sqlite3.Connection) -> Iterator[None]:
    """While a page is made from a connection, what is `asked_once` of it is kept."""
    if isinstance(connection, _InTurn):
        connection.answers = {}
    try:
        yield
    finally:
        if isinstance(connection, _InTurn):
            connection.answers = None


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
    check_files(connection)


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
