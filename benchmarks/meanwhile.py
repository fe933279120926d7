"""What others wait for while crafted files hold the reader: pages and taps beside it, and the
server's memory.
"""

import http.client
import tempfile
import threading
import time
from pathlib import Path

import numpy as np
from tests.crafted import CRAFTED
from tests.crafted_families import members
from tests.live_server import LiveServer
from tests.soak import BOUNDARY, form

from yellowfen.workflows import demo
from yellowfen.workflows.opening import open_database

GOAL_P95_MS, GOAL_MB = 150.0, 600.0
HARD = ("copper as mask", "twenty large layers", "many repeats", "arcs", "macro of 500 circles")
PAGES = ("/bench", "/", "/boards", "/jobs/1/heat")


def _rss_mb(pid: int) -> float:
    text = Path(f"/proc/{pid}/status").read_text()
    return int(text.split("VmHWM:")[1].split()[0]) / 1000


def meanwhile() -> None:
    """Print how long pages take while one client sends crafted boards, and how the memory rose."""
    with tempfile.TemporaryDirectory() as folder:
        connection = open_database(Path(folder))
        demo.fill(connection)
        connection.close()
        server = LiveServer(Path(folder))
        server.start()
        assert server.process is not None
        for page in PAGES:  # once, as any bench has before
            _status(server.port, "GET", page)
        began_mb = _rss_mb(server.process.pid)
        sets = [(name, CRAFTED[name]()) for name in HARD] + list(members(2))
        answers: list[int] = []

        def send() -> None:
            kind = f"multipart/form-data; boundary={BOUNDARY}"
            for name, files in sets:
                answers.append(_status(server.port, "POST", "/boards", form(name, files), kind))

        sender = threading.Thread(target=send)
        sender.start()
        took = []
        while sender.is_alive():
            for page in PAGES:
                began = time.perf_counter()
                assert _status(server.port, "GET", page) == 200
                took.append(time.perf_counter() - began)
                time.sleep(0.05)
        risen = _rss_mb(server.process.pid) - began_mb
        server.stop()
    waits = np.array(took) * 1000
    print(
        f"{len(sets)} crafted sets sent ({sum(a >= 500 for a in answers)} answers of 500 and above); {len(took)} pages beside them:"
        f" median {np.median(waits):.0f} ms, 95th percentile {np.percentile(waits, 95):.0f} ms (goal {GOAL_P95_MS:.0f});"
        f" the server's memory rose by {risen:.0f} MB (goal {GOAL_MB:.0f})"
    )


def _status(port: int, method: str, path: str, body: bytes = b"", kind: str = "") -> int:
    connection = http.client.HTTPConnection("127.0.0.1", port, timeout=120)
    try:
        connection.request(method, path, body, {"content-type": kind} if kind else {})
        reply = connection.getresponse()
        reply.read()
        return reply.status
    finally:
        connection.close()
