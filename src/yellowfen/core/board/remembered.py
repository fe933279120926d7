"""Answers about a board kept while the board is the same object: stages of one job ask the same of it
again and again, and a frozen board cannot change behind their back.
"""

from collections import OrderedDict
from collections.abc import Callable
from functools import wraps
from threading import Lock
from typing import ParamSpec, TypeVar

P = ParamSpec("P")
T = TypeVar("T")


def remembered(most: int = 8, same: int = 1) -> Callable[[Callable[P, T]], Callable[P, T]]:
    """A function whose newest `most` answers are kept: by identity of its first `same` arguments
    (frozen ones, given by position), by what stands in the others.

    Law: the answer is the one the bare function would give; so it must not be changed by who gets it.
    """

    def keeping(function: Callable[P, T]) -> Callable[P, T]:
        kept: OrderedDict[tuple[object, ...], tuple[tuple[object, ...], T]] = OrderedDict()
        lock = Lock()

        @wraps(function)
        def answer(*args: P.args, **kwargs: P.kwargs) -> T:
            key = (*map(id, args[:same]), repr(args[same:]), repr(sorted(kwargs.items())))
            with lock:
                if key in kept:
                    kept.move_to_end(key)
                    return kept[key][1]
            found = function(*args, **kwargs)
            with lock:
                kept[key] = (args[:same], found)  # held, so that no other object takes its id
                while len(kept) > most:
                    kept.popitem(last=False)
            return found

        return answer

    return keeping
