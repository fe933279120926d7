"""The worker process: takes open work one piece after the other, sleeps until it is woken, and ends
with its server.

Maps and searches of the Heat stage and large imports have a worker each, so that a long search
holds no import up. The server's end of a pipe is the bell: a byte wakes, its end ends the worker at
once.
"""

import os
import sys
import threading
from importlib import import_module
from pathlib import Path
from typing import BinaryIO
from uuid import uuid4

from yellowfen.compile_loops import LATER, warm_up
from yellowfen.store.kept import Kept
from yellowfen.workflows.long_work import HEAT, IMPORTS, LOADS, do_one
from yellowfen.workflows.opening import connect_existing


def main(data: Path, duty: str, bell: BinaryIO) -> None:
    """Work until the bell's other end is gone. Each piece has a connection of its own;
    what is worked out is kept for the next."""
    rung = threading.Event()
    rung.set()  # there may be work that another worker left behind
    threading.Thread(target=_listen, args=(bell, rung), daemon=True).start()
    owner = f"{os.getpid()} {uuid4().hex}"
    _warm_up(duty)
    kept = Kept()
    while True:
        rung.wait()
        rung.clear()
        while True:
            connection = connect_existing(data, kept)
            try:
                if not do_one(connection, duty, owner):
                    break
            finally:
                connection.close()


def _listen(bell: BinaryIO, rung: threading.Event) -> None:
    while bell.read(1):
        rung.set()
    os._exit(0)  # what was begun is stored in whole transactions or not at all


def _warm_up(duty: str) -> None:
    """Have what takes seconds ready before the first work waits for it: the reading process, or the
    heat model.
    """
    if duty == IMPORTS:
        import_module("yellowfen.workflows.reading").reader().warm()
    for name in LOADS[duty]:
        import_module(name)
    if duty == HEAT:
        import_module("yellowfen.core.heat.compile_kernel").warm_up()
        warm_up(LATER)


if __name__ == "__main__":
    main(Path(sys.argv[1]), sys.argv[2], sys.stdin.buffer)
