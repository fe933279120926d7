"""Many clients at once on one server: half of them tap in runs of their own, half look at pages."""

import http.client
import json
import tempfile
import threading
import time
from pathlib import Path

import numpy as np
from tests.live_server import LiveServer

from yellowfen.workflows import bench_runs, demo
from yellowfen.workflows.opening import open_database

CLIENTS, SECONDS = 60, 60.0
GOAL_P50_MS, GOAL_P99_MS = 60.0, 1000.0
PAGES = ("/", "/boards", "/bench", "/jobs/1/ready", "/jobs/1/paste", "/boards/1")


class _Client(threading.Thread):
    """One client; a tapping one answers and takes back the cues of its own run over and over."""

    def __init__(self, port: int, run: int | None, until: float, number: int) -> None:
        super().__init__(daemon=True)
        self.port, self.run_id, self.until, self.number = port, run, until, number
        self.took: list[float] = []
        self.bad: list[str] = []

    def run(self) -> None:
        connection = http.client.HTTPConnection("127.0.0.1", self.port, timeout=30)
        count = 0
        while time.perf_counter() < self.until:
            count += 1
            began = time.perf_counter()
            try:
                status = (
                    self._tap(connection, count) if self.run_id else self._look(connection, count)
                )
            except OSError as problem:
                self.bad.append(repr(problem))
                connection = http.client.HTTPConnection("127.0.0.1", self.port, timeout=30)
                continue
            self.took.append(time.perf_counter() - began)
            if status >= 400:
                self.bad.append(str(status))
            time.sleep(1.0)

    def _tap(self, connection: http.client.HTTPConnection, count: int) -> int:
        where = f"/api/runs/{self.run_id}/taps"
        key = f"c{self.number}-{count // 2}"
        if count % 2:
            key = f"c{self.number}-{count // 2 + 1}"
            body = json.dumps(
                {"key": key, "cue": "0", "word": "done", "at_ms": int(time.time() * 1000)}
            )
            connection.request("POST", where, body, {"content-type": "application/json"})
        else:
            connection.request("DELETE", f"{where}/{key}")
        reply = connection.getresponse()
        reply.read()
        return reply.status

    def _look(self, connection: http.client.HTTPConnection, count: int) -> int:
        connection.request("GET", PAGES[(self.number + count) % len(PAGES)])
        reply = connection.getresponse()
        reply.read()
        return reply.status


def load(seconds: float = SECONDS) -> None:
    """Print how long taps and pages took, and how many went wrong."""
    with tempfile.TemporaryDirectory() as folder:
        connection = open_database(Path(folder))
        demo.fill(connection)
        runs = [bench_runs.start_dotting(connection, 1, "top") for _ in range(CLIENTS // 2)]
        connection.close()
        server = LiveServer(Path(folder))
        server.start()
        try:
            time.sleep(4)
            until = time.perf_counter() + seconds
            clients = [
                _Client(server.port, runs[n // 2] if n % 2 else None, until, n)
                for n in range(CLIENTS)
            ]
            for one in clients:
                one.start()
            for one in clients:
                one.join()
        finally:
            server.stop()
    for what, mine in (
        ("taps", [c for c in clients if c.run_id]),
        ("pages", [c for c in clients if not c.run_id]),
    ):
        took = np.array([one for client in mine for one in client.took]) * 1000
        bad = [one for client in mine for one in client.bad]
        print(
            f"{CLIENTS} clients, {seconds:.0f} s: {len(took)} {what}, median {np.median(took):.0f} ms, 99th percentile {np.percentile(took, 99):.0f} ms, longest {took.max():.0f} ms; {len(bad)} went wrong {bad[:4]}"
            + (
                f" (goals {GOAL_P50_MS:.0f} and {GOAL_P99_MS:.0f} ms, none wrong)"
                if what == "taps"
                else ""
            )
        )
