"""Files made to hold a reader: each ends in a board or a sentence, nothing is stored of a refused
one, and the server answers meanwhile.
"""

import os
import signal
import threading
import time

import pytest
from benchmarks.board_case import large_board
from fastapi.testclient import TestClient

from tests.crafted import CRAFTED, crossed
from tests.processes import children, spent_s
from yellowfen.workflows import reading
from yellowfen.workflows.reading import reader

SLOW = {"many repeats", "twenty large layers", "arcs", "copper as mask"}  # in `make fuzz`


@pytest.mark.parametrize("name", [one for one in CRAFTED if one not in SLOW])
def test_a_crafted_file_ends_in_a_board_or_a_sentence(client: TestClient, name: str) -> None:
    files = [("files", pair) for pair in CRAFTED[name]().items()]
    began = spent_s()
    reply = client.post("/boards", files=files)
    assert spent_s() - began < 13
    if reply.status_code >= 400:
        assert reply.status_code in (413, 422)
        assert 'class="problem"' in reply.text
        assert client.get("/boards/2").status_code == 404
    else:
        assert client.get(reply.url.path).status_code == 200


def test_the_server_answers_while_a_file_holds_the_reader(
    client: TestClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    """A board that would take a minute to read is ended by the clock after its seconds, here three."""
    assert reading.seconds_for({"a": b"x"}) == 10
    monkeypatch.setattr(reading, "SMALL_SECONDS", 3)
    files = [("files", pair) for pair in crossed(1000).items()]
    replies: list[tuple[int, float]] = []

    def send() -> None:
        began = time.perf_counter()
        reply = client.post("/boards", files=files)
        replies.append((reply.status_code, time.perf_counter() - began))

    held = threading.Thread(target=send)
    held.start()
    time.sleep(1.0)
    took = []
    while held.is_alive() and len(took) < 40:
        began = time.perf_counter()
        assert client.get("/bench").status_code == 200
        took.append(time.perf_counter() - began)
        time.sleep(0.02)
    held.join(120)
    assert sorted(took)[len(took) // 2] < 0.5
    [(status, seconds)] = replies
    assert status == 422
    assert 2 <= seconds < 30  # three seconds of the processor, and others work beside it
    assert client.post("/boards", files=[("files", ("a.txt", b"x"))]).status_code == 422


def test_a_reading_that_is_ended_from_outside_is_begun_again(client: TestClient) -> None:
    """Two sets that no other test sends, for the answers to those are remembered (`reading_on`)."""

    def sent(word: bytes) -> int:
        files = {**CRAFTED["long number"](), "why.txt": word}
        return client.post("/boards", files=[("files", pair) for pair in files.items()]).status_code

    assert sent(b"before") == 200
    before = reader().pid
    assert before is not None
    os.killpg(before, signal.SIGKILL)
    assert sent(b"after") == 200
    assert reader().pid not in (None, before)


def test_a_reading_whose_own_process_is_ended_from_outside_is_begun_again(
    client: TestClient,
) -> None:
    """The reader forks for each order; the fork alone is killed, as the system's lack of memory
    does.
    """
    client.post("/boards", files=[("files", ("a.txt", b"x"))])  # the reader is up
    files = [("files", pair) for pair in large_board(4000, 2, 300, 50, 20).items()]
    replies: list[int] = []
    sending = threading.Thread(
        target=lambda: replies.append(client.post("/boards", files=files).status_code)
    )
    sending.start()
    end = time.monotonic() + 30
    while not (forked := children(reader().pid or 0)) and time.monotonic() < end:
        time.sleep(0.002)
    os.kill(forked[0], signal.SIGKILL)
    sending.join()
    assert replies == [200]
