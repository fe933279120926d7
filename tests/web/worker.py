"""The worker's part, done in the test's own process."""

import re
from importlib import import_module
from typing import Any

from fastapi.testclient import TestClient

from yellowfen.workflows.long_work import HEAT, LOADS, do_one
from yellowfen.workflows.opening import connect_existing

for _name in LOADS[HEAT]:
    import_module(_name)  # as the worker of this duty does


def asleep(client: TestClient) -> None:
    """No worker beside the server: what is asked waits."""
    client.app.state.worker.wake = lambda: None  # type: ignore[attr-defined]


def worked_out(client: TestClient, task_id: int) -> dict[str, Any]:
    """All that waits is done; how a task stands then."""
    connection = connect_existing(client.app.state.data)  # type: ignore[attr-defined]
    while do_one(connection, HEAT, "me"):
        pass
    connection.close()
    told: dict[str, Any] = client.get(f"/api/tasks/{task_id}/progress").json()
    return told


def page_of(client: TestClient, path: str) -> str:
    """A page, once what it waits for is worked out."""
    asleep(client)
    page = client.get(path).text
    task = re.search(r'data-working="(\d+)"', page)
    if task is None:
        return page
    worked_out(client, int(task[1]))
    page = client.get(path).text
    assert "data-working" not in page
    return page
