"""The worker's part, done in the test's own process."""

from typing import Any

from fastapi.testclient import TestClient

from yellowfen.workflows.long_work import HEAT, do_one
from yellowfen.workflows.opening import connect_existing


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
