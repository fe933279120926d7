"""A form that makes something makes it once, however often it is pressed: each page that shows such
a form gives it a key, and what was made under a key is given again.
"""

import secrets
import threading
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Generic, TypeVar

MOST_KEYS = 500
Made = TypeVar("Made")


def once_key() -> str:
    """A key for a form that is shown now."""
    return secrets.token_hex(8)


@dataclass
class _Kept(Generic[Made]):
    lock: threading.Lock = field(default_factory=threading.Lock)
    made: Made | None = None


class Once(Generic[Made]):
    """What was made by key, the newest few hundred."""

    def __init__(self) -> None:
        self._kept: OrderedDict[str, _Kept[Made]] = OrderedDict()
        self._lock = threading.Lock()

    def make(self, key: str, deed: Callable[[], Made]) -> Made:
        """What `deed` made under this key, now or before; who presses again meanwhile waits for it.
        Without a key, and after a refusal, it is done anew.
        """
        if not key:
            return deed()
        with self._lock:
            one = self._kept.setdefault(key, _Kept())
            while len(self._kept) > MOST_KEYS:
                self._kept.popitem(last=False)
        with one.lock:
            if one.made is None:
                one.made = deed()
            return one.made
