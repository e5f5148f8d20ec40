"""The figure of time within levels: where it drags, and for whom."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np

from ramulus.design.goal import LongestLevelGoal
from ramulus.goals import MISSED, first_over, judge, limits
from ramulus.plots.drags import Drag, drags_of
from ramulus.plots.goal_marks import backed, color_of
from ramulus.plots.labels import finish, label_ends, played_in_words
from ramulus.plots.style import QUIET, accent, band, new_axes, project_style
from ramulus.words.writers import duration

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.axes import Axes

    from ramulus.results.result import SimulationResult


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

    Examples:
        >>> import ramulus as rm
        >>> result = rm.simulate(rm.demo_design(), players=20)
        >>> axes = rm.plots.time_in_level(result)
    """
    table = result.time_in_level(track)
    longest = float(np.nanmax(table[["hours_p50", "hours_p90"]].to_numpy(), initial=0.0))
    scale, unit = (60.0, "minutes") if longest < 1.5 else (1.0, "hours")
    with project_style():
        axes = new_axes(ax, **figure_options)
        by_player = [rows for _, rows in table.groupby("player", sort=False)]
        ends = [_line(axes, rows, index, len(by_player), scale) for index, rows in enumerate(by_player)]
        name = track or result.design.main_track_name
        axes.set_title(f"How long each level keeps players ({name})")
        axes.set_xlabel("level")
        axes.set_ylabel(f"played time to the next level, {unit}")
        axes.set_xlim(float(table["level"].min()), float(table["level"].max()) - 1)
        axes.set_ylim(0, axes.get_ylim()[1] * 1.04)
        _name_notes(axes, [*_notes_of_drags(drags_of(result, track)), *_notes_of_gates(table)], scale)
        _mark_goals(axes, result, name, scale)
        label_ends(axes, [end for end in ends if end is not None])
        gates = "; gates apart" if "gate_hours_p50" in table else ""
        finish(axes, f"{played_in_words(result)} · line: the median player; band: p10 to p90{gates}")
    return axes


def _line(ax: Axes, rows: pd.DataFrame, index: int, of: int, scale: float) -> tuple[float, float, str, str] | None:
    known, look = rows.dropna(subset=["hours_p50"]), accent(index)
    if known.empty:
        return None
    low, high = known["hours_p10"] * scale, known["hours_p90"].fillna(known["hours_p50"]) * scale
    ax.fill_between(known["level"], low, high, **band(look["color"], of))
    ax.plot(known["level"], known["hours_p50"] * scale, **look)
    last = known.iloc[-1]
    return float(last["level"]), float(last["hours_p50"] * scale), str(last["player"]), str(look["color"])


class _Note(NamedTuple):
    """Something to be said of a level: the level, its hours, and the words."""

    level: float
    hours: float
    words: str


def _notes_of_drags(drags: list[Drag]) -> list[_Note]:
    """Return the levels that are long beside their neighbours."""
    return [_Note(drag.level, drag.hours, drag.words) for drag in drags]


def _notes_of_gates(table: pd.DataFrame) -> list[_Note]:
    """Return the levels at whose gates the median player stands for a minute and more, and how long."""
    if "gate_hours_p50" not in table:
        return []
    notes = []
    for level, rows in table[table["gate_hours_p50"] * 60 >= 1].groupby("level"):
        who = ", ".join(f"{row.player} {duration(row.gate_hours_p50)}" for row in rows.itertuples())
        notes.append(_Note(float(level), float(rows["hours_p50"].max()), f"at the gate of level {level}: {who}"))
    return notes


def _name_notes(ax: Axes, notes: list[_Note], scale: float) -> None:
    """Say what is to be said of levels above their peaks."""
    top = 0.965 * ax.get_ylim()[1]
    for place, note in enumerate(notes):
        height = top * (1 - 0.045 * place)
        ax.plot([note.level, note.level], [note.hours * scale, height], color=QUIET, linewidth=1, linestyle=":")
        left = note.level > sum(ax.get_xlim()) / 2
        ax.annotate(
            note.words, (note.level, height), xytext=(-6 if left else 6, 0), textcoords="offset points", fontsize=11,
            va="center", ha="right" if left else "left",
        )  # fmt: skip


def _mark_goals(ax: Axes, result: SimulationResult, track: str, scale: float) -> None:
    """Draw the most that goals allow a level to take, and where that is first too much."""
    for one in judge(result):
        goal = one.goal
        if not isinstance(goal, LongestLevelGoal) or (goal.track or result.design.main_track_name) != track:
            continue
        color = color_of(one, result.players)
        first, last = ax.get_xlim()
        ends = [first if goal.from_level is None else goal.from_level, last if goal.to_level is None else goal.to_level]
        height = limits(goal)[1] * scale
        ax.plot(ends, [height, height], color=color, linewidth=1.2, linestyle="--")
        over = first_over(goal, result, limits(goal)[1]) if one.verdict == MISSED else None
        first_missed = "" if over is None else f" (first at level {over})"
        words = f"goal of {goal.player}: at most {goal.wish:g} h, {one.verdict}{first_missed}"
        at = ends[0] + 0.02 * (ends[1] - ends[0])
        if math.isfinite(height):
            ax.annotate(
                words, (at, height), xytext=(0, 4), textcoords="offset points", color=color, fontsize=11,
                bbox=backed(ax),
            )  # fmt: skip
