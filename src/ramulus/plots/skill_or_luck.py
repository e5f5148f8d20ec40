"""The figure of skill or luck: what the differences between players of one kind come from."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np
from matplotlib.ticker import PercentFormatter

from ramulus.errors import RamulusError
from ramulus.plots.labels import finish, played_in_words, with_short_names
from ramulus.plots.style import ACCENTS, QUIET, new_axes, project_style

if TYPE_CHECKING:
    from matplotlib.axes import Axes

    from ramulus.results.result import SimulationResult

PARTS = {"ability": ACCENTS[0], "speed": ACCENTS[1], "luck": ACCENTS[2], "shared": QUIET}
WORDS = {"ability": "ability", "speed": "own speed", "luck": "luck", "shared": "together"}
WIDE_ENOUGH = 0.045


def skill_or_luck(
    result: SimulationResult, ax: Axes | None = None, *, level: int | None = None, **figure_options: Any
) -> Axes:
    """Draw what the differences between players of one kind come from: ability, own speed, and luck.

    Args:
        result: a simulation that keeps its players.
        ax: the axes to draw on (default: those of a new figure).
        level: hours to which level (default: for each profile the last one that all its players reach).
        figure_options: are passed to the new figure.

    Returns:
        The axes: a bar a profile, its parts the shares of the variance of log hours.

    Raises:
        RamulusError: the run keeps no players, or not all players of any profile reached the level.

    Examples:
        >>> import ramulus as rm
        >>> result = rm.simulate(rm.demo_design(), players=200)
        >>> axes = rm.plots.skill_or_luck(result, level=10)
    """
    table = result.skill_or_luck(level)
    shown = table.dropna(subset=["luck"])
    if shown.empty:
        found = "no profile has all its players at such a level, and enough of them to tell skill from luck"
        raise RamulusError(f"{found}; simulate more players or hours, or take a lower level")
    with project_style():
        axes = new_axes(ax, **figure_options)
        for row, found in enumerate(shown.to_dict("records")):
            _bar(axes, row, found)
        axes.set_yticks(range(len(shown)), [with_short_names(_label(row)) for row in shown.to_dict("records")])
        axes.invert_yaxis()
        axes.set_xlim(0, 1)
        axes.xaxis.set_major_formatter(PercentFormatter(1.0, decimals=0))
        axes.grid(visible=False)
        axes.set_title("Is it skill or luck? What makes players of one kind faster or slower", pad=40)
        axes.set_xlabel("share of the variance of log hours   (±: its standard error)")
        handles = [axes.barh(np.nan, 0, color=color) for color in PARTS.values()]
        axes.legend(handles, WORDS.values(), loc="lower left", bbox_to_anchor=(0, 1.0), ncols=len(PARTS), frameon=False)
        finish(axes, played_in_words(result))
    return axes


def _label(row: dict[str, Any]) -> str:
    return f"{row['player']}\nhours to level {row['level']}\ndiffer by about {np.expm1(row['log_hours_sd']):.0%}"


def _bar(ax: Axes, row: int, found: dict[str, Any]) -> None:
    left = 0.0
    # A share that is below 0 by chance is none; the bar shows the others as they are to each other.
    shares = {name: max(float(found[name]), 0.0) for name in PARTS}
    total = sum(shares.values())
    for name, share in shares.items():
        width = share / total
        ax.barh(row, width, left=left, color=PARTS[name], height=0.55)
        if width > WIDE_ENOUGH:
            error = found[f"{name}_error"]
            text = f"{found[name]:.0%}" + (f"\n± {100 * error:.1f}" if np.isfinite(error) and width > 0.08 else "")
            ax.text(left + width / 2, row, text, ha="center", va="center", color="white", fontsize=12, weight="bold")
        left += width
