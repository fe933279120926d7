"""Waiting for what comes by itself. No test is timed: other work may hold the machine for long, so
the bound here only ends a test that would otherwise hang for ever.
"""

import time
from collections.abc import Callable
from typing import TypeVar

AT_MOST_S = 900.0
T = TypeVar("T")


def until(found: Callable[[], T], what: str, every_s: float = 0.02) -> T:
    """What `found` returns once it is true of something; an AssertionError with `what` where it
    never is.
    """
    end = time.monotonic() + AT_MOST_S
    while not (one := found()):
        assert time.monotonic() < end, f"never: {what}"
        time.sleep(every_s)
    return one
