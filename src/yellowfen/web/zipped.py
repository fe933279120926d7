"""Answers are packed for browsers elsewhere; this machine's own gets a drawing's numbers as they
are, since packing 250 kB takes longer than handing them over.
"""

from starlette.middleware.gzip import GZipMiddleware
from starlette.types import Receive, Scope, Send

_HERE = ("127.0.0.1", "::1")


class Zipped(GZipMiddleware):
    """ASGI middleware: gzip for pages, and for numbers (`/api/`) that leave this machine."""

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        client = scope.get("client") or ("",)
        numbers = scope["type"] == "http" and scope["path"].startswith("/api/")
        if numbers and client[0] in _HERE:
            await self.app(scope, receive, send)
        else:
            await super().__call__(scope, receive, send)
