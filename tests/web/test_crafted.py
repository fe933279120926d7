"""Files made to hold a reader: each ends in a board or a sentence, nothing is stored of a refused
one, and the server answers meanwhile.
"""

import os
import signal
import threading
import time
from contextlib import suppress

import pytest
from benchmarks.board_case import large_board
from fastapi.testclient import TestClient

from tests.crafted import CRAFTED, crossed
from tests.processes import alive, children, cpu_s, spent_s
from tests.waiting import until
from yellowfen.workflows import reading
from yellowfen.workflows.reading import reader

SLOW = {"many repeats", "twenty large layers", "arcs", "copper as mask"}  # in `make fuzz`


@pytest.mark.parametrize("name", [one for one in CRAFTED if one not in SLOW])
def test_a_crafted_file_ends_in_a_board_or_a_sentence(client: TestClient, name: str) -> None:
    files = [("files", pair) for pair in CRAFTED[name]().items()]
    began = spent_s()
    reply = client.post("/boards", files=files)
    assert spent_s() - began < 20  # ten of them the reader's
    if reply.status_code >= 400:
        assert reply.status_code in (413, 422)
        assert 'class="problem"' in reply.text
        assert client.get("/boards/2").status_code == 404
    else:
        assert client.get(reply.url.path).status_code == 200


def test_the_server_answers_while_a_file_holds_the_reader(
    client: TestClient, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The reader's child is stopped at its file: pages come all the same. Let go, it is ended by
    its seconds of the processor, here three of the minute that it would take.
    """
    assert reading.seconds_for({"a": b"x"}) == 10
    monkeypatch.setattr(reading, "SMALL_SECONDS", 3)
    client.post("/boards", files=[("files", ("a.txt", b"y"))])  # the reader is up
    files = [("files", pair) for pair in crossed(1000).items()]
    replies: list[int] = []
    sent = threading.Thread(
        target=lambda: replies.append(client.post("/boards", files=files).status_code)
    )
    sent.start()
    [child] = until(lambda: children(reader().pid or 0), "the reader is at its file")
    os.kill(child, signal.SIGSTOP)
    began = cpu_s(child)
    assert [client.get("/bench").status_code for _ in range(10)] == [200] * 10
    assert replies == []
    os.kill(child, signal.SIGCONT)
    spent = [began]
    while alive(child):
        with suppress(OSError, IndexError):
            spent.append(cpu_s(child))
        time.sleep(0.01)
    sent.join()
    assert replies == [422]
    assert max(spent) - began <= 4.5
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
    forked = until(lambda: children(reader().pid or 0), "the reader forks", 0.002)
    os.kill(forked[0], signal.SIGKILL)
    sending.join()
    assert replies == [200]
