"""The figure of a sweep: a line a value."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from ramulus.errors import RamulusError, UnknownNameError
from ramulus.plots.heat import ON_DARK, ON_LIGHT
from ramulus.plots.labels import finish, label_ends, runs_in_words
from ramulus.plots.style import accent, new_axes, project_style, time_unit

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.axes import Axes

MOST_LABELS = 16
MOST_CELLS = 150


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
        The axes. Of one number: median hours by level, a line a value. Of two: median hours to the level as a map over
        both, each cell with its hours; where nobody gets there it is empty.

    Raises:
        UnknownNameError: there is no such profile in the table.
        RamulusError: it is no table of a sweep, or has no such level.

    Examples:
        >>> import ramulus as rm
        >>> table = rm.sweep(rm.demo_design(), {"steepness": [1.4, 1.6]}, players=20)
        >>> axes = rm.plots.sweep(table)
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
    if len(names) > 1:
        return _map(table, rows[rows["level"] == top], names, str(who), top, ax, figure_options)
    x, by = "level", names[0]
    with project_style():
        axes = new_axes(ax, **figure_options)
        scale, unit = time_unit(float(np.nanmax(rows["hours_p50"], initial=0.0)))
        ends = []
        for index, (value, line) in enumerate(rows.groupby(by, sort=False)):
            known = line.dropna(subset=["hours_p50"]).sort_values(x)
            if known.empty:
                continue
            axes.plot(known[x], known["hours_p50"] * scale, **accent(index))
            end = (float(known[x].iloc[-1]), float(known["hours_p50"].iloc[-1] * scale))
            ends.append((*end, f"{by.rpartition('.')[2]} = {value:g}", str(accent(index)["color"])))
        axes.set_title(f"{who}: played time by {by}")
        axes.set_xlabel(x)
        axes.set_ylabel(f"played time, {unit}, the median player")
        axes.set_ylim(bottom=0)
        axes.set_xlim(float(rows[x].min()), float(rows[x].max()))
        label_ends(axes, ends[:: -(-len(ends) // MOST_LABELS) or 1])  # Of many every second, third …
        finish(axes, runs_in_words(table, who, "the same draws for every value"))
    return axes


def _map(
    table: pd.DataFrame, rows: pd.DataFrame, names: list[str], who: str, level: int, ax: Axes | None,
    options: dict[str, Any],
) -> Axes:  # fmt: skip
    """Draw median hours to a level over two numbers."""
    grid = rows.pivot(index=names[1], columns=names[0], values="hours_p50")
    scale, unit = time_unit(float(np.nanmax(grid.to_numpy(), initial=0.0)))
    values = grid.to_numpy(dtype=np.float64) * scale
    with project_style():
        axes = new_axes(ax, **options)
        image = axes.imshow(np.ma.masked_invalid(values), aspect="auto", origin="lower", interpolation="none")
        axes.set_xticks(range(len(grid.columns)), [f"{value:g}" for value in grid.columns])
        axes.set_yticks(range(len(grid.index)), [f"{value:g}" for value in grid.index])
        axes.set_xlabel(names[0])
        axes.set_ylabel(names[1])
        axes.grid(False)
        axes.set_title(f"{who}: played time to level {level}, by {_bare(names[0])} and {_bare(names[1])}")
        bar = axes.figure.colorbar(image, ax=axes, fraction=0.03, pad=0.02)
        bar.outline.set_visible(False)
        bar.set_label(f"played time, {unit}, the median player")
        if values.size <= MOST_CELLS:
            _write_cells(axes, values, image)
        finish(axes, runs_in_words(table, who, "the same draws for every cell; empty: fewer than half get there"))
    return axes


def _bare(place: str) -> str:
    return place.rpartition(".")[2]


def _write_cells(ax: Axes, values: Any, image: Any) -> None:
    """Write each cell's number, dark on light and light on dark."""
    for (row, column), value in np.ndenumerate(values):
        if np.isfinite(value):
            shade = image.cmap(image.norm(value))[:3]
            ink = ON_DARK if np.dot(shade, (0.299, 0.587, 0.114)) < 0.55 else ON_LIGHT
            ax.text(
                column,
                row,
                f"{value:.1f}" if value < 100 else f"{value:,.0f}",
                ha="center",
                va="center",
                color=ink,
                fontsize=10.5,
            )
