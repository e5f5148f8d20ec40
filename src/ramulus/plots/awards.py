"""The figure of a run of awards: the climb through the thresholds, with what was wasted."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from ramulus.plots.labels import finish
from ramulus.plots.style import ACCENTS, MARK, QUIET, new_axes, project_style, thousands
from ramulus.rules.tabulation import tabulated

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.axes import Axes

    from ramulus.design import Design

MOST_BARS = 400


def awards(
    design: Design,
    table: pd.DataFrame,
    ax: Axes | None = None,
    *,
    track: str | None = None,
    **figure_options: Any,
) -> Axes:
    """Draw how awards climb through the thresholds of a track.

    Args:
        design: the design.
        table: what `trace` returned.
        ax: the axes to draw on (default: those of a new figure).
        track: the track of the table (default: the main one).
        figure_options: are passed to the new figure.

    Returns:
        The axes: for each award the XP held afterwards (costs of the levels paid plus XP in the level), and on top
        of it all XP wasted so far.

    Examples:
        >>> import ramulus as rm
        >>> design = rm.demo_design()
        >>> table = rm.trace(design, [40, 400, 90])
        >>> axes = rm.plots.awards(design, table)
    """
    curve = tabulated(design).track(track).curve
    held = curve.totals[table["level"].to_numpy() - curve.start_level] + table["xp"].to_numpy(dtype=np.float64)
    wasted = np.cumsum(table["wasted"].to_numpy(dtype=np.float64))
    step = table["step"].to_numpy()
    with project_style():
        axes = new_axes(ax, **figure_options)
        _climb(axes, step, held, wasted)
        _thresholds(axes, curve.levels, curve.totals, float((held + wasted).max()), float(held.min()))
        share = wasted[-1] / (held[-1] + wasted[-1]) if len(wasted) and held[-1] + wasted[-1] else 0.0
        axes.set_title(
            f"{len(table):,} awards, from level {table['level_before'].iloc[0]} to {table['level'].iloc[-1]}"
        )
        axes.set_xlabel("award")
        axes.set_ylabel("XP held by the player, and wasted on top")
        thousands(axes)
        finish(
            axes,
            f"{design.title} · {wasted[-1]:,.10g} XP wasted, {share:.1%} of all" if len(wasted) else design.title,
        )
    return axes


def _climb(ax: Axes, step: Any, held: Any, wasted: Any) -> None:
    if len(step) <= MOST_BARS:
        ax.bar(step, held, width=0.86, color=ACCENTS[0], label="held: levels paid and XP in the level")
        if wasted[-1]:
            ax.bar(
                step,
                wasted,
                bottom=held,
                width=0.86,
                color=MARK,
                hatch="//",
                edgecolor="#FBFAF7",
                label="wasted so far",
            )
    else:
        ax.fill_between(
            step,
            held,
            step="post",
            color=ACCENTS[0],
            linewidth=0,
            label="held: levels paid and XP in the level",
        )
        if wasted[-1]:
            ax.fill_between(step, held, held + wasted, step="post", color=MARK, linewidth=0, label="wasted so far")
    ax.margins(x=0.01)
    ax.legend(loc="upper left")


def _thresholds(ax: Axes, levels: Any, totals: Any, top: float, bottom: float) -> None:
    """Draw a line at the total of each level that the run comes near."""
    low = bottom * 0.9 if bottom > top * 0.5 else 0.0
    inside = (totals > low) & (totals <= top * 1.1)
    ax.set_ylim(low, max(top, float(totals[inside].max()) if inside.any() else top) * 1.14)
    last = -np.inf
    span = ax.get_ylim()[1] - ax.get_ylim()[0]
    for level, total in zip(levels[inside], totals[inside], strict=True):
        ax.axhline(total, color=QUIET, linewidth=1, linestyle=(0, (4, 3)), zorder=3)
        if total - last > span * 0.035:
            ax.annotate(
                f"level {level:g}", (1.006, total), xycoords=("axes fraction", "data"), va="center",
                fontsize=11, color="#57534A", annotation_clip=False,
            )  # fmt: skip
            last = total
