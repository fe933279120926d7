"""The worker process beside the server: started when there is work or soon will be, woken by a
byte, started again when it died, ended with the server.
"""

import subprocess
import sys
import threading
from contextlib import suppress
from pathlib import Path


class WorkerProcess:
    """Owns one worker with one duty on a data folder."""

    def __init__(self, data: Path, duty: str) -> None:
        self._data = data
        self._duty = duty
        self._process: subprocess.Popen[bytes] | None = None
        self._lock = threading.Lock()

    def wake(self) -> None:
        """Make sure a worker runs and looks for work; it finds its work in the database."""
        with self._lock:
            if self._process is None or self._process.poll() is not None:
                self._hang_up()
                command = [
                    sys.executable,
                    "-m",
                    "yellowfen.workflows.worker",
                    str(self._data),
                    self._duty,
                ]
                self._process = subprocess.Popen(command, stdin=subprocess.PIPE, bufsize=0)
            if self._process.stdin is not None:
                with suppress(BrokenPipeError):  # it died this moment; the next call starts another
                    self._process.stdin.write(b"\n")

    @property
    def pid(self) -> int | None:
        """The worker's process id while it runs."""
        running = self._process is not None and self._process.poll() is None
        return self._process.pid if running and self._process else None

    def stop(self) -> None:
        """End the worker; what it was at goes on with the next one."""
        with self._lock:
            self._hang_up()
            if self._process is not None and self._process.poll() is None:
                self._process.terminate()
                self._process.wait(10)
            self._process = None

    def _hang_up(self) -> None:
        """Let go of the pipe to a worker; one that lives still ends by it."""
        if self._process is not None and self._process.stdin is not None:
            with suppress(BrokenPipeError):
                self._process.stdin.close()
