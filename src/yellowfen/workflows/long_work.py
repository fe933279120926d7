"""The kinds of long work by name: which worker does each, and what is said and done when it is given
up. What does a kind says so itself (`does`), in the module that the worker of its duty loads.
"""

import sqlite3
from collections.abc import Callable
from dataclasses import dataclass

from yellowfen.store import boards, imports, work
from yellowfen.store.database import atomic
from yellowfen.store.work import Work

HEAT, IMPORTS = "heat", "imports"
WINDOW, SETTINGS, TOUR, OFF, ORDER = "window", "settings", "tour", "off", "order"
IRON = "iron"
REREAD = "reread"
LOADS = {  # what a worker loads to do its duty: each starts with its own half
    HEAT: ("yellowfen.workflows.tasks", "yellowfen.workflows.iron_work"),
    IMPORTS: ("yellowfen.workflows.boards",),
}
Doer = Callable[[sqlite3.Connection, Work], None]
_doers: dict[str, Doer] = {}


def does(*kinds: str) -> Callable[[Doer], Doer]:
    """Marks the function that does these kinds of work."""

    def marked(doer: Doer) -> Doer:
        _doers.update(dict.fromkeys(kinds, doer))
        return doer

    return marked


@dataclass(frozen=True, kw_only=True)
class WorkKind:
    """A kind of long work: which worker does it, what is said when it has ended its worker too
    often, how it is given up when asked. What is `short` goes first, and between the steps of what
    is not.
    """

    duty: str
    given_up: str
    cancel: Callable[[sqlite3.Connection, int], None]
    short: bool = False


def unread(why: str) -> str:
    """What is said of a board that stays as an earlier version read it."""
    return f"it could not be read again by this version and stays as it was ({why})"


def _keep_unread(connection: sqlite3.Connection, work_id: int) -> None:
    """A board is not read again, as its owner wishes, and stays as it was."""
    with atomic(connection):
        one = work.get(connection, work_id)
        if one.state in work.OPEN and one.board_id is not None:
            work.set_state(connection, work_id, work.CANCELLED, "given up")
            boards.keep_as_read(connection, one.board_id, unread("given up"))


def _stop(connection: sqlite3.Connection, work_id: int) -> None:
    """What is done stays to be seen."""
    work.set_state(connection, work_id, work.CANCELLED, "given up")


_SEARCH = WorkKind(
    duty=HEAT,
    given_up="it crashed three times and was stopped; change a setting and ask again",
    cancel=_stop,
)
KINDS = {
    WINDOW: _SEARCH,
    SETTINGS: _SEARCH,
    TOUR: _SEARCH,
    OFF: _SEARCH,
    ORDER: _SEARCH,
    IRON: WorkKind(
        duty=HEAT,
        given_up="it crashed three times and was stopped; choose another tip or setting",
        cancel=_stop,
        short=True,
    ),
    imports.KIND: WorkKind(
        duty=IMPORTS,
        given_up="reading it crashed three times, so it was stopped; nothing was stored",
        cancel=imports.cancel,
    ),
    REREAD: WorkKind(
        duty=IMPORTS,
        given_up="reading it again crashed three times; it stays as it was",
        cancel=_keep_unread,
    ),
}


def kinds_of(duty: str) -> dict[str, WorkKind]:
    """The kinds that a worker does, by name."""
    return {name: kind for name, kind in KINDS.items() if kind.duty == duty}


def do_one(connection: sqlite3.Connection, duty: str, owner: str) -> bool:
    """Take the oldest piece of a worker's work, short ones first, and do it; False when there is
    none.
    """
    kinds = kinds_of(duty)
    return _do_one(connection, {name: one for name, one in kinds.items() if one.short}, owner) or (
        _do_one(connection, kinds, owner)
    )


def do_short(connection: sqlite3.Connection, owner: str) -> None:
    """Do all short work that waits, between two steps of longer work that `owner` holds."""
    short = {name: one for name, one in KINDS.items() if one.short}
    while _do_one(connection, short, owner):
        pass


def _do_one(connection: sqlite3.Connection, kinds: dict[str, WorkKind], owner: str) -> bool:
    said = {name: kind.given_up for name, kind in kinds.items() if name in _doers}
    taken = work.take(connection, said, owner) if said else None
    if taken is not None:
        _doers[taken.kind](connection, taken)
    return taken is not None


def cancel(connection: sqlite3.Connection, work_id: int) -> None:
    """Give a piece of long work up. Raises NotFound for one that is not there."""
    KINDS[work.get(connection, work_id).kind].cancel(connection, work_id)
