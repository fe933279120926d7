"""The worker process: takes open work one piece after the other, sleeps until it is woken, and ends
with its server.

Maps and searches of the Heat stage and large imports have a worker each, so that a long search holds
no import up. The server's end of a pipe is the bell: a byte wakes, its end ends the worker at once.
"""

import os
import sys
import threading
from pathlib import Path
from typing import BinaryIO
from uuid import uuid4

from yellowfen.workflows.long_work import IMPORTS, do_one
from yellowfen.workflows.opening import connect_existing


def main(data: Path, duty: str, bell: BinaryIO) -> None:
    """Work until the bell's other end is gone. Each piece has a connection of its own."""
    rung = threading.Event()
    rung.set()  # there may be work that another worker left behind
    threading.Thread(target=_listen, args=(bell, rung), daemon=True).start()
    owner = f"{os.getpid()} {uuid4().hex}"
    if duty == IMPORTS:
        _warm_up()
    while True:
        rung.wait()
        rung.clear()
        while True:
            connection = connect_existing(data)
            try:
                if not do_one(connection, duty, owner):
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


if __name__ == "__main__":
    main(Path(sys.argv[1]), sys.argv[2], sys.stdin.buffer)
