"""One database connection per request, taken from those that rest."""

import os
import re
import sqlite3
from collections.abc import Iterator
from contextlib import nullcontext
from pathlib import Path
from threading import Lock
from typing import Annotated

from fastapi import Depends, Request

from yellowfen.errors import NotFound
from yellowfen.store.database import check_files, page_of
from yellowfen.store.kept import Kept
from yellowfen.workflows.opening import DATABASE, connect_existing

_MOST_RESTING = 8


class Resting:
    """Open connections between requests: opening one costs more than a tap. None is used by two at
    once; one goes when the file, its rights or its folder's are others than when it was opened.
    One stays open and is lent to nobody: while it is, SQLite itself deletes no log, so a log that
    is gone was deleted by somebody. All work with what the server keeps (`kept`).
    """

    def __init__(self, folder: Path, kept: Kept | None = None) -> None:
        self.folder = folder
        self.kept = Kept() if kept is None else kept
        self._resting: list[tuple[object, sqlite3.Connection]] = []
        self._anchor: tuple[object, sqlite3.Connection] | None = None
        self._lock = Lock()

    def take(self) -> tuple[object, sqlite3.Connection]:
        """A connection, and the state of the file it belongs to. Raises Vanished when the log beside
        the file was deleted meanwhile.
        """
        state = self._state()
        with self._lock:
            check_files(self._anchored(state))
            while self._resting:
                known, connection = self._resting.pop()
                if known == state and state is not None:
                    return state, connection
                connection.close()
        return state, connect_existing(self.folder, self.kept)

    def _anchored(self, state: object) -> sqlite3.Connection:
        if self._anchor is None or self._anchor[0] != state:
            if self._anchor is not None:
                self._anchor[1].close()
                self._anchor = None
            self._anchor = state, connect_existing(self.folder, self.kept)
        return self._anchor[1]

    def give_back(self, state: object, connection: sqlite3.Connection) -> None:
        """Let it rest, with nothing begun; what was left open is undone."""
        if connection.in_transaction:
            connection.rollback()
        with self._lock:
            if len(self._resting) < _MOST_RESTING:
                self._resting.append((state, connection))
                return
        connection.close()

    def close(self) -> None:
        """Close all that rest."""
        with self._lock:
            for _, connection in (*self._resting, *((self._anchor,) if self._anchor else ())):
                connection.close()
            self._resting.clear()
            self._anchor = None

    def _state(self) -> object:
        try:
            file, folder = os.stat(self.folder / DATABASE), os.stat(self.folder)
        except OSError:
            return None
        return (file.st_dev, file.st_ino, file.st_mode, folder.st_mode)


# What may be put away and brought back: the number in an address, with its table.
_PUT_AWAY = {"job_id": "job", "run_id": "bench_run", "board_id": "board"}


def _lives(request: Request, connection: sqlite3.Connection) -> None:
    """Raises NotFound for a change to what was put away; only bringing it back is one."""
    if request.method in ("GET", "HEAD") or request.url.path.endswith("/back"):
        return
    for name, table in _PUT_AWAY.items():
        number = request.path_params.get(name)
        if number is None or not re.fullmatch("[0-9]{1,18}", str(number)):
            continue
        row = connection.execute(
            f"SELECT removed_at FROM {table} WHERE id = ?", (int(number),)
        ).fetchone()
        if row is None or row["removed_at"] is not None:
            raise NotFound(
                f"there is no {table.removeprefix('bench_')} {number}; it may have been archived"
            )


def _makes_page(request: Request) -> bool:
    """True for a page that is shown; what is asked by scripts may wait and look again."""
    return request.method in ("GET", "HEAD") and not request.url.path.startswith("/api/")


def _connection(request: Request) -> Iterator[sqlite3.Connection]:
    resting: Resting = request.app.state.resting
    state, connection = resting.take()
    try:
        _lives(request, connection)
        request.state.database = connection
        with page_of(connection) if _makes_page(request) else nullcontext():
            yield connection
    except BaseException:
        connection.close()  # whatever went wrong with it, the next request begins anew
        raise
    resting.give_back(state, connection)


Database = Annotated[sqlite3.Connection, Depends(_connection)]
