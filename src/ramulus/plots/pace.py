"""The figure of pace: played time to each level, a line and a band a profile."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from ramulus.design.goal import HoursGoal
from ramulus.goals import judge, limits
from ramulus.plots.drags import drags_of
from ramulus.plots.goal_marks import backed, color_of, mark
from ramulus.plots.labels import finish, hours_in_words, label_tops, played_in_words
from ramulus.plots.style import QUIET, accent, band, new_axes, project_style, time_unit

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.axes import Axes

    from ramulus.formula.functions import Array
    from ramulus.goals import Judged
    from ramulus.results.result import SimulationResult

FREE = 0.5  # Of the way across: where a goal's mark ends before it, the right is free for words.


def pace(
    result: SimulationResult, ax: Axes | None = None, *, track: str | None = None, by_ability: bool = False,
    **figure_options: Any,
) -> Axes:  # fmt: skip
    """Draw how fast each player profile reaches each level.

    Args:
        result: a simulation.
        ax: the axes to draw on (default: those of a new figure).
        track: the track (default: the main one).
        by_ability: draw the slow, middle and able third of each profile, without bands.
        figure_options: are passed to the new figure, such as ``figsize``.

    Returns:
        The axes: level over played time; the line is the median player, the band p10 to p90.

    Examples:
        >>> import ramulus as rm
        >>> result = rm.simulate(rm.demo_design(), players=20)
        >>> axes = rm.plots.pace(result)
    """
    table = result.pace(track, by_ability=by_ability)
    with project_style():
        axes = new_axes(ax, **figure_options)
        longest = float(np.nanmax(table[["hours_p50", "hours_p90"]].to_numpy(), initial=0.0))
        scale, unit = time_unit(longest)
        by_player = [rows for _, rows in table.groupby("player", sort=False)]
        ends = [
            _thirds(axes, rows, i, scale) if by_ability else _line(axes, rows, i, len(by_player), scale)
            for i, rows in enumerate(by_player)
        ]
        name = track or result.design.main_track_name
        axes.set_title(f"How fast each kind of player levels ({name})", pad=44)
        shown = "line: the median player; band: p10 to p90, all but the fastest and the slowest tenth"
        if by_ability:
            shown = "the median player of each third by ability: able dotted, middle solid, slow dashed"
        axes.set_xlabel(f"played time, {unit}")
        axes.set_ylabel("level")
        axes.set_xlim(left=0)
        axes.set_ylim(float(table["level"].min()), float(table["level"].max()) * 1.02)
        marked = _mark_goals(axes, result, scale, name)
        if not by_ability:
            _name_drags(axes, result, name, marked)
        label_tops(axes, [end for end in ends if end is not None])
        finish(axes, f"{played_in_words(result)} · horizon {result.hours:g} h · {shown}")
    return axes


def _name_drags(ax: Axes, result: SimulationResult, track: str, marked: list[int]) -> None:
    """Say what a kink is, beside its level, where no goal stands."""
    low, high = ax.get_ylim()
    for drag in drags_of(result, track):
        if all(abs(drag.level - level) > 0.05 * (high - low) for level in marked):
            marked = [*marked, drag.level]
            ax.axhline(drag.level, color=QUIET, linewidth=0.9, linestyle=":")
            ax.annotate(
                drag.words, (0.985, drag.level), xytext=(0, -4), xycoords=ax.get_yaxis_transform(),
                textcoords="offset points", ha="right", va="top", fontsize=10.5, color=QUIET,
            )  # fmt: skip


def _mark_goals(ax: Axes, result: SimulationResult, scale: float, track: str) -> list[int]:
    """Mark goals of median hours to a level: the wish with its tolerance, a cross where it is missed.

    Returns the levels that are marked.
    """
    players, main, marked = list(result.players), result.design.main_track_name, []
    for one in judge(result):
        goal = one.goal
        if not isinstance(goal, HoursGoal) or goal.level is None or goal.quantile != 0.5:
            continue
        if (goal.track or main) != track or goal.player not in players:
            continue
        _mark_goal(ax, one, goal.level, limits(goal), scale, color_of(one, players))
        marked.append(goal.level)
    return marked


def _mark_goal(ax: Axes, one: Judged, level: int, ends: tuple[float, float], scale: float, color: str) -> None:
    edge, wish = ax.get_xlim()[1], float(one.goal.wish) * scale
    low, high = (min(end * scale, edge) for end in ends)  # A wish may lie beyond the time that anybody took.
    ax.plot([low, high], [level] * 2, color=color, linewidth=5, alpha=0.45, solid_capstyle="butt", zorder=4)
    beyond = " (right of this)" if wish > edge else ""
    if not beyond:
        mark(ax, one, wish, level, color)
    words = f"{one.goal.player}, level {level}: wish {one.goal.wish:g} h{beyond}, {one.verdict}"
    look: dict[str, Any] = {"color": color, "ha": "right", "fontsize": 10.5, "bbox": backed(ax), "zorder": 6}
    if high > FREE * edge:  # The mark itself is where words would stand.
        ax.annotate(
            words, (0.985, level), xycoords=ax.get_yaxis_transform(), xytext=(0, 9), textcoords="offset points",
            va="bottom", **look,
        )  # fmt: skip
        return
    # The lower right is free: who is slow at high levels is slow at all.
    ax.annotate(
        words, (high, level), xytext=(0.985, level), textcoords=ax.get_yaxis_transform(), va="center",
        arrowprops={"arrowstyle": "-", "linestyle": ":", "color": color}, **look,
    )  # fmt: skip


THIRD_DASHES = {"slow third": "--", "able third": ":"}


def _thirds(ax: Axes, rows: pd.DataFrame, index: int, scale: float) -> tuple[float, float, str, str] | None:
    """Draw the thirds of one profile and return the label of the middle one."""
    middle = None
    for third, of_third in rows.groupby("third", sort=False):
        if third in THIRD_DASHES:
            look = {**accent(index), "linestyle": THIRD_DASHES[str(third)], "linewidth": 1.6}
            ax.plot(of_third["hours_p50"] * scale, of_third["level"], **look)
        else:
            ax.plot(of_third["hours_p50"] * scale, of_third["level"], **accent(index))
            middle = _end(of_third, of_third["hours_p50"].to_numpy() * scale, index, scale)
    return middle


def _line(ax: Axes, rows: pd.DataFrame, index: int, of: int, scale: float) -> tuple[float, float, str, str] | None:
    """Draw one profile and return its label, or None where not even half reached a second level."""
    look = accent(index)
    level = rows["level"].to_numpy()
    fast, median, slow = (rows[f"hours_p{q}"].to_numpy() * scale for q in (10, 50, 90))
    # Where the slowest tenth never arrived, the band stays open to the last time that is known.
    open_end = np.where(np.isnan(slow), np.nanmax(slow, initial=0.0), slow)
    shown = ~np.isnan(fast)
    ax.fill_betweenx(
        level[shown],
        fast[shown],
        np.fmax(open_end, fast)[shown],
        **band(look["color"], of),
    )
    ax.plot(median, level, **look)
    return _end(rows, median, index, scale)


def _end(rows: pd.DataFrame, median: Array, index: int, scale: float) -> tuple[float, float, str, str] | None:
    """Return the label at the end of a line, or None where not even half reached a second level."""
    level, arrived = rows["level"].to_numpy(), np.nonzero(~np.isnan(median))[0]
    if not len(arrived):
        return None
    last = int(arrived[-1])
    name = str(rows["player"].iloc[0])
    reached = "" if last == len(level) - 1 else f" to level {level[last]}"
    text = f"{name}\n{hours_in_words(median[last], 'minutes' if scale == 60 else 'hours')}{reached}"
    return float(median[last]), float(level[last]), text, str(accent(index)["color"])
