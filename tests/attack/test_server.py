"""Attacks on the bench's server: whatever is asked, it answers, and nobody without its address is told anything."""

from __future__ import annotations

import asyncio
import json
import random
from contextlib import asynccontextmanager

import pytest

from attack import mutation
from attack.budget import Budget
from ramulus.cli.closing import Closing
from ramulus.design import demo_text

pytest.importorskip("starlette")
from ramulus.page.bench import Session, Sizes
from ramulus.page.bench.app import app_of

TOKEN, PORT = "t0k3n", 4321
ROUTES = (
    "",
    "content",
    "figure/costs",
    "figure/pace",
    "try",
    "keep",
    "shown",
    "preview",
    "points",
    "variant",
    "tune",
    "tune/stop",
    "game.mjs",
    "report",
    "figure/",
    "nothing",
    "events/",
    "../",
    "%2e%2e/",
    "//",
)
OWN = {"host": f"127.0.0.1:{PORT}", "origin": f"http://127.0.0.1:{PORT}", "content-type": "application/json"}


@asynccontextmanager
async def _no_life(_):
    yield


@pytest.fixture(scope="module")
def served(tmp_path_factory):
    file = tmp_path_factory.mktemp("served") / "canopy.toml"
    file.write_text(demo_text(), encoding="utf-8")
    session = Session(file, lambda: Closing().load(file), Sizes(players=2, hours=1.0))
    session.start()
    yield app_of(session, TOKEN, PORT, _no_life), file
    session.close()


async def ask(app, method: str, path: str, query: str, headers: dict[str, str], parts: list[bytes | None]):
    """Status, headers and body that an ASGI app answers with; a part None is a client that goes away."""
    sent: list[dict] = []
    feed = [
        {"type": "http.disconnect"} if part is None else {"type": "http.request", "body": part, "more_body": True}
        for part in parts
    ]
    feed.append({"type": "http.request", "body": b"", "more_body": False})

    async def receive():
        return feed.pop(0) if feed else {"type": "http.disconnect"}

    async def send(message):
        sent.append(message)

    raw = [(name.encode("latin-1"), value.encode("latin-1", "replace")) for name, value in headers.items()]
    scope = {
        "type": "http", "asgi": {"version": "3.0"}, "http_version": "1.1", "method": method, "path": path, "raw_path": path.encode(),
        "root_path": "", "query_string": query.encode(), "headers": raw, "scheme": "http", "server": ("127.0.0.1", PORT),
        "client": ("127.0.0.1", 9),
    }  # fmt: skip
    await app(scope, receive, send)
    return sent[0]["status"], sent[0]["headers"], b"".join(one.get("body", b"") for one in sent[1:])


def body_of(dice: random.Random) -> bytes:
    values = {dice.choice(["steepness", "first_cost", "crown_gate", "nothing"]): dice.choice(mutation.ODD)}
    try:
        text = json.dumps(values).encode()
    except ValueError:
        text = b"{}"
    return dice.choice(
        (text, mutation.damaged(text, dice), b"[" * 90_000, b'{"steepness": ' + b"9" * 5000 + b"}", b"x" * 200_000)
    )


@pytest.mark.attack(40)
def test_whatever_is_asked_is_answered(budget: Budget, served):
    app, file = served
    for dice in budget:
        headers = dict(OWN)
        if dice.random() < 0.4:
            headers[dice.choice([*OWN, "sec-fetch-site", "content-length", "range"])] = dice.choice(
                (
                    "",
                    "null",
                    "x" * 9000,
                    "127.0.0.1",
                    "canopy.example",
                    "http://canopy.example",
                    "cross-site",
                    "text/plain",
                    "-1",
                )
            )
        token = dice.choice((TOKEN, TOKEN, TOKEN, TOKEN, "", "other", TOKEN[:-1], TOKEN + "x"))
        query = dice.choice(
            (
                "version=1",
                "version=",
                "version=" + "9" * 5000,
                "version=-1",
                "version=٣",
                "",
                "&&&=",
                "version=1&version=x",
            )
        )
        method = dice.choice(("GET", "GET", "POST", "POST", "HEAD", "PUT", "DELETE", "OPTIONS", "TRACE", "X"))
        parts = [body_of(dice), *([None] if dice.random() < 0.1 else [])]
        path = f"/{token}/{dice.choice(ROUTES)}"
        status, _, body = asyncio.run(asyncio.wait_for(ask(app, method, path, query, headers, parts), 20))
        own = token == TOKEN and all(headers.get(name) == value for name, value in OWN.items())
        assert status in (200, 204, 307, 400, 403, 404, 405, 409), (status, method, path, headers)
        assert b"Traceback" not in body
        if token != TOKEN or headers["host"] != OWN["host"]:
            assert status == 403 and b"Canopy" not in body, (path, headers)
        if not own:
            assert (status, method) != (204, "POST"), headers
    assert file.read_text(encoding="utf-8").count("\n") == demo_text().count("\n")
