"""What the server confirmed survives SIGKILL at random moments during tapping, 50 times."""

import http.client
import json
import random
import threading
import time
import urllib.request
from pathlib import Path

import pytest

from tests.live_server import LiveServer
from yellowfen.store import bench_runs as stored
from yellowfen.store import jobs
from yellowfen.workflows import bench_runs, demo
from yellowfen.workflows.opening import open_database

KILLS = 50


def tap(url: str, run_id: int, key: str, at_ms: int) -> bool:
    """Send one tap; True when the server confirmed it.

    A reply cut off by the kill confirms nothing.
    """
    body = json.dumps({"key": key, "cue": "U4", "word": "dropped", "at_ms": at_ms}).encode()
    request = urllib.request.Request(
        f"{url}/api/runs/{run_id}/taps", body, {"content-type": "application/json"}
    )
    try:
        with urllib.request.urlopen(request, timeout=5) as reply:
            return reply.status == 200 and key in reply.read().decode()
    except (OSError, http.client.HTTPException, ValueError):
        return False


@pytest.mark.slow
def test_confirmed_taps_survive_fifty_kills(tmp_path: Path) -> None:
    connection = open_database(tmp_path)
    demo.fill(connection)
    run_id = bench_runs.start_placing(connection, jobs.rows(connection)[0].id, "top")
    chance = random.Random(7)
    confirmed: list[str] = []
    server = LiveServer(tmp_path)
    for kill in range(KILLS):
        server.start()
        killer = threading.Timer(chance.uniform(0.0, 0.25), server.kill)
        killer.start()
        for number in range(10_000):
            key = f"{kill}-{number}"
            if not tap(server.url, run_id, key, 2_000 + 10 * kill):
                break
            confirmed.append(key)
        killer.join()
        time.sleep(0.01)
    kept = {one.key for one in stored.get(connection, run_id).taps}
    connection.close()
    assert len(confirmed) >= 20
    assert set(confirmed) <= kept
