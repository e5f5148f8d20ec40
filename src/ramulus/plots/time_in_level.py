"""The figure of time within levels: where it drags, and for whom."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any

import numpy as np

from ramulus.design.goal import EVERYONE, LongestLevelGoal
from ramulus.plots.style import QUIET, accent, foot_line, label_ends, new_axes, project_style

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.axes import Axes

    from ramulus.analysis.result import SimulationResult

STANDS_OUT = 1.5  # Times the mean of its neighbours.


def time_in_level(
    result: SimulationResult, ax: Axes | None = None, *, track: str | None = None, **figure_options: Any
) -> Axes:
    """Draw how long each level keeps players, by profile.

    Args:
        result: a simulation.
        ax: the axes to draw on (default: those of a new figure).
        track: the track (default: the main one).
        figure_options: are passed to the new figure.

    Returns:
        The axes: played time from each level to the next; the line is the median player, the band p10 to p90. The
        level that drags most beside its neighbours is named, and goals on the longest level are marked.
    """
    table = result.time_in_level(track)
    slowest = result.slowest(track).set_index("player")
    longest = float(np.nanmax(table[["hours_p50", "hours_p90"]].to_numpy(), initial=0.0))
    scale, unit = (60.0, "minutes") if longest < 1.5 else (1.0, "hours")
    with project_style():
        axes = new_axes(ax, **figure_options)
        ends = [_line(axes, rows, index, scale) for index, (_, rows) in enumerate(table.groupby("player", sort=False))]
        name = track or result.design.main_track_name
        axes.set_title(f"How long each level keeps players ({name})")
        axes.set_xlabel("level")
        axes.set_ylabel(f"played time to the next level, {unit}")
        axes.set_xlim(float(table["level"].min()), float(table["level"].max()) - 1)
        axes.set_ylim(0, axes.get_ylim()[1] * 1.04)
        _name_drags(axes, slowest, scale)
        _mark_goals(axes, result, name, scale)
        label_ends(axes, [end for end in ends if end is not None])
        players = ", ".join(f"{count:,} {who}" for who, count in result.players.items())
        foot_line(axes, f"{result.design.title} · {players} · seed {result.seed} · line: median; band: p10 to p90")
    return axes


def _line(ax: Axes, rows: pd.DataFrame, index: int, scale: float) -> tuple[float, float, str, str] | None:
    known, look = rows.dropna(subset=["hours_p50"]), accent(index)
    if known.empty:
        return None
    low, high = known["hours_p10"] * scale, known["hours_p90"].fillna(known["hours_p50"]) * scale
    ax.fill_between(known["level"], low, high, color=look["color"], alpha=0.15, linewidth=0)
    ax.plot(known["level"], known["hours_p50"] * scale, **look)
    last = known.iloc[-1]
    return float(last["level"]), float(last["hours_p50"] * scale), str(last["player"]), str(look["color"])


def _name_drags(ax: Axes, slowest: pd.DataFrame, scale: float) -> None:
    """Name the levels that are long beside their neighbours above their peaks, once for all profiles."""
    standing_out = slowest[slowest["times"] > STANDS_OUT]
    for level, rows in standing_out.groupby("drags_level"):
        times = rows["times"]
        much = f"{times.min():.1f}" if times.max() - times.min() < 0.05 else f"{times.min():.1f} to {times.max():.1f}"
        whom = "" if len(rows) == len(slowest) else f" ({', '.join(map(str, rows.index))})"
        peak = (level, float(rows["drags_hours"].max()) * scale)
        ax.plot([level, level], [peak[1], 0.965 * ax.get_ylim()[1]], color=QUIET, linewidth=1, linestyle=":")
        ax.annotate(
            f"level {level:g}: {much} times its neighbours{whom}", (level, 0.965 * ax.get_ylim()[1]), xytext=(6, 0),
            textcoords="offset points", fontsize=11, va="center",
        )  # fmt: skip


def _mark_goals(ax: Axes, result: SimulationResult, track: str, scale: float) -> None:
    """Draw the most that goals allow a level to take."""
    players = list(result.players)
    for goal in result.design.goals:
        if not isinstance(goal, LongestLevelGoal) or (goal.track or result.design.main_track_name) != track:
            continue
        color = QUIET if goal.player == EVERYONE or goal.player not in players else None
        color = color or accent(players.index(goal.player))["color"]
        first, last = ax.get_xlim()
        ends = [first if goal.from_level is None else goal.from_level, last if goal.to_level is None else goal.to_level]
        height = float(goal.wish) * (1 + goal.allowance) * scale
        ax.plot(ends, [height, height], color=color, linewidth=1.2, linestyle="--")
        words = f"goal of {goal.player}: at most {goal.wish:g} h"
        at = ends[0] + 0.02 * (ends[1] - ends[0])
        if math.isfinite(height):
            ax.annotate(words, (at, height), xytext=(0, 4), textcoords="offset points", color=color, fontsize=11)
