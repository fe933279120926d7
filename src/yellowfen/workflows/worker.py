"""The worker process: takes open tasks one after the other. Ends when its server does."""

import os
import sys
import time
from pathlib import Path

from yellowfen.store import tasks
from yellowfen.workflows.opening import connect_existing
from yellowfen.workflows.tasks import work

IDLE_S = 0.1


def main(data: Path) -> None:
    """Work until the parent process is gone. Each task has a connection of its own."""
    parent = os.getppid()
    while os.getppid() == parent:
        connection = connect_existing(data)
        try:
            task = tasks.next_open(connection)
            if task is not None:
                work(connection, task)
                continue
        finally:
            connection.close()
        time.sleep(IDLE_S)


if __name__ == "__main__":
    main(Path(sys.argv[1]))
