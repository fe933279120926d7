"""Workers sleep until they are woken, end with their server, and a data folder has one server."""

import os
import signal
import subprocess
import sys
import threading
import time
import urllib.request
from contextlib import suppress
from pathlib import Path

import pytest
from fastapi.testclient import TestClient

from tests.crafted import CRAFTED
from tests.live_server import LiveServer
from tests.processes import alive, children, cpu_s
from tests.waiting import AT_MOST_S, until
from yellowfen.errors import Refused
from yellowfen.store import imports, work
from yellowfen.web.app import create_app
from yellowfen.web.serving import _hold
from yellowfen.web.worker_process import WorkerProcess
from yellowfen.workflows import demo
from yellowfen.workflows.long_work import HEAT, IMPORTS, WINDOW, kinds_of
from yellowfen.workflows.opening import connect_existing, open_database


def gone(pid: int) -> bool:
    return until(lambda: not alive(pid), f"process {pid} ends")


def test_idle_workers_use_next_to_nothing(tmp_path: Path) -> None:
    """At most 0.3 % of a thread each, once it is warm; waking it a few times more costs little."""
    open_database(tmp_path).close()
    workers = [WorkerProcess(tmp_path, duty) for duty in (HEAT, IMPORTS)]

    def used_s() -> list[float]:
        assert all(worker.pid is not None for worker in workers)
        return [cpu_s(worker.pid) for worker in workers if worker.pid is not None]

    for worker in workers:
        worker.wake()
    seen = [used_s()]
    until(lambda: seen.append(used_s()) or seen[-1] == seen[-2] > [0.5, 0.2], "warm", 2.0)
    before = used_s()
    time.sleep(4.0)
    after = used_s()
    for worker in workers:
        worker.stop()
    for began, ended in zip(before, after, strict=True):
        assert ended - began <= max(0.003 * 4.0, 0.011)  # one tick of the clock


def test_workers_of_a_killed_server_end_with_it(tmp_path: Path) -> None:
    """The parent dies without a word, while the worker sleeps or is stopped and goes on later."""
    open_database(tmp_path).close()
    script = (
        "import sys, time; from pathlib import Path; from yellowfen.web.worker_process import WorkerProcess;"
        f"w = [WorkerProcess(Path({str(tmp_path)!r}), duty) for duty in ('heat', 'imports')];"
        "[one.wake() for one in w]; print(*[one.pid for one in w], flush=True); time.sleep(60)"
    )
    server = subprocess.Popen([sys.executable, "-c", script], stdout=subprocess.PIPE, text=True)
    assert server.stdout is not None
    sleeping, stopped = (int(pid) for pid in server.stdout.readline().split())
    os.kill(stopped, signal.SIGSTOP)
    server.kill()
    server.wait()
    assert gone(sleeping)
    os.kill(stopped, signal.SIGCONT)
    assert gone(stopped)
    server.stdout.close()


def test_a_second_server_on_the_same_folder_is_told(tmp_path: Path) -> None:
    first = LiveServer(tmp_path)
    first.start()
    with pytest.raises(Refused, match="another Yellowfen serves"):
        _hold(tmp_path)
    first.kill()
    _hold(tmp_path).close()


def test_long_work_is_listed_and_can_be_given_up(client: TestClient) -> None:
    connection = connect_existing(client.app.state.data)
    waiting = work.add(connection, "window", job_id=1)
    failed = work.add(connection, "settings", job_id=1)
    reading = imports.add(connection, "Large one", 1.6, None, {"a": b"x"})
    work.set_state(connection, failed, "failed", "it went wrong")
    page = client.get("/today").text
    for said in ("window of", "it went wrong", "reading Large one"):
        assert said in page
    client.post("/today/cancel", data={"work": str(waiting)})
    client.post("/today/cancel", data={"work": str(reading)})
    assert work.state_of(connection, waiting) == "cancelled"
    assert imports.get(connection, reading).state == "cancelled"
    page = client.get("/today").text
    assert "window of" not in page
    assert "reading Large one" not in page
    assert client.post("/today/cancel", data={"work": "999"}).status_code == 404
    connection.close()


def test_the_readers_of_a_killed_server_end_with_it(tmp_path: Path) -> None:
    """Also in the middle of a file that takes them their ten seconds."""
    open_database(tmp_path).close()
    server = LiveServer(tmp_path)
    server.start()
    assert server.process is not None
    body, kind = form_of(CRAFTED["twenty large layers"]())
    request = urllib.request.Request(
        f"{server.url}/boards", data=body, headers={"content-type": kind}
    )
    held = threading.Thread(target=lambda: suppressed(request), daemon=True)
    held.start()
    process = server.process
    until(lambda: len(children(process.pid)) >= 2, "the reading process and the child at its file")
    readers = children(process.pid)
    server.kill()
    process.wait()
    assert all(gone(pid) for pid in readers)


def suppressed(request: urllib.request.Request) -> None:
    with suppress(OSError), urllib.request.urlopen(request, timeout=AT_MOST_S) as reply:
        reply.read()


def form_of(files: dict[str, bytes]) -> tuple[bytes, str]:
    """Files as a multipart form, and its content type."""
    parts = b"".join(
        b'--x\r\ncontent-disposition: form-data; name="files"; filename="'
        + name.encode()
        + b'"\r\n\r\n'
        + data
        + b"\r\n"
        for name, data in files.items()
    )
    return parts + b"--x--\r\n", "multipart/form-data; boundary=x"


def test_work_that_a_killed_server_left_goes_on_by_itself(tmp_path: Path) -> None:
    """Nobody looks at its page: the next server takes it up as it starts."""
    connection = open_database(tmp_path)
    demo.fill(connection)
    search = work.add(connection, "window", job_id=1)
    reading = imports.add(connection, "Left behind", 1.6, None, demo.demo_files())
    work.take(connection, {imports.KIND: ""}, "a worker that is no more")
    app = create_app(tmp_path)
    with TestClient(app, base_url="http://127.0.0.1"):
        until(lambda: not work.left_open(connection, kinds_of(IMPORTS)), "the board is read", 0.1)
        until(lambda: not work.left_open(connection, [WINDOW]), "the search ends", 0.1)
    assert imports.get(connection, reading).state == "done"
    assert work.get(connection, search).state in ("done", "failed")  # it was asked for nothing
    connection.close()
