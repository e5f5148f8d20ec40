"""What a page is made from: the design, what was played, and what was found."""

from __future__ import annotations

from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

from ramulus.errors import MissingPartError, RamulusError
from ramulus.page.parts import Drawn, Figure, Table, Words
from ramulus.page.svg import SIZE, svg_of
from ramulus.plots.labels import LONGEST_NAME, shortened
from ramulus.results.simulate import SimulationStopped

if TYPE_CHECKING:
    from collections.abc import Callable

    import pandas as pd

    from ramulus.checks import Findings
    from ramulus.comparing import Comparison
    from ramulus.design import Design
    from ramulus.recorded.observed import Observed
    from ramulus.results.result import SimulationResult

FEW_PROFILES = 8  # Have figures of their own: with more of them a page takes long to draw, and to read.


@dataclass(frozen=True)
class Context:
    """What the sections of a page read.

    Attributes:
        design: the design.
        findings: what `check` finds.
        result: a simulation, or None where a part that playing needs is missing.
        missing: that part.
        comparison: the design beside variants, or None.
        sensitivity: how much each number moves each goal, or None.
        observed: a log held against the forecast, or None.
    """

    design: Design
    findings: Findings
    result: SimulationResult | None
    missing: MissingPartError | None = None
    comparison: Comparison | None = None
    sensitivity: pd.DataFrame | None = None
    observed: Observed | None = None

    def with_sensitivity(self, table: pd.DataFrame) -> Context:
        """Return the context with how much each number moves each goal."""
        return replace(self, sensitivity=table)

    @property
    def profiles(self) -> list[str]:
        """The names of the player profiles."""
        return list(self.design.profiles)


def name_of(player: str, index: int) -> str:
    """Return what a profile is called in the name of a figure: its name, or its number where that is long."""
    return player if len(player) <= LONGEST_NAME else str(index + 1)


def few_profiles(names: list[str], kind: str) -> tuple[list[str], tuple[Words, ...]]:
    """Return the profiles that have a figure of their own on the page, and what to say of more.

    Args:
        names: all profiles.
        kind: of figure, as `plot` calls it.
    """
    more = ", ".join(shortened(name, LONGEST_NAME) for name in names[FEW_PROFILES:])
    said = (Words((f"Not on this page: {more}. They are drawn by: ramulus plot FILE {kind} --player NAME",)),)
    return names[:FEW_PROFILES], said if more else ()


def figure(
    name: str, title: str, words: Callable[[], str], draw: Callable[..., Any], *of: Any,
    numbers: Callable[[], Table] | None = None, **options: Any,
) -> Figure:  # fmt: skip
    """Return a figure for the page; where there is nothing to draw, it says why not.

    Args:
        name: a short name, once on a page.
        title: what it is called.
        words: tells it with its numbers.
        draw: a function of `ramulus.plots`.
        of: what it draws; what takes a while to make is given as a function of nothing.
        numbers: gives the table that it shows.
        options: for that function.
    """

    def make() -> Drawn | Words:
        try:
            said = words()
            svg = svg_of(draw(*(one() if callable(one) else one for one in of), figsize=SIZE, **options), name, said)
            return Drawn(said, svg, numbers() if numbers else None)
        except SimulationStopped:
            raise
        except RamulusError as error:
            return nothing(title, error)

    return Figure(name, title, make)


def nothing(title: str, error: RamulusError) -> Words:
    """Return why something is not shown, with the smallest example of what is missing."""
    example = getattr(error, "example", "")
    return Words((f"{title}: not shown; {str(error).splitlines()[0]}",), example)
