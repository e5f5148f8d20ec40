"""The figure of a party: its members' levels over encounters and over hours."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import matplotlib.pyplot as plt
import numpy as np

from ramulus.plots.style import accent, foot_line, label_ends, project_style

if TYPE_CHECKING:
    from collections.abc import Sequence

    import pandas as pd
    from matplotlib.axes import Axes

    from ramulus.analysis.party import PartyRun


def party(run: PartyRun, ax: Sequence[Axes] | None = None, **figure_options: Any) -> np.ndarray[Any, Any]:
    """Draw the members' levels over encounters and over hours.

    Args:
        run: what `play_party` returned.
        ax: two axes (default: those of a new figure).
        figure_options: are passed to the new figure.

    Returns:
        The two axes: the median party, and a band from p10 to p90.
    """
    table = run.levels()
    with project_style():
        if ax is None:
            _, ax = plt.subplots(1, 2, layout="constrained", sharey=True, **figure_options)
        pair = np.ravel(np.asarray(ax, dtype=object))
        for axes, column, label in zip(
            pair, ("encounter", "hours_p50"), ("shared encounters", "played hours, median"), strict=True
        ):
            _draw(axes, table, column, run)
            axes.set_xlabel(label)
        pair[0].set_ylabel("level")
        pair[0].set_title(f"The party: {_caught_up(run)}")
        band = f"{run.parties:,} parties, seed {run.seed} · line: median; band: p10 to p90"
        foot_line(pair[0], f"{run.design.title} · {band}")
    return pair


def _caught_up(run: PartyRun) -> str:
    """Say after how many encounters half of the parties were on one level."""
    after = run.caught_up()["even_after"].fillna(np.inf).median()
    return "half are never on one level" if np.isinf(after) else f"half are on one level after {after:.0f} encounters"


def _draw(ax: Axes, table: pd.DataFrame, column: str, run: PartyRun) -> None:
    ends = []
    for index, name in enumerate(run.members):
        rows = table[table["member"] == name]
        look = accent(index)
        ax.fill_between(
            rows[column],
            rows["level_p10"],
            rows["level_p90"],
            step="post",
            color=look["color"],
            alpha=0.17,
            linewidth=0,
        )
        ax.plot(rows[column], rows["level_p50"], drawstyle="steps-post", **look)
        last = rows.iloc[-1]
        # Of members who end on one level the first is labelled highest, as in the file.
        ends.append((float(last[column]), float(last["level_p50"]) - 1e-6 * index, name, look["color"]))
    ax.set_xlim(left=0)
    ax.margins(x=0.01)
    label_ends(ax, ends, gap=0.045)
