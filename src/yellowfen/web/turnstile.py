"""Who goes first: taps at the bench pass at once, pages wait for one another.

A page costs tens of milliseconds of the interpreter; dozens at once would make a tap wait for all
of them. So only a few pages are made at a time; taps, static files and what a page asks for go
beside.
"""

import asyncio

from starlette.types import ASGIApp, Message, Receive, Scope, Send

PAGES_AT_ONCE = 2
_BESIDE = ("/api/", "/static/", "/runs/")


class Turnstile:
    """ASGI middleware that makes a few pages at a time."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app
        self._rooms: asyncio.Semaphore | None = None

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http" or scope["method"] != "GET" or scope["path"].startswith(_BESIDE):
            await self.app(scope, receive, send)
            return
        if self._rooms is None:
            self._rooms = asyncio.Semaphore(PAGES_AT_ONCE)
        rooms, inside = self._rooms, True
        await rooms.acquire()

        async def made(message: Message) -> None:
            """Once a page is made the next one may be; how fast it is taken is no matter."""
            nonlocal inside
            if inside:
                inside = False
                rooms.release()
            await send(message)

        try:
            await self.app(scope, receive, made)
        finally:
            if inside:
                rooms.release()
