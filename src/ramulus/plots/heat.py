"""A level × source heat map: numbers in the cells where they fit, and where each source opens and closes."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np
from matplotlib.colors import LogNorm, Normalize
from matplotlib.ticker import FuncFormatter, NullFormatter

from ramulus.plots.labels import shortened
from ramulus.plots.style import QUIET, compact

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.axes import Axes

MOST_NUMBERS = 44
LONGEST_ROW = 24  # Letters of a source beside its row.
LOG_DECADES = 3
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
    image = ax.imshow(values, aspect="auto", extent=edges, interpolation="none", norm=_norm(values))
    names = [shortened(str(source), LONGEST_ROW) for source in sources]
    ax.set_yticks(range(len(sources)), names, fontsize=min(12.0, _row_points(ax, len(sources))))
    ax.set_xlabel("level")
    ax.grid(False)
    bar = ax.figure.colorbar(image, ax=ax, fraction=0.025, pad=0.015)
    bar.outline.set_visible(False)
    logarithmic = isinstance(image.norm, LogNorm)
    bar.set_label(f"{unit}, logarithmic" if logarithmic else unit)
    bar.ax.yaxis.set_major_formatter(FuncFormatter(lambda value, _: compact(value * (100 if style == "%" else 1))))
    bar.ax.yaxis.set_minor_formatter(NullFormatter())
    if len(levels) <= MOST_NUMBERS:
        _numbers(ax, values, levels, image, style)
    _borders(ax, values, levels)


def _norm(values: Any) -> Normalize:
    """Return how numbers become colours: by decades where they span many, which a straight scale would leave dark."""
    known = values[np.isfinite(values)]
    if known.size and known.min() > 0 and known.max() > known.min() * 10**LOG_DECADES:
        return LogNorm(known.min(), known.max())
    return Normalize(min(0.0, float(known.min(initial=0.0))), float(known.max(initial=0.0)) or 1.0)


def _row_points(ax: Axes, rows: int) -> float:
    """Return the height of text, in points, that fits a row."""
    share = ax.get_position().height
    return max(5.0, 0.75 * 72 * share * float(ax.figure.get_figheight()) / rows)  # type: ignore[union-attr]


def _numbers(ax: Axes, values: Any, levels: Any, image: Any, style: str) -> None:
    narrow = len(levels) > 24
    size = min(7.5 if narrow else 10.0, _row_points(ax, len(values)))
    for row, line in enumerate(values):
        for level, value in zip(levels, line, strict=True):
            if np.isfinite(value):
                dark = image.norm(value) < 0.55
                ax.text(
                    level, row, _short(value, style, narrow=narrow), ha="center", va="center",
                    fontsize=size, color=ON_DARK if dark else ON_LIGHT, in_layout=False,
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
