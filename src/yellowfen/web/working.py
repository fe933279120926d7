"""What a page shows while the worker is at something: how far it is, and the answer once it is
there.
"""

import json
from typing import Any

from fastapi import Request
from fastapi.responses import HTMLResponse

from yellowfen.store import work
from yellowfen.store.tasks import JobTask
from yellowfen.web.pages import page
from yellowfen.workflows.iron_answers import answer_in
from yellowfen.workflows.long_work import IRON, ORDER
from yellowfen.workflows.tasks import order_seen


def told(request: Request, task: JobTask) -> dict[str, Any]:
    """How a task stands, for a script that waits for it; wakes the worker while it is open."""
    if task.state in work.OPEN:
        request.app.state.worker.wake()
    done, of = order_seen(task) if task.kind == ORDER else (0, 0)
    answer = answer_in(task) if task.kind == IRON else None
    return {
        "id": task.id,
        "state": task.state,
        "said": task.said,
        "done": done,
        "of": of,
        "answer": None if answer is None else json.loads(answer),
    }


def working_page(
    request: Request, context: dict[str, Any], task: JobTask, words: str
) -> HTMLResponse:
    """A stage's page while `task` is at what it shows; it loads itself again when that is done."""
    stands = told(request, task)
    return page(request, "working.html", {**context, "task": stands, "words": words})
