"""The full runs of a bench: what was played lately is at hand, and a run ends where something newer is asked for."""

from __future__ import annotations

from collections.abc import Callable
from typing import TYPE_CHECKING

from ramulus.page.making import context_of
from ramulus.rules.sharing import share_tables

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.page.bench.sizes import Sizes
    from ramulus.page.context import Context
    from ramulus.simulation.in_flight import Progress

KEPT = 4  # Designs whose runs are kept, so that going back is at once.


class SupersededError(Exception):
    """Something newer is asked for, or the bench is closed: the run need not end."""


class Runs:
    """Plays designs in full.

    Args:
        sizes: what is played.
    """

    def __init__(self, sizes: Sizes) -> None:
        self._sizes = sizes
        self._runs: list[tuple[Design, Context]] = []

    def of(self, design: Design, wanted: Callable[[], bool]) -> Context:
        """Return what was played of a design, now or lately.

        Args:
            design: the design.
            wanted: whether it is still asked for.

        Raises:
            DesignError: the design is at fault.
            SupersededError: it is not asked for any more.
        """
        found: Context | None = next((context for known, context in self._runs if known == design), None)
        if found is None:
            sizes = self._sizes

            def beat(_: Progress) -> None:
                if not wanted():
                    raise SupersededError

            if self._runs and design.sources and design.encounter:
                share_tables(self._runs[-1][0], design)
            found = context_of(design, sizes.players, sizes.hours, sizes.seed, progress=beat)
        # What is asked for again and again, as the file's own is, stays; what was tried long ago goes.
        others = [run for run in self._runs if run[0] != design]
        self._runs = [*others[1 - KEPT :], (design, found)]
        return found
