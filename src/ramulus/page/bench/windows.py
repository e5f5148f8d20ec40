"""The windows that look at a bench: each is told whenever there is something new."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator, Callable
from typing import Any


class Windows:
    """Tells windows of changes.

    Args:
        state: gives what a window has to know, as plain data.
    """

    def __init__(self, state: Callable[[], dict[str, Any]]) -> None:
        self._state, self._closed = state, False
        self._ears: set[asyncio.Queue[None]] = set()
        self._loop: asyncio.AbstractEventLoop | None = None

    async def states(self) -> AsyncIterator[dict[str, Any]]:
        """Yield the state now, and whenever it is another one, until the bench is closed."""
        self._loop = asyncio.get_running_loop()
        ear: asyncio.Queue[None] = asyncio.Queue()
        self._ears.add(ear)
        try:
            while not self._closed:
                yield self._state()
                await ear.get()
                while not ear.empty():  # Only the last of several changes matters.
                    ear.get_nowait()
        finally:
            self._ears.discard(ear)

    def tell(self) -> None:
        """Tell all windows; in the thread of the event loop."""
        for ear in self._ears:
            ear.put_nowait(None)

    def tell_from_afar(self) -> None:
        """Tell all windows, from any thread or a signal."""
        if self._loop is not None and not self._loop.is_closed():
            self._loop.call_soon_threadsafe(self.tell)

    def close(self) -> None:
        """Have every window told, and end."""
        self._closed = True
        self.tell_from_afar()
