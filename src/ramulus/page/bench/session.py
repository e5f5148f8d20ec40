"""One bench: the file as it was last read, what is tried beside it, and the work between them."""

from __future__ import annotations

import asyncio
import sys
import threading
import time
import traceback
from collections.abc import AsyncIterator, Callable, Mapping
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

from ramulus.design import bytes_now
from ramulus.design.reading import MAX_BYTES
from ramulus.errors import RamulusError
from ramulus.page.bench.known import Known
from ramulus.page.bench.points import as_points
from ramulus.page.bench.preview import Preview
from ramulus.page.bench.runs import Runs, SupersededError
from ramulus.page.bench.shown import Shown
from ramulus.page.bench.sizes import Sizes
from ramulus.page.bench.tried import settled, tried_in, with_values
from ramulus.page.bench.tuner import Tuner
from ramulus.page.bench.windows import Windows
from ramulus.page.sections.hand_out import panel_of

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.page.context import Context
    from ramulus.page.parts import Figure

T = TypeVar("T")


class Session:
    """Reads, plays and draws one design file for as many windows as look at it.

    Full runs and figures go one after another through one thread; previews through another, so that they wait for
    nothing; tuning has its own.

    Args:
        file: the design file.
        load: reads it.
        sizes: what a full run plays.
        trial: what is tried from the start, by place.
    """

    def __init__(
        self, file: Path, load: Callable[[], Design], sizes: Sizes, trial: Mapping[str, Any] | None = None
    ) -> None:
        self.file = file
        self._load, self._sizes = load, sizes
        self._hand = ThreadPoolExecutor(1, thread_name_prefix="bench")
        self._quick = ThreadPoolExecutor(1, thread_name_prefix="preview")
        self._at_work = {hand: threading.Lock() for hand in (self._hand, self._quick)}
        self._wanted, self._working, self._closed = 0, False, False
        self._known = Known(trial=dict(trial or {}))
        self._preview = Preview(sizes)
        self._windows = Windows(self.state)
        self._tuner = Tuner(sizes.players, sizes.seed, self._windows.tell_from_afar)
        self._runs = Runs(sizes)
        self._shown: Shown | None = None
        self._told: tuple[int, dict[str, Any]] | None = None

    # --- what a window asks for --------------------------------------------------------------------------------

    @property
    def shown(self) -> Shown:
        """What is shown now."""
        assert self._shown is not None
        return self._shown

    def state(self) -> dict[str, Any]:
        """Return what a window has to know, as plain data."""
        known = self._known
        return {
            "version": self._shown.number if self._shown else 0, "file": self.file.name, "working": self._working,
            "errors": list(known.errors), "notice": known.notice,
            "trial": tried_in(known.saved, known.trial), "tuning": self._tuner.told(),
        }  # fmt: skip

    def states(self) -> AsyncIterator[dict[str, Any]]:
        """Return the state now, and whenever it is another one, until the bench is closed."""
        return self._windows.states()

    async def told(self) -> dict[str, Any]:
        """Return what is shown as plain data; made once for all windows."""

        def tell() -> dict[str, Any]:
            shown = self.shown
            if self._told is None or self._told[0] != shown.number:
                self._told = shown.number, shown.told()
            return self._told[1]

        return await self._in_hand(self._quick, tell)

    async def report(self, write: Callable[[Shown], str]) -> tuple[str, int]:
        """Return the report of what is shown, written, and which showing it is."""

        def make() -> tuple[str, int]:
            shown = self.shown
            return write(shown), shown.number

        return await self._in_hand(self._hand, make)

    async def figure(self, version: int, name: str, write: Callable[[Figure], str]) -> str | None:
        """Return a figure of the report, drawn and written; None where it is not shown any more."""

        def draw() -> str | None:
            found = self.shown.figure(name) if self.shown.number == version else None
            return None if found is None else write(found)

        return await self._in_hand(self._hand, draw)

    async def game(self) -> str:
        """Return the code that an export writes for what is shown; nothing where there is none."""

        def write() -> str:
            panel = panel_of(self.shown.now.design)
            return "" if panel is None else panel.script

        return await self._in_hand(self._quick, write)

    async def preview(self, values: Mapping[str, Any], tab: str) -> dict[str, Any]:
        """Return what a tab would show with other values; a full run of yet other ones is given up for it.

        Raises:
            RamulusError: a value is not allowed, or the design fails with it.
        """
        saved = self._saved()
        if self._working and tried_in(saved, values) != tried_in(saved, self._known.trial):
            self._wanted += 1
            self._working = False
            self._windows.tell()
        return await self._in_hand(self._quick, lambda: self._preview.of(with_values(saved, values), tab))

    async def points(self, values: Mapping[str, Any], track: str) -> dict[str, Any]:
        """Return a track's costs, with other values, as a cost table of a few points.

        Raises:
            RamulusError: there is no such track, or its costs are points already.
        """
        saved = self._saved()
        return await self._in_hand(self._quick, lambda: as_points(with_values(saved, values), track))

    # --- what changes it ---------------------------------------------------------------------------------------

    def start(self) -> None:
        """Read the file and play it for the first time.

        Raises:
            DesignError: the design is at fault.
        """
        try:
            self._hand.submit(self._show).result()
        except BaseException:
            self.close()
            raise

    async def read(self) -> None:
        """Read the file, play it, and show it; a mistake is told while what was good stays."""
        await self._do(self._show)

    async def try_values(self, values: Mapping[str, Any]) -> None:
        """Show the design with other values; nothing is written.

        Args:
            values: by place: numbers, lists of them, or a cost table.

        Raises:
            UnknownNameError: there is no such place.
        """
        saved = self._saved()
        # Whatever is asked for next, a save among it, goes by these.
        self._known.trial = {place: settled(saved, place, value) for place, value in values.items()}
        await self._do(self._show)

    async def keep(self) -> None:
        """Write the values that are tried into the file, and nothing else.

        Raises:
            DataError: nothing is tried, the design fails with it, or the file has been changed meanwhile.
            DesignError: the file takes no such values.
        """
        await self._in_hand(self._hand, lambda: self._known.keep(self.file))
        await self.read()  # Whoever watches the file asks for that too; which of the two comes first is all one.

    async def keep_as_variant(self, name: str) -> Path:
        """Write a new file beside this one that extends it and says what is tried; the file itself stays.

        Raises:
            DataError: nothing is tried, the design fails with it, or there is such a file already.
        """
        path = await self._in_hand(self._hand, lambda: self._known.keep_as_variant(self.file, name))
        self._windows.tell()
        return path

    async def tune(self, names: list[str]) -> None:
        """Find the numbers at some places that meet the goals; what is found is tried, and told in the state.

        Raises:
            RamulusError: a search goes on, there are no goals, or no number stands there.
        """
        tried = with_values(self._saved(), tried_in(self._saved(), self._known.trial))
        found = await self._tuner.find(tried, names, asyncio.get_running_loop())
        if found:  # Beside what was turned meanwhile.
            await self.try_values({**tried_in(self._saved(), self._known.trial), **found})

    def stop_tuning(self) -> None:
        """End a search; nothing is changed by it."""
        self._tuner.stop()

    def close(self) -> None:
        """End what goes on, and tell all windows; may be called from a signal."""
        self._closed = True
        self._tuner.stop()
        self._windows.close()
        for hand in (self._hand, self._quick):
            hand.shutdown(wait=False, cancel_futures=True)

    def at_rest(self, within: float) -> bool:
        """Return whether a closed session has ended its work, after waiting for it for some seconds at most."""
        until = time.monotonic() + within
        for lock in (*self._at_work.values(), self._tuner.at_work):
            if not lock.acquire(timeout=max(until - time.monotonic(), 0)):
                return False
            lock.release()
        return True

    # --- the work ----------------------------------------------------------------------------------------------

    def _saved(self) -> Design:
        assert self._known.saved is not None
        return self._known.saved

    async def _in_hand(self, hand: ThreadPoolExecutor, work: Callable[[], T]) -> T:
        def held() -> T:
            with self._at_work[hand]:  # So that `at_rest` knows of it.
                return work()

        try:
            return await asyncio.get_running_loop().run_in_executor(hand, held)
        except (asyncio.CancelledError, RuntimeError):  # It was still to be begun, or is asked for too late.
            if not self._closed:
                raise
            raise RamulusError("the bench is closed") from None

    async def _do(self, work: Callable[[], None]) -> None:
        """Do some work in the one thread, unless something newer is asked for before it is done."""
        self._wanted += 1
        ticket = self._wanted

        def run() -> None:
            if ticket != self._wanted:
                return
            try:
                work()
            except SupersededError:
                pass
            except RamulusError as error:
                self._known.errors = tuple(str(error).splitlines())
            except Exception as error:  # A mistake of ours must not end the bench: it is told here and there.
                traceback.print_exc(file=sys.stderr)
                self._known.errors = (f"internal error: {error!r}",)

        self._working = True
        self._windows.tell()
        with suppress(RamulusError):  # Of what is closed meanwhile: `run` keeps all others to itself.
            await self._in_hand(self._hand, run)
        if ticket == self._wanted:
            self._working = False
            self._windows.tell()

    def _show(self) -> None:
        """Show the file as it is, or with other values; what fails on the way leaves what is shown."""
        known = self._known
        read = bytes_now(self.file, MAX_BYTES)  # First: what is saved meanwhile is seen to differ from it.
        design = self._load()
        trial = tried_in(design, known.trial)
        if known.shown == (design, read, trial) and not known.errors:
            return
        context = self._played(design)
        if known.saved is not None and design != known.saved:
            known.before, known.notice, known.kept = known.saved, known.kept, ""
        elif known.saved is not None and read != known.read:
            known.notice = "saved; the design says the same as before"
        known.saved, known.read = design, read
        now = self._played(with_values(design, trial)) if trial else context
        before = None if known.before is None else self._played(known.before)
        self._shown = Shown(self._shown.number + 1 if self._shown else 1, now, context, before)
        self._preview.ready(now.design)
        known.shown, known.errors = (design, read, trial), ()

    def _played(self, design: Design) -> Context:
        ticket = self._wanted
        return self._runs.of(design, lambda: not self._closed and ticket == self._wanted)
