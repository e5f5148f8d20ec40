"""The figure of income: XP per hour by level, of each source and of the mix that is met."""

from __future__ import annotations

from textwrap import fill
from typing import TYPE_CHECKING, Any

import numpy as np

from ramulus.checks.income import check_income
from ramulus.errors import RamulusError
from ramulus.plots.effort import unlimited
from ramulus.plots.in_place import Line, label_in_place
from ramulus.plots.labels import finish, label_ends, shortened
from ramulus.plots.style import MARK, accent, lay_out, new_axes, project_style, settle, thousands
from ramulus.rules.ability import class_at, in_words
from ramulus.rules.tabulation import tabulated
from ramulus.tables.effort import effort_table

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.axes import Axes

    from ramulus.design import Design
    from ramulus.formula.functions import Array

INK = "#23211D"
LOG_TIMES = 8  # The best source at its best over the weakest at its: from here on a straight axis would bury it.
FLOOR = 100  # A logarithmic axis may end at this part of the highest income: a source that pays less, pays nothing.
MOST_NAMED, MOST_LEFT_OUT = 25, 2
MARKED = ("income-slides", "income-falls")


def income(
    design: Design, ax: Axes | None = None, *, player: str | None = None, ability: float = 0.5, **figure_options: Any
) -> Axes:
    """Draw XP per hour by level: each source on its own, and the mix that a player meets.

    Args:
        design: the design.
        ax: the axes to draw on (default: those of a new figure).
        player: the profile (default: the first).
        ability: where its players stand among their like, 0 … 1, where traits vary.
        figure_options: are passed to the new figure.

    Returns:
        The axes; income is logarithmic where the best source pays eight times what the weakest pays at its best.

    Examples:
        >>> import ramulus as rm
        >>> axes = rm.plots.income(rm.demo_design(), player="steady")
    """
    tabulation = tabulated(design)
    profile = tabulation.profile(player, class_at(ability))
    levels = tabulation.columns.levels
    table = effort_table(design, profile.name, ability=ability)
    who = profile.name + in_words(profile.player, ability)
    xp, seconds = profile.mix(tabulation.columns.first_column)
    with np.errstate(divide="ignore", invalid="ignore"):
        mixed = 3600 * xp / seconds
    if not np.isfinite(mixed).any():
        raise RamulusError(f"no time passes at any level for {who}: nothing is earned by the hour")
    limited = [shortened(name, 20) for name, source in design.sources.items() if any(source.limits)]
    few = ", ".join(limited[:MOST_LEFT_OUT]) + (" and others" if len(limited) > MOST_LEFT_OUT else "")
    lasting = f", without what runs out: {few}" if unlimited(design) else ""
    lines = [_line(design, str(name), rows, i) for i, (name, rows) in enumerate(table.groupby("source", sort=False))]
    with project_style():
        axes = new_axes(ax, **figure_options)
        for index, line in enumerate(lines):
            axes.plot(line.x, line.y, **{**accent(index), "linewidth": 1.5})
        axes.plot(levels, mixed, color=INK, linewidth=3.6)
        axes.set_title(f"What an hour brings, by level ({shortened(who, 60)})")
        axes.set_xlabel("level")
        axes.set_xlim(float(levels[0]), float(levels[-1]))
        _scale(axes, [line.y for line in lines], mixed)
        label_ends(axes, [(float(levels[-1]), float(mixed[-1]), "the mix", INK)])
        if class_at(ability) == class_at(0.5):
            _mark_findings(axes, design, profile.name)
        unnamed = f" · lines without a name: {len(lines) - MOST_NAMED}" if len(lines) > MOST_NAMED else ""
        said = f"{who} · timed multipliers off · black: the mix by chance of being met{lasting}{unnamed}"
        finish(axes, f"{shortened(design.title, 50)} · {said}")
        # The places of names are known once the layout is; a figure of our own keeps it, as laying out takes its time.
        (lay_out if ax is not None else settle)(axes.figure.canvas.figure)
        label_in_place(axes, lines[:MOST_NAMED], [(levels, mixed)])
    return axes


def _line(design: Design, name: str, rows: pd.DataFrame, index: int) -> Line:
    limit = design.sources[name].limits_in_words
    label = f"{shortened(name, 30)}\n({limit})" if limit else shortened(name, 30)
    rates = rows["xp_per_hour"].to_numpy(np.float64)
    return Line(rows["level"].to_numpy(np.float64), rates, label, str(accent(index)["color"]))


def _scale(ax: Axes, rates: list[Array], mixed: Array) -> None:
    """Choose the axis: logarithmic where a straight one would bury the weak sources."""
    best = [float(np.nanmax(rate, initial=0.0)) for rate in rates]
    paying = [rate for rate in best if rate > 0]
    unit = "XP per hour, failures and pauses counted"
    ax.set_ylim(bottom=0)
    if paying and max(paying) > LOG_TIMES * min(paying):
        highest = max(*best, float(np.nanmax(mixed)))
        lowest = min(float(rate[rate > 0].min(initial=highest)) for rate in (*rates, mixed))
        ax.set_yscale("log")
        met = float(mixed[mixed > 0].min(initial=highest))  # What is met is never cut, however little it pays.
        bottom = max(lowest * 0.85, min(min(paying) / 2, highest / FLOOR, met * 0.85))
        ax.set_ylim(bottom, highest * (highest / bottom) ** 0.09)  # Room for a name above the highest line.
        unit += ", logarithmic"
    ax.set_ylabel(unit)
    thousands(ax)


def _mark_findings(ax: Axes, design: Design, player: str) -> None:
    """Say on the figure where income goes down, and by how much."""
    found = [finding for finding in check_income(design) if finding.code in MARKED]
    for finding in found:
        if player in finding.players and finding.level is not None:
            left = finding.level < np.mean(ax.get_xlim())
            ax.axvline(finding.level, color=MARK, linewidth=1, linestyle=":")
            ax.annotate(
                fill(finding.reason, 44), (finding.level, 0.03), xycoords=ax.get_xaxis_transform(),
                xytext=(6 if left else -6, 0), textcoords="offset points", va="bottom", fontsize=10.5, color=MARK,
                ha="left" if left else "right",
            )  # fmt: skip
