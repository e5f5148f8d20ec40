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
        The two axes. With many parties: the median, and a band from p10 to p90.
    """
    table = _table(run)
    with project_style():
        if ax is None:
            _, ax = plt.subplots(1, 2, layout="constrained", sharey=True, **figure_options)
        pair = np.ravel(np.asarray(ax, dtype=object))
        for axes, column, label in zip(
            pair, ("encounter", "hours"), ("shared encounters", "played hours"), strict=True
        ):
            _draw(axes, table, column, run)
            axes.set_xlabel(label)
        pair[0].set_ylabel("level")
        even = run.even_after().median()
        when = "never on one level" if np.isnan(even) else f"first on one level after {even:.0f} encounters"
        pair[0].set_title(f"The party: {when}")
        kind = "expected values" if run.seed is None else f"{run.parties} parties, seed {run.seed}"
        band = "" if run.parties == 1 else " · line: median; band: p10 to p90"
        foot_line(pair[0], f"{run.design.title} · {kind}{band}")
    return pair


def _table(run: PartyRun) -> pd.DataFrame:
    if run.parties > 1:
        return run.spread().rename(columns={"hours_p50": "hours"})
    table = run.table()[["encounter", "hours", "member", "level"]]
    return table.assign(level_p10=table["level"], level_p50=table["level"], level_p90=table["level"])


def _draw(ax: Axes, table: pd.DataFrame, column: str, run: PartyRun) -> None:
    ends = []
    for index, name in enumerate(run.members):
        rows = table[table["member"] == name].sort_values("encounter")
        look = accent(index)
        if run.parties > 1:
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
        ends.append((float(last[column]), float(last["level_p50"]), name, look["color"]))
    ax.set_xlim(left=0)
    ax.margins(x=0.01)
    label_ends(ax, ends, gap=0.045)
