"""The figures of effort: a heat map of any effort column, and income by level."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from ramulus.analysis.effort import effort_table
from ramulus.errors import RamulusError, UnknownNameError
from ramulus.plots.heat import heat_map
from ramulus.plots.style import accent, foot_line, label_ends, new_axes, project_style, thousands
from ramulus.rules.ability import class_at, in_words
from ramulus.rules.pursuit import mix
from ramulus.rules.tabulation import tabulated

if TYPE_CHECKING:
    from matplotlib.axes import Axes

    from ramulus.design import Design

_COLUMNS = {
    "chance": ("chance of being the next encounter, %", "%"),
    "seconds": ("seconds an attempt", ".0f"),
    "success": ("chance of success, %", "%"),
    "award": ("XP on success, mean", ".0f"),
    "xp_per_hour": ("XP per hour", ".0f"),
}


def effort(
    design: Design,
    column: str = "xp_per_hour",
    ax: Axes | None = None,
    *,
    player: str | None = None,
    ability: float = 0.5,
    **figure_options: Any,
) -> Axes:
    """Draw one column of the effort table over levels and sources.

    Args:
        design: the design.
        column: any column of `effort_table`, the design's own shown columns included.
        ax: the axes to draw on (default: those of a new figure).
        player: the profile (default: the first).
        ability: where its players stand among their like, 0 … 1, where traits vary.
        figure_options: are passed to the new figure.

    Returns:
        The axes. Empty cells: the source is closed at that level.

    Raises:
        UnknownNameError: there is no such column.
    """
    who = player or next(iter(design.profiles))
    table = effort_table(design, who, ability=ability)
    said_who = who + in_words(design.profile(who), ability)
    known = [name for name in table.columns if name not in ("player", "level", "source")]
    if column not in known:
        raise UnknownNameError("effort column", column, known)
    if table[column].isna().all():
        raise RamulusError(f"{column!r} has no number at any level for {who}")
    unit, style = _COLUMNS.get(column, (column, ".3g"))
    with project_style():
        axes = new_axes(ax, **figure_options)
        heat_map(axes, table, column, unit, style)
        axes.set_title(f"{unit[0].upper() + unit[1:]}, by level and source ({said_who})")
        said = ["timed multipliers off", *_unlimited(design), "empty: closed at that level"]
        foot_line(axes, " · ".join([design.title, said_who, *said]))
    return axes


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
        The axes.
    """
    tabulation = tabulated(design)
    profile = tabulation.profile(player, class_at(ability))
    levels = tabulation.columns.levels
    table = effort_table(design, profile.name, ability=ability)
    who = profile.name + in_words(profile.player, ability)
    xp, seconds = mix(profile, tabulation.columns.first_column)
    with np.errstate(divide="ignore", invalid="ignore"):
        mixed = 3600 * xp / seconds
    if not np.isfinite(mixed).any():
        raise RamulusError(f"no time passes at any level for {who}: nothing is earned by the hour")
    lasting = ", sources without a limit" if _unlimited(design) else ""
    with project_style():
        axes = new_axes(ax, **figure_options)
        peaks = []
        for index, (name, rows) in enumerate(table.groupby("source", sort=False)):
            look = accent(index)
            limit = design.sources[str(name)].limits_in_words
            axes.plot(rows["level"], rows["xp_per_hour"], **{**look, "linewidth": 1.5})
            if rows["xp_per_hour"].isna().all():
                continue  # No time passes with it.
            best = rows.loc[rows["xp_per_hour"].idxmax()]
            label = f"{name} ({limit})" if limit else str(name)
            peaks.append((float(best["level"]), float(best["xp_per_hour"]), label, look["color"]))
        axes.plot(levels, mixed, color="#23211D", linewidth=3.6)
        axes.set_title(f"What an hour brings, by level ({who})")
        axes.set_xlabel("level")
        axes.set_ylabel("XP per hour, failures and pauses counted")
        axes.set_xlim(float(levels[0]), float(levels[-1]))
        axes.set_ylim(bottom=0)
        thousands(axes)
        label_ends(axes, [(float(levels[-1]), float(mixed[-1]), "the mix", "#23211D")])
        _label_peaks(axes, peaks)
        foot_line(
            axes,
            f"{design.title} · {who} · timed multipliers off · black: the mix by chance of being met{lasting}",
        )
    return axes


def _unlimited(design: Design) -> list[str]:
    """Return what to say where sources are shown as if their uses never ran out."""
    limited = any(any(source.limits) for source in design.sources.values())
    return ["as if no uses ran out"] if limited else []


def _label_peaks(ax: Axes, peaks: list[tuple[float, float, str, str]]) -> None:
    """Label lines above their peaks, one label higher where it would lie on another."""
    to_axes = ax.transData + ax.transAxes.inverted()
    placed: list[tuple[float, float]] = []
    for x, y, text, color in peaks:
        across, up = (float(part) for part in to_axes.transform((x, y)))
        while any(abs(across - a) < 0.11 and abs(up - b) < 0.03 for a, b in placed):
            up += 0.03
        placed.append((across, up))
        ax.annotate(
            text, (across, up), xycoords="axes fraction", xytext=(0, 6), textcoords="offset points", color=color,
            fontsize=11, fontweight="bold", ha="left" if across < 0.1 else "center",
        )  # fmt: skip
