"""What a bench answers: its page, what is shown, previews, values to try or keep, a search, and the report."""

from __future__ import annotations

import json
import math
from collections.abc import AsyncIterator, Callable
from contextlib import AbstractAsyncContextManager
from typing import TYPE_CHECKING, Any

from starlette.applications import Starlette
from starlette.middleware import Middleware
from starlette.requests import ClientDisconnect
from starlette.responses import HTMLResponse, JSONResponse, PlainTextResponse, Response, StreamingResponse
from starlette.routing import Mount, Route

from ramulus.errors import RamulusError
from ramulus.page.bench.guard import Guard
from ramulus.page.html import bench_page_of, content_of, drawing_of, live_page_of

if TYPE_CHECKING:
    from starlette.requests import Request

    from ramulus.page.bench.session import Session

LARGEST_BODY = 100_000
LONGEST_NUMBER = 18  # Digits of a version; Python reads no whole number of thousands.
DEEPEST = 3  # A cost table, its list of points, a point.
ALLOWED = "allowed: a JSON object of values by place: finite numbers, lists of them, or a cost table"


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
    asked, done, report = _Asked(session), _Done(session), _Report(session)
    routes = [
        Route("/", asked.page),
        Route("/shown", asked.shown),
        Route("/game.mjs", asked.game),
        Route("/events", asked.events),
        Route("/preview", asked.preview, methods=["POST"]),
        Route("/points", asked.points, methods=["POST"]),
        Route("/try", done.try_values, methods=["POST"]),
        Route("/keep", done.keep, methods=["POST"]),
        Route("/variant", done.variant, methods=["POST"]),
        Route("/tune", done.tune, methods=["POST"]),
        Route("/tune/stop", done.stop_tuning, methods=["POST"]),
        Route("/report", report.page),
        Route("/content", report.content),
        Route("/figure/{name:path}", report.figure),
    ]
    return Starlette(
        routes=[Mount(f"/{token}", routes=routes)], lifespan=lifespan,
        middleware=[Middleware(Guard, token=token, port=port)], exception_handlers={RamulusError: _fault},
    )  # fmt: skip


class _Asked:
    """What only tells, a method a route."""

    def __init__(self, session: Session) -> None:
        self._session = session

    async def page(self, _: Request) -> Response:
        return HTMLResponse(bench_page_of(self._session.shown.title, self._session.file.name))

    async def shown(self, _: Request) -> Response:
        return JSONResponse(await self._session.told())

    async def game(self, _: Request) -> Response:
        return Response(await self._session.game(), media_type="text/javascript")

    async def events(self, _: Request) -> Response:
        async def lines() -> AsyncIterator[str]:
            async for state in self._session.states():
                yield f"data: {json.dumps(state)}\n\n"

        return StreamingResponse(lines(), media_type="text/event-stream")

    async def preview(self, request: Request) -> Response:
        asked = await _asked(request, "tab")
        if asked is None:
            return _refused()
        return JSONResponse(await self._session.preview(asked["values"], asked["tab"]))

    async def points(self, request: Request) -> Response:
        asked = await _asked(request, "track")
        if asked is None:
            return _refused()
        return JSONResponse(await self._session.points(asked["values"], asked["track"]))


class _Done:
    """What changes something, a method a route."""

    def __init__(self, session: Session) -> None:
        self._session = session

    async def try_values(self, request: Request) -> Response:
        values = _values(_json(await _body(request)))
        if values is None:
            return _refused()
        await self._session.try_values(values)
        return _done()

    async def keep(self, _: Request) -> Response:
        await self._session.keep()
        return _done()

    async def variant(self, request: Request) -> Response:
        asked = _json(await _body(request))
        if not isinstance(asked, dict) or not isinstance(asked.get("name"), str):
            return PlainTextResponse("allowed: a JSON object with the variant's name\n", 400)
        await self._session.keep_as_variant(asked["name"])
        return _done()

    async def tune(self, request: Request) -> Response:
        asked = _json(await _body(request))
        names = asked.get("names") if isinstance(asked, dict) else None
        if not isinstance(names, list) or not names or not all(isinstance(name, str) for name in names):
            return PlainTextResponse("allowed: a JSON object with the names of numbers\n", 400)
        await self._session.tune(names)
        return _done()

    async def stop_tuning(self, _: Request) -> Response:
        self._session.stop_tuning()
        return _done()


class _Report:
    """The whole report of what is shown, whose figures are drawn when they are looked at."""

    def __init__(self, session: Session) -> None:
        self._session = session

    async def page(self, _: Request) -> Response:
        text, _number = await self._session.report(lambda one: live_page_of(one.title, one.sections, one.number))
        return HTMLResponse(text)

    async def content(self, _: Request) -> Response:
        text, number = await self._session.report(lambda one: content_of(one.sections))
        return HTMLResponse(text, headers={"x-version": str(number)})

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


async def _fault(_: Request, error: Exception) -> Response:
    """Return what a design, a value or a file is refused for."""
    return PlainTextResponse(f"{error}\n", 409)


def _done() -> Response:
    return Response(status_code=204)


def _refused() -> Response:
    return PlainTextResponse(f"{ALLOWED}\n", 400)


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


def _json(body: bytes) -> Any:
    try:
        return json.loads(body)
    except (ValueError, RecursionError):  # The latter: brackets within brackets without end.
        return None


async def _asked(request: Request, key: str) -> dict[str, Any] | None:
    """Return values by place and a word under a key, or None where the text is something else."""
    asked = _json(await _body(request))
    if not isinstance(asked, dict) or not isinstance(asked.get(key), str):
        return None
    values = _values(asked.get("values"))
    return None if values is None else {"values": values, key: asked[key]}


def _values(asked: Any) -> dict[str, Any] | None:
    """Return values by place, or None where they are something else."""
    if not isinstance(asked, dict) or not all(_is_value(value, DEEPEST) for value in asked.values()):
        return None
    return asked


def _is_value(value: Any, depth: int, *, words: bool = False) -> bool:
    """Return whether something is a finite number, a list of such, or a cost table: numbers, lists and words by key."""
    if isinstance(value, bool) or value is None:
        return False
    if isinstance(value, int | float):
        try:
            return math.isfinite(value)
        except OverflowError:  # A whole number that no float holds.
            return False
    if isinstance(value, list):
        return depth > 0 and all(_is_value(part, depth - 1) for part in value)
    if isinstance(value, dict):
        return depth == DEEPEST and all(_is_value(part, depth - 1, words=True) for part in value.values())
    return words and isinstance(value, str)
