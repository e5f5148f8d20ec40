"""A level × source heat map: numbers in the cells where they fit, and where each source opens and closes."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from ramulus.plots.style import QUIET, thousands, with_short_names

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.axes import Axes

MOST_NUMBERS = 44
ON_DARK, ON_LIGHT = "#F6F3EA", "#1F1D1A"


def heat_map(ax: Axes, table: pd.DataFrame, column: str, unit: str, style: str) -> None:
    """Draw one column of a table of levels and sources; closed cells stay empty.

    Args:
        ax: the axes.
        table: has `level`, `source` and the column, for one profile.
        column: what to draw.
        unit: stands at the colour bar.
        style: how a number is written, a format specification; "%" shows shares as percent.
    """
    sources = list(dict.fromkeys(table["source"]))
    grid = table.pivot(index="source", columns="level", values=column).reindex(sources)
    levels = grid.columns.to_numpy()
    values = grid.to_numpy(dtype=np.float64)
    edges = (levels[0] - 0.5, levels[-1] + 0.5, len(sources) - 0.5, -0.5)
    image = ax.imshow(
        values, aspect="auto", extent=edges, interpolation="none", vmin=min(0.0, float(np.nanmin(values)))
    )
    ax.set_yticks(range(len(sources)), [with_short_names(str(source)) for source in sources])
    ax.set_xlabel("level")
    ax.grid(False)
    bar = ax.figure.colorbar(image, ax=ax, fraction=0.025, pad=0.015)
    bar.outline.set_visible(False)
    bar.set_label(unit)
    thousands(bar.ax)
    if len(levels) <= MOST_NUMBERS:
        _numbers(ax, values, levels, image, style)
    _borders(ax, values, levels)


def _numbers(ax: Axes, values: Any, levels: Any, image: Any, style: str) -> None:
    low, high = image.get_clim()
    narrow = len(levels) > 24
    for row, line in enumerate(values):
        for level, value in zip(levels, line, strict=True):
            if np.isfinite(value):
                dark = (value - low) < 0.55 * (high - low)
                ax.text(
                    level, row, _short(value, style, narrow=narrow), ha="center", va="center",
                    fontsize=7.5 if narrow else 10, color=ON_DARK if dark else ON_LIGHT, in_layout=False,
                )  # fmt: skip


def _short(value: float, style: str, *, narrow: bool) -> str:
    """Return a number as it fits a cell: in thousands where it is long."""
    if style == "%":
        return f"{100 * value:.0f}"
    if abs(value) >= 100_000 or (narrow and abs(value) >= 10_000):
        return f"{value / 1000:,.0f}k"
    if narrow and abs(value) >= 1000:
        return f"{value / 1000:.1f}k"
    return f"{value:,{style}}"


def _borders(ax: Axes, values: Any, levels: Any) -> None:
    """Mark where a source opens and closes inside the levels shown."""
    for row, line in enumerate(values):
        known = np.nonzero(np.isfinite(line))[0]
        if not len(known):
            continue
        for index, side in ((known[0], -0.5), (known[-1], 0.5)):
            edge = levels[index] + side
            if levels[0] - 0.5 < edge < levels[-1] + 0.5:
                ax.plot([edge, edge], [row - 0.5, row + 0.5], color=QUIET, linewidth=2)
