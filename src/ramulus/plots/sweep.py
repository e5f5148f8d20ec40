"""The figure of a sweep: a line a value."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from ramulus.errors import RamulusError, UnknownNameError
from ramulus.plots.labels import finish, label_ends, runs_in_words
from ramulus.plots.style import accent, new_axes, project_style, time_unit

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.axes import Axes

MOST_LABELS = 16


def sweep(
    table: pd.DataFrame, ax: Axes | None = None, *, player: str | None = None, level: int | None = None,
    **figure_options: Any,
) -> Axes:  # fmt: skip
    """Draw what `sweep` returned.

    Args:
        table: the table.
        ax: the axes to draw on (default: those of a new figure).
        player: the profile (default: the first).
        level: of two numbers, hours to which level (default: the last one).
        figure_options: are passed to the new figure.

    Returns:
        The axes. Of one number: median hours by level, a line a value. Of two: median hours to the level against the
        first, a line a value of the second.

    Raises:
        UnknownNameError: there is no such profile in the table.
        RamulusError: it is no table of a sweep, or has no such level.
    """
    names = list(table.columns[: list(table.columns).index("player")]) if "player" in table else []
    if not names:
        raise RamulusError("no table of a sweep: a number's column stands before 'player'")
    who = table["player"].iloc[0] if player is None else player
    if who not in set(table["player"]):
        raise UnknownNameError("player profile", who, list(dict.fromkeys(table["player"])))
    top = int(table["level"].max()) if level is None else level
    rows = table[table["player"] == who]
    if top not in set(rows["level"]):
        raise RamulusError(f"level {top}; allowed: {rows['level'].min()} … {rows['level'].max()}")
    two = len(names) > 1
    x, by = (names[0], names[1]) if two else ("level", names[0])
    rows = rows[rows["level"] == top] if two else rows
    with project_style():
        axes = new_axes(ax, **figure_options)
        scale, unit = time_unit(float(np.nanmax(rows["hours_p50"], initial=0.0)))
        ends = []
        for index, (value, line) in enumerate(rows.groupby(by, sort=False)):
            known = line.dropna(subset=["hours_p50"]).sort_values(x)
            if known.empty:
                continue
            axes.plot(known[x], known["hours_p50"] * scale, marker="o" if two else None, markersize=4, **accent(index))
            end = (float(known[x].iloc[-1]), float(known["hours_p50"].iloc[-1] * scale))
            ends.append((*end, f"{by.rpartition('.')[2]} = {value:g}", str(accent(index)["color"])))
        axes.set_title(f"{who}: played time{f' to level {top}' if two else ''} by {by}")
        axes.set_xlabel(x)
        axes.set_ylabel(f"played time, {unit}, the median player")
        axes.set_ylim(bottom=0)
        axes.set_xlim(float(rows[x].min()), float(rows[x].max()))
        label_ends(axes, ends[:: -(-len(ends) // MOST_LABELS) or 1])  # Of many every second, third …
        finish(axes, runs_in_words(table, who, "the same draws for every value"))
    return axes
