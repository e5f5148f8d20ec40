"""One live page: the file as it was last read, what is shown, what is tried, and the work between them."""

from __future__ import annotations

import asyncio
import sys
import threading
import traceback
from collections.abc import AsyncIterator, Callable, Mapping
from concurrent.futures import ThreadPoolExecutor
from dataclasses import asdict, dataclass, field
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

from ramulus.design import bytes_now, load_design
from ramulus.design.loading import MAX_BYTES
from ramulus.errors import DataError, RamulusError
from ramulus.page.live.changed import SAVED, TRIED, changed_section
from ramulus.page.live.sliders import sliders_of
from ramulus.page.making import context_of, sections_of
from ramulus.page.parts import Figure, Section, figures_of

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.page.context import Context
    from ramulus.simulation.in_flight import Progress

T = TypeVar("T")
KEPT = 4  # Designs whose runs are kept, so that going back is at once.


@dataclass(frozen=True)
class Sizes:
    """What each drawing of a live page plays.

    Attributes:
        players: of each profile.
        hours: the horizon in played hours (None: as `simulate` chooses it).
        seed: of every draw; the same for all drawings, so that before and after are pairs.
    """

    players: int = 2000
    hours: float | None = None
    seed: int = 0


class SupersededError(Exception):
    """Something newer is asked for, or the page is closed: the run need not end."""


@dataclass(frozen=True)
class Shown:
    """What the page shows: a design with its sections, whose figures are drawn when they are looked at."""

    number: int
    title: str
    sections: tuple[Section, ...]

    def figure(self, name: str) -> Figure | None:
        """Return a figure by its name, or None."""
        parts = (part for section in self.sections for part in section.parts)
        return next((one for one in figures_of(parts) if one.name == name), None)


@dataclass
class _Known:
    """What is known of the file and of what is tried, beside what is shown."""

    saved: Design | None = None  # As it was last read without a mistake,
    read: bytes = b""  # and its bytes then.
    before: Design | None = None  # As it was before that.
    trial: dict[str, float] = field(default_factory=dict)  # What is tried beside the file.
    shown: tuple[Design, bytes, dict[str, float]] | None = None  # What is shown is of these.
    errors: tuple[str, ...] = ()
    notice: str = ""
    kept: str = ""  # What to say of the next save, which was ours.

    def tried(self, constants: Mapping[str, float]) -> dict[str, float]:
        """Return what is tried that a file does not say anyway."""
        return {name: value for name, value in self.trial.items() if value != constants.get(name, value)}


class Session:
    """Reads, plays and draws one design file, in one thread, for as many windows as look at it.

    Args:
        file: the design file.
        load: reads it, with the values of the command line put in.
        sizes: what is played.
    """

    def __init__(self, file: Path, load: Callable[[], Design], sizes: Sizes) -> None:
        self.file = file
        self._load, self._sizes = load, sizes
        self._hand = ThreadPoolExecutor(1, thread_name_prefix="live")  # Figures are drawn by one at a time.
        self._at_work = threading.Lock()
        self._wanted, self._working, self._closed = 0, False, False
        self._known = _Known()
        self._runs: list[tuple[Design, Context]] = []
        self._shown: Shown | None = None
        self._ears: set[asyncio.Queue[None]] = set()
        self._loop: asyncio.AbstractEventLoop | None = None

    # --- what a window asks for --------------------------------------------------------------------------------

    @property
    def shown(self) -> Shown:
        """What is shown now."""
        assert self._shown is not None
        return self._shown

    def state(self) -> dict[str, Any]:
        """Return what a window has to know, as plain data."""
        known = self._known
        constants = known.saved.constants if known.saved is not None else {}
        return {
            "version": self._shown.number if self._shown else 0, "file": self.file.name, "working": self._working,
            "errors": list(known.errors), "notice": known.notice,
            "trial": known.tried(constants),
            "sliders": [asdict(one) for one in sliders_of(constants)],
        }  # fmt: skip

    async def states(self) -> AsyncIterator[dict[str, Any]]:
        """Yield the state now, and whenever it is another one, until the page is closed."""
        self._loop = asyncio.get_running_loop()
        ear: asyncio.Queue[None] = asyncio.Queue()
        self._ears.add(ear)
        try:
            while not self._closed:
                yield self.state()
                await ear.get()
                while not ear.empty():  # Only the last of several changes matters.
                    ear.get_nowait()
        finally:
            self._ears.discard(ear)

    async def figure(self, version: int, name: str, write: Callable[[Figure], str]) -> str | None:
        """Return a figure of what is shown, drawn and written; None where that is not shown any more."""

        def draw() -> str | None:
            found = self.shown.figure(name) if self.shown.number == version else None
            return None if found is None else write(found)

        return None if self._closed else await asyncio.get_running_loop().run_in_executor(self._hand, self._held, draw)

    # --- what changes it ---------------------------------------------------------------------------------------

    def start(self) -> None:
        """Read the file and play it for the first time.

        Raises:
            DesignError: the design is at fault.
        """
        try:
            self._hand.submit(self._held, self._show).result()
        except BaseException:
            self.close()
            raise

    async def read(self) -> None:
        """Read the file, play it, and show it; a mistake is told while the last good page stays."""
        await self._do(self._show)

    async def try_values(self, values: Mapping[str, float]) -> None:
        """Show the design with other constants; nothing is written.

        Raises:
            DataError: there is no such constant.
        """
        saved = self._known.saved
        assert saved is not None
        for name in values:
            if name not in saved.constants:
                raise DataError(f"no constant is called {name!r}")
        # Whatever is asked for next, a save among it, goes by these.
        self._known.trial = {
            name: int(value) if isinstance(saved.constants[name], int) and float(value).is_integer() else float(value)
            for name, value in values.items()
        }
        await self._do(self._show)

    async def keep(self) -> None:
        """Write the values that are tried into the file, and nothing else.

        Raises:
            DataError: nothing is tried, the design fails with it, or the file has been changed meanwhile.
            DesignError: the file takes no such values.
        """
        await asyncio.get_running_loop().run_in_executor(self._hand, self._held, self._keep)
        await self.read()  # Whoever watches the file asks for that too; which of the two comes first is all one.

    def close(self) -> None:
        """End what goes on, and tell all windows; may be called from a signal."""
        self._closed = True
        if self._loop is not None and not self._loop.is_closed():
            self._loop.call_soon_threadsafe(self._tell)
        self._hand.shutdown(wait=False, cancel_futures=True)

    def at_rest(self, within: float) -> bool:
        """Return whether a closed session has ended its work, after waiting for it for some seconds at most."""
        ended = self._at_work.acquire(timeout=within)
        if ended:
            self._at_work.release()
        return ended

    # --- the work ----------------------------------------------------------------------------------------------

    async def _do(self, work: Callable[[], None]) -> None:
        """Do some work in the one thread, unless something newer is asked for before it is done."""
        if self._closed:
            return
        self._loop = asyncio.get_running_loop()
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
            except Exception as error:  # A mistake of ours must not end the page: it is told here and there.
                traceback.print_exc(file=sys.stderr)
                self._known.errors = (f"internal error: {error!r}",)

        self._working = True
        self._tell()
        await self._loop.run_in_executor(self._hand, self._held, run)
        if ticket == self._wanted:
            self._working = False
            self._tell()

    def _held(self, work: Callable[[], T]) -> T:
        """Do some work so that `at_rest` knows of it."""
        with self._at_work:
            return work()

    def _tell(self) -> None:
        for ear in self._ears:
            ear.put_nowait(None)

    def _show(self) -> None:
        """Show the file as it is, or with other constants; what fails on the way leaves what is shown."""
        known = self._known
        read = bytes_now(self.file, MAX_BYTES)  # First: what is saved meanwhile is seen to differ from it.
        design = self._load()
        trial = known.tried(design.constants)
        if known.shown == (design, read, trial) and not known.errors:
            return
        context = self._context(design)
        if known.saved is not None and design != known.saved:
            known.before, known.notice, known.kept = known.saved, known.kept, ""
        elif known.saved is not None and read != known.read:
            known.notice = "saved; the design says the same as before"
        known.saved, known.read = design, read
        before = known.before
        if trial:
            before, context = design, self._context(_with_constants(design, trial))
        first = () if before is None else (changed_section(self._context(before), context, TRIED if trial else SAVED),)
        number = self._shown.number + 1 if self._shown else 1
        self._shown = Shown(number, design.title, (*first, *sections_of(context)))
        known.shown, known.errors = (design, read, trial), ()

    def _context(self, design: Design) -> Context:
        """Return what was played of a design, now or lately."""
        found: Context | None = next((context for known, context in self._runs if known == design), None)
        if found is None:
            sizes, ticket = self._sizes, self._wanted

            def beat(_: Progress) -> None:
                if self._closed or ticket != self._wanted:
                    raise SupersededError

            found = context_of(design, sizes.players, sizes.hours, sizes.seed, progress=beat)
            self._runs = [*self._runs[1 - KEPT :], (design, found)]
        return found

    def _keep(self) -> None:
        known = self._known
        trial = known.tried(known.saved.constants if known.saved else {})
        if not trial:
            raise DataError("nothing is tried that could be kept")
        if bytes_now(self.file, MAX_BYTES) != known.read:
            raise DataError(f"{self.file.name} was changed meanwhile; nothing is written")
        if known.shown is None or known.shown[2] != trial:  # What only playing finds, reading before writing does not.
            why = f"these values are refused: {known.errors[0]}" if known.errors else "these values are not played yet"
            raise DataError(f"nothing is written; {why}")
        _with_constants(load_design(self.file), trial).save(self.file)
        said = ", ".join(f"{name} = {value:.12g}" for name, value in trial.items())
        known.trial, known.kept = {}, f"kept in {self.file.name}: {said}"


def _with_constants(design: Design, values: Mapping[str, float]) -> Design:
    return design.with_values({f"constants.{name}": value for name, value in values.items()})
