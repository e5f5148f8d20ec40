"""Who may talk to a bench: windows on this machine that were given its address, and no other page."""

from __future__ import annotations

import secrets
from typing import TYPE_CHECKING

from starlette.responses import PlainTextResponse

if TYPE_CHECKING:
    from starlette.types import ASGIApp, Message, Receive, Scope, Send

HEADERS = {
    "cache-control": "no-store",
    "cross-origin-opener-policy": "same-origin",
    "cross-origin-resource-policy": "same-origin",
    "referrer-policy": "no-referrer",
    "x-content-type-options": "nosniff",
    "x-frame-options": "DENY",
}


def hosts_of(port: int) -> tuple[str, ...]:
    """Return the Host headers under which this machine itself is meant."""
    return f"127.0.0.1:{port}", f"localhost:{port}"


class Guard:
    """Turns away other hosts, pages of other origins, and whoever does not know the token in the address.

    A name that resolves to this machine passes no check of addresses, so the Host header is compared as a whole; a
    page elsewhere that sends a form or a script here is told by its Origin.

    Args:
        app: what is guarded; its routes begin with the token.
        token: the first part of every path.
        port: where it is served.
    """

    def __init__(self, app: ASGIApp, token: str, port: int) -> None:
        self._app, self._token, self._hosts = app, token, hosts_of(port)

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        """Answer a request, or turn it away."""
        if scope["type"] != "http":
            await (self._app(scope, receive, send) if scope["type"] == "lifespan" else _refused(scope, receive, send))
            return
        headers = {name.decode("latin-1").lower(): value.decode("latin-1") for name, value in scope["headers"]}
        if why := self._why_not(scope["method"], scope["path"], headers):
            await PlainTextResponse(f"refused: {why}\n", 403, HEADERS)(scope, receive, send)
            return

        async def with_headers(message: Message) -> None:
            if message["type"] == "http.response.start":
                own = [(name.encode(), value.encode()) for name, value in HEADERS.items()]
                message = {**message, "headers": [*message["headers"], *own]}
            await send(message)

        await self._app(scope, receive, with_headers)

    def _why_not(self, method: str, path: str, headers: dict[str, str]) -> str:
        host, origin = headers.get("host", ""), headers.get("origin")
        if host not in self._hosts:
            return "another host"
        if origin is not None and origin not in [f"http://{one}" for one in self._hosts]:
            return "a page of another origin"
        if headers.get("sec-fetch-site", "none") not in ("same-origin", "none"):
            return "a page of another site"
        if method != "GET" and (origin is None or headers.get("content-type") != "application/json"):
            return "no page of this server"
        first = path.split("/")[1] if path.count("/") > 1 else ""
        return "" if secrets.compare_digest(first.encode(), self._token.encode()) else "the address lacks its token"


async def _refused(scope: Scope, receive: Receive, send: Send) -> None:
    """Turn away what is neither a request nor the server's own start and end."""
    if scope["type"] == "websocket":
        await send({"type": "websocket.close", "code": 1008})
