"""The figure of sensitivity: a panel a goal, a line a number with its interval."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import pairwise
from typing import TYPE_CHECKING, Any

import matplotlib.pyplot as plt
import numpy as np

from ramulus.errors import RamulusError
from ramulus.plots.labels import finish, runs_in_words, shortened, with_short_names
from ramulus.plots.style import ACCENTS, QUIET, project_style

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.axes import Axes

MOST_NUMBERS = (12, 12, 9, 6, 3)  # In each panel of one goal, of two, … of five: as many as can be read.
LONGEST = 24


def sensitivity(table: pd.DataFrame, ax: Sequence[Axes] | None = None, **figure_options: Any) -> np.ndarray[Any, Any]:
    """Draw how much each number moves each goal.

    Args:
        table: what `sensitivity` returned.
        ax: axes, one a goal and at most five (default: those of a new figure).
        figure_options: are passed to the new figure.

    Returns:
        The axes, a panel a goal: the change with its 95 % interval, the number that moves the goal most on top.

    Raises:
        RamulusError: it is no table of `sensitivity`, or there are not enough axes.

    Examples:
        >>> import ramulus as rm
        >>> table = rm.sensitivity(rm.demo_design(), ["crown_gate"], players=50)
        >>> axes = rm.plots.sensitivity(table)
    """
    if not {"name", "goal", "change", "unit"} <= set(table.columns):
        raise RamulusError("no table of sensitivity: a column name, goal, change or unit is missing")
    every = list(table.groupby(["player", "goal"], sort=False))
    goals = every[: len(MOST_NUMBERS)]
    room = MOST_NUMBERS[max(len(goals) - 1, 0)]
    with project_style():
        if ax is None:
            rows = [min(len(numbers), room) + 1.6 for _, numbers in goals]
            options = {"height_ratios": rows, **figure_options.pop("gridspec_kw", {})}
            _, ax = plt.subplots(len(goals), 1, layout="constrained", gridspec_kw=options, **figure_options)
        panels = np.ravel(np.asarray(ax, dtype=object))
        if len(panels) < len(goals):
            raise RamulusError(f"{len(panels)} axes for {len(goals)} goals; allowed: one a goal")
        for panel, ((player, goal), numbers) in zip(panels, goals, strict=False):
            _panel(panel, f"{shortened(str(player), LONGEST)}: {goal}", numbers.head(room))
        for panel, below in pairwise(panels[: len(goals)]):
            if panel.get_xlabel() == below.get_xlabel():  # Said once, below the last of them.
                panel.set_xlabel("")
        said = f"95 % intervals of paired runs; grey: no more than chance{_left_out(every, room)}"
        finish(panels, runs_in_words(table, None, said))
    return panels


def _left_out(goals: list[Any], room: int) -> str:
    """Say how many goals, and numbers of a goal, are not shown."""
    numbers = max((len(rows) for _, rows in goals), default=0) - room
    counts = (("further goals", len(goals) - len(MOST_NUMBERS)), ("numbers that move less", numbers))
    said = ", ".join(f"{what}: {count}" for what, count in counts if count > 0)
    return f" · not shown: {said}" if said else ""


def _panel(ax: Axes, title: str, numbers: pd.DataFrame) -> None:
    place = np.arange(len(numbers))[::-1]
    ax.axvline(0, color=QUIET, linewidth=1)
    seen = (numbers["low"] > 0) | (numbers["high"] < 0)
    for y, row, matters in zip(place, numbers.itertuples(), seen, strict=True):
        color = ACCENTS[0] if matters else QUIET
        ax.plot([row.low, row.high], [y, y], color=color, linewidth=5, alpha=0.35, solid_capstyle="butt")
        ax.plot([row.change], [y], "o", color=color, markersize=6)
    usual = numbers["unit"].mode()[0]
    ax.set_yticks(place, [with_short_names(name.removeprefix("constants.")) for name in numbers["name"]])
    ax.set_ylim(-0.7, len(numbers) - 0.3)
    ax.grid(axis="y", visible=False)
    ax.set_title(title, fontsize=13)
    ax.set_xlabel(f"change of what the goal measures, {usual} of the number")
    _label(ax, place, numbers, usual)


def _label(ax: Axes, place: np.ndarray[Any, Any], numbers: pd.DataFrame, usual: str) -> None:
    """Write beside a line which other value alone would meet the goal, and what its change is counted by."""
    for y, row in zip(place, numbers.itertuples(index=False), strict=True):
        said = [] if row.unit == usual else [row.unit]
        if np.isfinite(row.needed) and row.needed != row.value:
            said.append(f"meets it at {row.needed:,.4g} (now {row.value:,.4g})")
        if said and np.isfinite(row.high):
            ax.annotate(
                "; ".join(said), (row.high, y), xytext=(8, 0), textcoords="offset points", va="center", fontsize=11,
                color=QUIET,
            )  # fmt: skip
    ax.margins(x=0.3 if (numbers["needed"] != numbers["value"]).any() else 0.08)
