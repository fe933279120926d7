"""What is worked out and kept while it is true: one object for a server (or a worker), each topic
bounded.
"""

import sqlite3
from collections import OrderedDict
from collections.abc import Callable, Hashable
from threading import RLock
from typing import Any, Generic, TypeVar, cast

T = TypeVar("T")
V = TypeVar("V")


class Bounded(Generic[V]):
    """The newest values by key, at most so many; what was asked for last goes last. Safe for
    threads.
    """

    def __init__(self, most: int) -> None:
        self.most = most
        self.lock = RLock()
        self._values: OrderedDict[Hashable, V] = OrderedDict()

    def __contains__(self, key: Hashable) -> bool:
        return key in self._values

    def __getitem__(self, key: Hashable) -> V:
        with self.lock:
            self._values.move_to_end(key)
            return self._values[key]

    def __setitem__(self, key: Hashable, value: V) -> None:
        with self.lock:
            self._values[key] = value
            while len(self._values) > self.most:
                self._values.popitem(last=False)

    def get(self, key: Hashable) -> V | None:
        """The value of a key, None where there is none."""
        with self.lock:
            return self[key] if key in self._values else None

    def drop(self, when: Callable[[Any], bool]) -> None:
        """Forget the values whose keys are meant."""
        with self.lock:
            for key in [key for key in self._values if when(key)]:
                del self._values[key]


class Kept:
    """All that a process keeps: of every class of things one object."""

    def __init__(self) -> None:
        self._lock = RLock()
        self._parts: dict[type, object] = {}

    def of(self, kind: type[T]) -> T:
        """The one object of a class; made when it is first asked for."""
        with self._lock:
            if kind not in self._parts:
                self._parts[kind] = kind()
            return cast(T, self._parts[kind])


def kept_of(connection: sqlite3.Connection, kind: type[T]) -> T:
    """What is kept of a kind for whom a connection works: its server's, its worker's, else its own."""
    kept: Kept = connection.kept  # type: ignore[attr-defined]
    return kept.of(kind)
