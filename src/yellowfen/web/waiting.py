"""Whether somebody still waits for an answer that takes seconds: a page that was left does not."""

from collections.abc import Callable
from typing import Annotated

from anyio import from_thread
from fastapi import Depends
from starlette.requests import Request


def _waited_for(request: Request) -> Callable[[], bool]:
    """To be called by a route that works in a thread."""
    return lambda: not from_thread.run(request.is_disconnected)


WaitedFor = Annotated[Callable[[], bool], Depends(_waited_for)]
