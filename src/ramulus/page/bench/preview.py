"""What a number that is being moved would do, at once: a few players, and the one figure that is looked at."""

from __future__ import annotations

import time
from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from typing import TYPE_CHECKING, Any, TypeVar

from ramulus.errors import MissingPartError
from ramulus.goals import horizon_for
from ramulus.page.bench.pictures import ALL_TABS, pictures
from ramulus.results.simulate import DEFAULT_HOURS, play_until
from ramulus.rules.sharing import share_tables

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.page.bench.sizes import Sizes
    from ramulus.results.result import SimulationResult

T = TypeVar("T")
MOST_PLAYERS, FEWEST_PLAYERS = 100, 15
TOO_LONG = 0.05  # s; an answer that takes longer is asked of fewer players next time.


class _Here(ThreadPoolExecutor):
    """Does what it is handed at once, in the thread that hands it over: so little work is not worth a thread."""

    def submit(self, work: Callable[..., T], /, *given: Any, **named: Any) -> Future[T]:
        """Do some work; return it done."""
        future: Future[T] = Future()
        try:
            future.set_result(work(*given, **named))
        except BaseException as error:
            future.set_exception(error)
        return future


class Preview:
    """Plays a few players of a design that is being changed.

    Args:
        sizes: what a full run plays; a preview plays the first of its players, by the same draws.
    """

    def __init__(self, sizes: Sizes) -> None:
        self._sizes = sizes
        self._players = min(MOST_PLAYERS, sizes.players)
        self._last: Design | None = None
        self._here, self._was_slow, self._took = _Here(1), False, 0.0

    def of(self, design: Design, tab: str) -> dict[str, Any]:
        """Return what a tab shows of a design.

        Raises:
            DesignError: the design is at fault.
        """
        begun = time.monotonic()
        if self._last is not None and design.sources and design.encounter:
            share_tables(self._last, design)
        found = pictures(design, None if tab == "cost" else self._played(design), [tab] if tab in ALL_TABS else [])
        self._last = design
        self._took = time.monotonic() - begun
        slow = self._took > TOO_LONG
        if slow and self._was_slow:  # Once may be the machine's.
            self._players = max(self._players // 2, min(FEWEST_PLAYERS, self._sizes.players))
        self._was_slow = slow
        return found

    def ready(self, design: Design) -> None:
        """Have the tables of a design at hand, for variants of it to share, while nothing moves."""
        self._last = design
        if self._took < TOO_LONG / 2:  # So that the next move does not begin with answers that take too long.
            self._players = min(2 * self._players, MOST_PLAYERS, self._sizes.players)

    def _played(self, design: Design) -> SimulationResult | None:
        hours = horizon_for(design, DEFAULT_HOURS) if self._sizes.hours is None else self._sizes.hours
        try:
            return play_until(
                None, design, self._players, hours, self._sizes.seed, executor=self._here, keep_players=True,
                coarse=True,
            )  # fmt: skip
        except MissingPartError:
            return None
