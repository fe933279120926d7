"""Answers about a board kept while the board is the same object: stages of one job ask the same of
it again and again, and a frozen board cannot change behind their back.
"""

from collections import OrderedDict
from collections.abc import Callable, Hashable, Mapping
from functools import wraps
from threading import Lock
from typing import Generic, ParamSpec, TypeVar

MOST_PADS = 60_000  # of the boards one shelf holds: some 5 kB a pad hang on them

P = ParamSpec("P")
T = TypeVar("T")


class Shelf(Generic[T]):
    """The newest `most` values with the boards they are about; fewer where those are large, but the
    last one always.
    """

    def __init__(self, most: int) -> None:
        self.most = most
        self._kept: OrderedDict[Hashable, tuple[tuple[object, ...], T]] = OrderedDict()
        self._lock = Lock()

    def get(self, key: Hashable) -> tuple[T] | None:
        """The value under a key, in a tuple of its own; None where none is kept."""
        with self._lock:
            if key not in self._kept:
                return None
            self._kept.move_to_end(key)
            return (self._kept[key][1],)

    def put(self, key: Hashable, about: tuple[object, ...], value: T) -> None:
        """Keep a value and what it is about, and let the oldest go."""
        with self._lock:
            self._kept[key] = about, value
            while len(self._kept) > self.most or (
                len(self._kept) > 1 and _pads(self._kept) > MOST_PADS
            ):
                self._kept.popitem(last=False)


def _pads(kept: Mapping[Hashable, tuple[tuple[object, ...], object]]) -> int:
    boards = {id(one): one for about, _ in kept.values() for one in about}
    return sum(len(getattr(one, "pads", ())) for one in boards.values())


def remembered(most: int = 8, same: int = 1) -> Callable[[Callable[P, T]], Callable[P, T]]:
    """A function whose newest `most` answers are kept: by identity of its first `same` arguments
    (frozen ones, given by position), by what stands in the others. Fewer where the boards are
    large.

    Law: the answer is the one the bare function would give; so it must not be changed by who gets
    it.
    """

    def keeping(function: Callable[P, T]) -> Callable[P, T]:
        shelf: Shelf[T] = Shelf(most)

        @wraps(function)
        def answer(*args: P.args, **kwargs: P.kwargs) -> T:
            key = (*map(id, args[:same]), repr(args[same:]), repr(sorted(kwargs.items())))
            kept = shelf.get(key)
            if kept is not None:
                return kept[0]
            found = function(*args, **kwargs)
            shelf.put(key, args[:same], found)  # held, so that no other object takes its id
            return found

        return answer

    return keeping
