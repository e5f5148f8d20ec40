"""`ramulus.report`: everything a design says, on one self-contained page."""

from __future__ import annotations

import os
from collections.abc import Callable, Mapping
from concurrent.futures import Executor
from dataclasses import dataclass, replace
from pathlib import Path
from typing import TYPE_CHECKING

from ramulus.checks import check
from ramulus.comparing import compare
from ramulus.design import refuse_strange_ending, write_whole
from ramulus.errors import MissingPartError
from ramulus.page.context import Context
from ramulus.page.html import html_of
from ramulus.page.parts import Drawn, Section, figures_of
from ramulus.page.sections import SECTIONS
from ramulus.page.svg import standalone
from ramulus.results.simulate import simulate

if TYPE_CHECKING:
    import pandas as pd

    from ramulus.design import Design
    from ramulus.recorded.observed import Observed
    from ramulus.simulation.in_flight import Progress


def report(
    design: Design,
    path: str | os.PathLike[str],
    *,
    players: int = 2000,
    hours: float | None = None,
    seed: int = 0,
    variants: Mapping[str, Design] | None = None,
    sensitivity: pd.DataFrame | None = None,
    observed: Observed | None = None,
    executor: Executor | None = None,
    progress: Callable[[Progress], object] | None = None,
) -> Path:
    """Write one page with everything a design says: numbers, findings, goals, tables that sort, every figure.

    The page is one file: its figures are inside, it asks no network for anything, and nothing in the design is ever
    run by the browser that shows it, but for the arithmetic of its multipliers where XP is handed out. The same
    design, sizes and seed give the same page to the letter.

    Args:
        design: the design; parts that are missing are named on the page.
        path: the file, ending in .html; written whole or not at all.
        players: how many players of each profile.
        hours: the horizon in played hours (default: 200, or longer where goals ask for it).
        seed: the seed of every draw.
        variants: other designs by name, shown beside this one with the differences of paired players.
        sensitivity: what `sensitivity` returned, to show that too.
        observed: what `observed` returned, to show recorded play too.
        executor: where players are played (default: threads, one a processor).
        progress: is called with a `Progress` now and then.

    Returns:
        The file.

    Raises:
        DesignError: the design, or a variant, is at fault.
        DataError: the file's ending is another one.
        SimulationStopped: it was interrupted (Ctrl-C); nothing is written.

    Examples:
        >>> import ramulus as rm
        >>> page = rm.report(rm.demo_design(), "canopy.html", players=100)  # doctest: +SKIP
    """
    check_page_ending(Path(path))
    context = context_of(
        design, players, hours, seed, variants=variants, sensitivity=sensitivity, executor=executor, progress=progress
    )
    context = replace(context, observed=observed)
    write_whole(Path(path), page_of(context).text)
    return Path(path)


def check_page_ending(path: Path) -> None:
    """Refuse a page's file that is no HTML by its ending, before any work is done."""
    refuse_strange_ending(path, "page", (".html", ".htm"))


def context_of(
    design: Design, players: int, hours: float | None, seed: int, *, variants: Mapping[str, Design] | None = None,
    sensitivity: pd.DataFrame | None = None, executor: Executor | None = None,
    progress: Callable[[Progress], object] | None = None,
) -> Context:  # fmt: skip
    """Return what a page is made from; see `report`."""
    findings = check(design)
    try:
        if variants:
            several = {design.title: design, **_named_apart(design.title, variants)}
            comparison = compare(several, players, hours, seed, executor=executor, progress=progress)
            return Context(design, findings, comparison.first, None, comparison, sensitivity)
        result = simulate(design, players, hours, seed, executor=executor, progress=progress)
        return Context(design, findings, result, sensitivity=sensitivity)
    except MissingPartError as error:
        return Context(design, findings, None, error, sensitivity=sensitivity)


@dataclass(frozen=True)
class Page:
    """A page with all its figures drawn: its sections, and its text."""

    sections: tuple[Section, ...]
    text: str

    def pictures(self) -> dict[str, str]:
        """Return its figures as SVG files of their own, by name."""
        parts = [part for section in self.sections for part in section.parts]
        drawings = {one.name: one.drawn for one in figures_of(parts)}
        return {name: standalone(one.svg) for name, one in drawings.items() if isinstance(one, Drawn)}


def page_of(context: Context) -> Page:
    """Return the page: all its sections, with their figures."""
    sections = sections_of(context)
    return Page(sections, html_of(context.design.title, sections))


def sections_of(context: Context) -> tuple[Section, ...]:
    """Return the sections that there are something to say in."""
    return tuple(section for one in SECTIONS if (section := one(context)) is not None)


def _named_apart(title: str, variants: Mapping[str, Design]) -> dict[str, Design]:
    """Return variants under names of which none is the design's own title."""
    return {name if name != title else f"{name} (variant)": variant for name, variant in variants.items()}
