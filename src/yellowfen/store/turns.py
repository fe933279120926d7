"""Writers of one process, one after the other in the order in which they came.

SQLite lets one writer in and lets the others try again by chance: under load some come too late.
Here each waits for its turn, so none does; writers of other processes are met by SQLite's own
waiting.
"""

import sqlite3
import threading
from collections import deque
from collections.abc import Iterator
from contextlib import contextmanager

LONGEST_WAIT_S = 30.0


class Turns:
    """A lock that is handed on in order; a thread that has it may take it again."""

    def __init__(self) -> None:
        self._guard = threading.Lock()
        self._waiting: deque[tuple[int, threading.Event]] = deque()
        self._owner: int | None = None
        self._depth = 0

    @contextmanager
    def turn(self) -> Iterator[None]:
        """The only writer for a while. Raises sqlite3.OperationalError when it never comes."""
        self._enter()
        try:
            yield
        finally:
            self._leave()

    def _enter(self) -> None:
        me = threading.get_ident()
        with self._guard:
            if self._owner in (None, me):
                self._owner = me
                self._depth += 1
                return
            called = threading.Event()
            self._waiting.append((me, called))
        if called.wait(LONGEST_WAIT_S):
            return
        with self._guard:
            if called.is_set():  # it came this moment
                return
            self._waiting.remove((me, called))
        raise sqlite3.OperationalError("database is locked")

    def _leave(self) -> None:
        with self._guard:
            self._depth -= 1
            if self._depth:
                return
            if self._waiting:
                self._owner, called = self._waiting.popleft()
                self._depth = 1
                called.set()
            else:
                self._owner = None


WRITERS = Turns()
_WRITES = ("INSERT", "UPDATE", "DELETE", "REPLAC")


def writes(sql: str) -> bool:
    """True for a statement that changes the database."""
    return sql.lstrip()[:6].upper() in _WRITES
