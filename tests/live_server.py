"""A real server process on a free port; ends only the process it started."""

import os
import signal
import socket
import subprocess
import sys
import time
import urllib.request
from pathlib import Path

AT_MOST_S = 600.0  # only to end what would hang for ever


def free_port() -> int:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        return int(probe.getsockname()[1])


class LiveServer:
    """`yellowfen serve` on a data folder."""

    def __init__(self, data: Path) -> None:
        self.data = data
        self.port = free_port()
        self.process: subprocess.Popen[bytes] | None = None

    @property
    def url(self) -> str:
        return f"http://127.0.0.1:{self.port}"

    def start(self) -> float:
        """Start and wait for the first page, then for one of those that come behind it; returns the
        seconds the first one took.
        """
        began = time.perf_counter()
        command = [
            sys.executable,
            "-m",
            "yellowfen.cli",
            "serve",
            "--data",
            str(self.data),
            "--port",
            str(self.port),
        ]
        self.process = subprocess.Popen(
            command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL, env=dict(os.environ)
        )
        while time.perf_counter() - began < AT_MOST_S:
            try:
                self._read("/")
                took = time.perf_counter() - began
                self._read("/reference")
                return took
            except OSError:
                if self.process.poll() is not None:
                    raise RuntimeError("the server ended by itself") from None
                time.sleep(0.02)
        raise RuntimeError("the server did not answer")

    def _read(self, path: str) -> None:
        with urllib.request.urlopen(self.url + path, timeout=AT_MOST_S) as page:
            page.read()

    def kill(self) -> None:
        assert self.process is not None
        self.process.send_signal(signal.SIGKILL)
        self.process.wait()

    def stop(self) -> None:
        if self.process is not None and self.process.poll() is None:
            self.process.terminate()
            self.process.wait(AT_MOST_S)
