"""The kinds of long work, each with the worker that does it: a new kind is a line in `KINDS`."""

import sqlite3
from collections.abc import Callable
from dataclasses import dataclass

from yellowfen.store import imports, tasks, work
from yellowfen.store.work import Work

HEAT, IMPORTS = "heat", "imports"
WINDOW, SETTINGS, TOUR, OFF, ORDER = "window", "settings", "tour", "off", "order"
IRON = "iron"
REREAD = "reread"


@dataclass(frozen=True, kw_only=True)
class WorkKind:
    """A kind of long work: which worker does it and how, what is said when it has ended its worker
    too often, how it is given up when asked. What is `short` goes first, and between the steps of
    what is not.
    """

    duty: str
    do: Callable[[sqlite3.Connection, Work], None]
    given_up: str
    cancel: Callable[[sqlite3.Connection, int], None]
    short: bool = False


# What does the work is loaded by the worker that does it: each starts with its own half.
def _for_heat(connection: sqlite3.Connection, one: Work) -> None:
    from yellowfen.workflows.tasks import do

    do(connection, tasks.task_of(connection, one))


def _for_iron(connection: sqlite3.Connection, one: Work) -> None:
    from yellowfen.workflows.iron_work import do

    do(connection, tasks.task_of(connection, one))


def _import(connection: sqlite3.Connection, one: Work) -> None:
    from yellowfen.workflows.boards import work_import

    work_import(connection, imports.get(connection, one.id))


def _reread(connection: sqlite3.Connection, one: Work) -> None:
    from yellowfen.workflows.boards import work_reread

    work_reread(connection, one)


def _keep_unread(connection: sqlite3.Connection, work_id: int) -> None:
    from yellowfen.workflows.boards import give_up_rereading

    give_up_rereading(connection, work_id)


def _stop(connection: sqlite3.Connection, work_id: int) -> None:
    """What is done stays to be seen."""
    work.set_state(connection, work_id, work.CANCELLED, "given up")


_SEARCH = WorkKind(
    duty=HEAT,
    do=_for_heat,
    given_up="it ended its worker three times and is given up; change a setting and ask again",
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
        do=_for_iron,
        given_up="it ended its worker three times and is given up; choose another tip or setting",
        cancel=_stop,
        short=True,
    ),
    imports.KIND: WorkKind(
        duty=IMPORTS,
        do=_import,
        given_up="reading it ended the reader three times, so it is given up; nothing was stored",
        cancel=imports.cancel,
    ),
    REREAD: WorkKind(
        duty=IMPORTS,
        do=_reread,
        given_up="reading it again ended the reader three times; it stays as it was",
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
    said = {name: kind.given_up for name, kind in kinds.items()}
    taken = work.take(connection, said, owner) if kinds else None
    if taken is not None:
        kinds[taken.kind].do(connection, taken)
    return taken is not None


def cancel(connection: sqlite3.Connection, work_id: int) -> None:
    """Give a piece of long work up. Raises NotFound for one that is not there."""
    KINDS[work.get(connection, work_id).kind].cancel(connection, work_id)
