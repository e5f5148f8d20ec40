"""What a live page answers: the page, its figures, what changes, and values to try or keep."""

from __future__ import annotations

import json
import math
from collections.abc import AsyncIterator, Callable
from contextlib import AbstractAsyncContextManager
from typing import TYPE_CHECKING, Any

from starlette.applications import Starlette
from starlette.middleware import Middleware
from starlette.requests import ClientDisconnect
from starlette.responses import HTMLResponse, PlainTextResponse, Response, StreamingResponse
from starlette.routing import Mount, Route

from ramulus.errors import RamulusError
from ramulus.page.html import content_of, drawing_of, live_page_of
from ramulus.page.live.guard import Guard

if TYPE_CHECKING:
    from starlette.requests import Request

    from ramulus.page.live.session import Session

LARGEST_BODY = 100_000
LONGEST_NUMBER = 18  # Digits of a version; Python reads no whole number of thousands.


def app_of(
    session: Session, token: str, port: int, lifespan: Callable[[Starlette], AbstractAsyncContextManager[None]]
) -> Starlette:
    """Return the application.

    Args:
        session: what it shows.
        token: the first part of every path; whoever does not know it is turned away.
        port: where it is served.
        lifespan: what goes on while it is served.
    """
    answers = _Answers(session)
    routes = [
        Route("/", answers.page),
        Route("/content", answers.content),
        Route("/figure/{name:path}", answers.figure),
        Route("/events", answers.events),
        Route("/try", answers.try_values, methods=["POST"]),
        Route("/keep", answers.keep, methods=["POST"]),
    ]
    return Starlette(
        routes=[Mount(f"/{token}", routes=routes)], lifespan=lifespan,
        middleware=[Middleware(Guard, token=token, port=port)],
    )  # fmt: skip


class _Answers:
    """The answers to requests, a method a route."""

    def __init__(self, session: Session) -> None:
        self._session = session

    async def page(self, _: Request) -> Response:
        shown = self._session.shown
        return HTMLResponse(live_page_of(shown.title, shown.sections, shown.number))

    async def content(self, _: Request) -> Response:
        shown = self._session.shown
        return HTMLResponse(content_of(shown.sections), headers={"x-version": str(shown.number)})

    async def figure(self, request: Request) -> Response:
        version = request.query_params.get("version", "")
        if not version.isdecimal() or len(version) > LONGEST_NUMBER:
            return PlainTextResponse("version: a whole number\n", 400)
        name, number = request.path_params["name"], int(version)
        drawn = await self._session.figure(number, name, drawing_of)
        if drawn is not None:
            return HTMLResponse(drawn)
        # What has been replaced meanwhile is no mistake of who asks.
        stale = number != self._session.shown.number
        return Response(status_code=204) if stale else PlainTextResponse(f"no figure is called {name!r}\n", 404)

    async def events(self, _: Request) -> Response:
        async def lines() -> AsyncIterator[str]:
            async for state in self._session.states():
                yield f"data: {json.dumps(state)}\n\n"

        return StreamingResponse(lines(), media_type="text/event-stream")

    async def try_values(self, request: Request) -> Response:
        values = _numbers(await _body(request))
        if values is None:
            return PlainTextResponse("allowed: a JSON object of constants, finite numbers by name\n", 400)
        return await self._done(lambda: self._session.try_values(values))

    async def keep(self, _: Request) -> Response:
        return await self._done(self._session.keep)

    @staticmethod
    async def _done(work: Callable[[], Any]) -> Response:
        try:
            await work()
        except RamulusError as error:
            return PlainTextResponse(f"{error}\n", 409)
        return Response(status_code=204)


async def _body(request: Request) -> bytes:
    """Return a request's body; nothing where it is larger than any of ours, or who sends it goes away."""
    found = bytearray()
    try:
        async for part in request.stream():
            found += part
            if len(found) > LARGEST_BODY:
                return b""
    except ClientDisconnect:
        return b""
    return bytes(found)


def _numbers(body: bytes) -> dict[str, float] | None:
    """Return finite numbers by name, or None where the text is something else."""
    try:
        values = json.loads(body)
    except (ValueError, RecursionError):  # The latter: brackets within brackets without end.
        return None
    if not isinstance(values, dict):
        return None
    numbers = [isinstance(value, int | float) and not isinstance(value, bool) for value in values.values()]
    try:
        return values if all(numbers) and all(map(math.isfinite, values.values())) else None
    except OverflowError:  # A whole number that no float holds.
        return None
