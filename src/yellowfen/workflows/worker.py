"""The worker process: takes open work one piece after the other, sleeps until it is woken, and ends
with its server.

Maps and searches of the Heat stage and large imports have a worker each, so that a long search holds
no import up. The server's end of a pipe is the bell: a byte wakes, its end ends the worker at once.
"""

import os
import sqlite3
import sys
import threading
from pathlib import Path
from typing import BinaryIO
from uuid import uuid4

from yellowfen.store import imports, tasks
from yellowfen.workflows.opening import connect_existing

HEAT, IMPORTS = "heat", "imports"


def main(data: Path, duty: str, bell: BinaryIO) -> None:
    """Work until the bell's other end is gone. Each piece has a connection of its own."""
    rung = threading.Event()
    rung.set()  # there may be work that another worker left behind
    threading.Thread(target=_listen, args=(bell, rung), daemon=True).start()
    owner = f"{os.getpid()} {uuid4().hex}"
    take = _take_import if duty == IMPORTS else _take_task
    if duty == IMPORTS:
        _warm_up()
    while True:
        rung.wait()
        rung.clear()
        while True:
            connection = connect_existing(data)
            try:
                if not take(connection, owner):
                    break
            finally:
                connection.close()


def _listen(bell: BinaryIO, rung: threading.Event) -> None:
    while bell.read(1):
        rung.set()
    os._exit(0)  # what was begun is stored in whole transactions or not at all


def _warm_up() -> None:
    """Have the reading process ready before the first board waits for it."""
    from yellowfen.workflows.reading import reader

    reader().warm()


def _take_task(connection: sqlite3.Connection, owner: str) -> bool:
    from yellowfen.workflows.tasks import work

    task = tasks.take(connection, owner)
    if task is not None:
        work(connection, task)
    return task is not None


def _take_import(connection: sqlite3.Connection, owner: str) -> bool:
    from yellowfen.workflows.boards import reread_one_stale, work_import

    one = imports.take(connection, owner)
    if one is None:
        return reread_one_stale(connection)
    work_import(connection, one)
    return True


if __name__ == "__main__":
    main(Path(sys.argv[1]), sys.argv[2], sys.stdin.buffer)
