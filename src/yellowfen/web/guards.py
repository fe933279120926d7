"""The server's own safety: loopback host names only, no foreign origin, bounded bodies, strict
policy headers.
"""

import asyncio
from urllib.parse import urlsplit

from starlette.requests import Request
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from yellowfen.web.errors import unforeseen

LARGEST_BODY = 70_000_000
BODY_STALLS_S = 20.0
_HOSTS = {"127.0.0.1", "localhost", "::1"}
POLICY = "default-src 'self'; img-src 'self' data:; object-src 'none'; base-uri 'none'; form-action 'self'; frame-ancestors 'none'"
_HEADERS = (
    (b"content-security-policy", POLICY.encode()),
    (b"x-content-type-options", b"nosniff"),
    (b"referrer-policy", b"same-origin"),
    (b"cross-origin-opener-policy", b"same-origin"),
    (b"cross-origin-resource-policy", b"same-origin"),
)


class Guards:
    """ASGI middleware that refuses what a loopback application never needs to see."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        headers = {
            key.decode("latin-1").lower(): value.decode("latin-1")
            for key, value in scope["headers"]
        }
        refusal = _refusal(scope["method"], headers)
        if refusal:
            await _refuse(send, *refusal)
            return

        begun = False

        async def guarded(message: Message) -> None:
            nonlocal begun
            if message["type"] == "http.response.start":
                begun = True
                message["headers"] = [*message["headers"], *_HEADERS]
            await send(message)

        try:
            await self.app(scope, _in_time(receive), guarded)
        except Exception as problem:
            if begun:
                raise
            answer = unforeseen(Request(scope), problem)
            await answer(scope, receive, guarded)


def _in_time(receive: Receive) -> Receive:
    """What is sent must keep coming: a body that stalls is given up."""
    whole = False

    async def timed() -> Message:
        nonlocal whole
        if whole:  # now only the end of the connection is waited for
            return await receive()
        try:
            message = await asyncio.wait_for(receive(), BODY_STALLS_S)
        except TimeoutError:
            return {"type": "http.disconnect"}
        whole = message["type"] != "http.request" or not message.get("more_body", False)
        return message

    return timed


def _host_of(value: str) -> str:
    try:
        return urlsplit(f"//{value}").hostname or ""
    except ValueError:
        return ""


def _refusal(method: str, headers: dict[str, str]) -> tuple[int, str] | None:
    if _host_of(headers.get("host", "")) not in _HOSTS:
        return 421, "This server answers on loopback only."
    if method in ("GET", "HEAD"):
        foreign = headers.get("sec-fetch-site") == "cross-site"
        if foreign and headers.get("sec-fetch-mode", "navigate") != "navigate":
            return 403, "Requests from other pages are refused."
        return None
    origin = headers.get("origin")
    if origin is not None and origin != f"http://{headers.get('host', '')}":
        return 403, "Requests from other pages are refused."
    if headers.get("sec-fetch-site", "same-origin") not in ("same-origin", "none"):
        return 403, "Requests from other pages are refused."
    length = headers.get("content-length", "0")
    if "transfer-encoding" in headers or not (length.isascii() and length.isdigit()):
        return 411, "State the length of what you send."
    if int(length) > LARGEST_BODY:
        return (
            413,
            f"More than {LARGEST_BODY // 1_000_000} MB at once; leave out what is not the board.",
        )
    return None


async def _refuse(send: Send, status: int, sentence: str) -> None:
    body = sentence.encode()
    headers = [
        (b"content-type", b"text/plain; charset=utf-8"),
        (b"content-length", str(len(body)).encode()),
        *_HEADERS,
    ]
    await send({"type": "http.response.start", "status": status, "headers": headers})
    await send({"type": "http.response.body", "body": body})
