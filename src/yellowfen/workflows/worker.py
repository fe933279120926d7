"""The worker process: takes open work one piece after the other. Ends when its server does.

Maps and searches of the Heat stage and large imports have a worker each, so that a long search
holds no import up.
"""

import os
import sqlite3
import sys
import time
from pathlib import Path

from yellowfen.store import imports, tasks
from yellowfen.workflows.opening import connect_existing

IDLE_S = 0.05
HEAT, IMPORTS = "heat", "imports"


def main(data: Path, duty: str) -> None:
    """Work until the parent process is gone. Each piece has a connection of its own."""
    parent = os.getppid()
    take = _take_import if duty == IMPORTS else _take_task
    if duty == IMPORTS:
        _warm_up()
    while os.getppid() == parent:
        connection = connect_existing(data)
        try:
            if take(connection):
                continue
        finally:
            connection.close()
        time.sleep(IDLE_S)


def _warm_up() -> None:
    """Load the readers and the compiled loops before the first board waits for them."""
    from yellowfen.core.board.spans import load_loops
    from yellowfen.workflows import boards  # noqa: F401

    load_loops()


def _take_task(connection: sqlite3.Connection) -> bool:
    from yellowfen.workflows.tasks import work

    task = tasks.next_open(connection)
    if task is not None:
        work(connection, task)
    return task is not None


def _take_import(connection: sqlite3.Connection) -> bool:
    from yellowfen.workflows.boards import work_import

    one = imports.next_open(connection)
    if one is not None:
        work_import(connection, one)
    return one is not None


if __name__ == "__main__":
    main(Path(sys.argv[1]), sys.argv[2])
