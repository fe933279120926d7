"""Routes that come a moment later: what most pages need takes a second to load, the first page does
not wait for it.
"""

import asyncio
import re
from collections.abc import Awaitable, Callable

from starlette.concurrency import run_in_threadpool
from starlette.types import ASGIApp, Receive, Scope, Send

_AT_ONCE = re.compile(r"/|/favicon\.ico|/static/.*|/jobs/\d+/board\.svg")


class Late:
    """Loads once, by `load` in a thread and `add` in the server's own."""

    def __init__(self, load: Callable[[], object], add: Callable[[], None]) -> None:
        self._load = load
        self._add = add
        self._done = False
        self._lock: asyncio.Lock | None = None

    async def there(self) -> None:
        """Wait until all routes are there."""
        if self._done:
            return
        self._lock = self._lock or asyncio.Lock()
        async with self._lock:
            if not self._done:
                await run_in_threadpool(self._load)
                self._add()
                self._done = True


class LateRoutes:
    """ASGI middleware: a request waits until its route can be there."""

    def __init__(self, app: ASGIApp, there: Callable[[], Awaitable[None]]) -> None:
        self.app = app
        self._there = there

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] == "http" and not _AT_ONCE.fullmatch(scope["path"]):
            await self._there()
        await self.app(scope, receive, send)
