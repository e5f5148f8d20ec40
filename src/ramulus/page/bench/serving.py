"""Serve a bench on this machine until somebody ends it."""

from __future__ import annotations

import asyncio
import gc
import secrets
import signal
import socket
import threading
from collections.abc import AsyncIterator, Callable, Iterator
from contextlib import asynccontextmanager, contextmanager
from pathlib import Path
from types import FrameType
from typing import TYPE_CHECKING

import uvicorn

from ramulus.errors import RamulusError
from ramulus.page.bench.app import app_of
from ramulus.page.bench.watching import saves

if TYPE_CHECKING:
    from starlette.applications import Starlette

    from ramulus.page.bench.session import Session

HOST = "127.0.0.1"
TOKEN_BYTES = 16
GRACE = 2  # s; what goes on then is given up.


class _Server(uvicorn.Server):
    """A server that an interrupt ends in peace: it lets go of the windows that listen, and raises nothing more."""

    def __init__(self, config: uvicorn.Config, session: Session) -> None:
        super().__init__(config)
        self._session = session

    @contextmanager
    def capture_signals(self) -> Iterator[None]:
        """Take interrupts while serving, and give them back afterwards."""
        if threading.current_thread() is not threading.main_thread():
            yield
            return
        before = {one: signal.signal(one, self.handle_exit) for one in (signal.SIGINT, signal.SIGTERM)}
        try:
            yield
        finally:
            for one, handler in before.items():
                signal.signal(one, handler)

    def handle_exit(self, sig: int, frame: FrameType | None) -> None:
        self._session.close()
        super().handle_exit(sig, frame)


def serve(session: Session, files: Callable[[], set[Path]], port: int, ready: Callable[[str], object]) -> None:
    """Serve a bench until an interrupt.

    Args:
        session: what is shown; it has been read once.
        files: gives the files whose saves matter.
        port: where; 0 takes a free one.
        ready: is called with the address, once it is there.

    Raises:
        RamulusError: the port is taken.
    """
    listening = _listening(port)
    port = listening.getsockname()[1]
    token = secrets.token_urlsafe(TOKEN_BYTES)

    @asynccontextmanager
    async def lifespan(_: Starlette) -> AsyncIterator[None]:
        stop = asyncio.Event()

        async def follow() -> None:
            async for _ in saves(files, stop):
                await session.read()

        # What is there by now stays: to look through it for what nobody needs took a tenth of a second each time.
        gc.collect()
        gc.freeze()
        following = asyncio.create_task(follow())
        ready(f"http://{HOST}:{port}/{token}/")
        try:
            yield
        finally:
            stop.set()
            # What it was doing need not be done to its end, and may take longer than anybody waits.
            await asyncio.wait([following], timeout=GRACE)
            following.cancel()
            gc.unfreeze()

    config = uvicorn.Config(
        app_of(session, token, port, lifespan), log_level="warning", access_log=False, ws="none", lifespan="on",
        server_header=False, timeout_graceful_shutdown=GRACE,
    )  # fmt: skip
    try:
        _Server(config, session).run(sockets=[listening])
    finally:
        session.close()
        listening.close()


def _listening(port: int) -> socket.socket:
    # By its name, so that the event loop knows it for TCP and sends each answer at once: else it waits 40 ms.
    listening = socket.socket(socket.AF_INET, socket.SOCK_STREAM, socket.IPPROTO_TCP)
    listening.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    try:
        listening.bind((HOST, port))
        listening.listen()  # Who is told the address at once need not find nobody there.
    except OSError as error:
        listening.close()
        raise RamulusError(f"port {port} of this machine cannot be served ({error.strerror})") from None
    return listening
