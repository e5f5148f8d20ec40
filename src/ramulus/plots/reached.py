"""The figure of who has reached a level: the share of players, against hours or days."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, Literal, NamedTuple

import numpy as np
from matplotlib.ticker import PercentFormatter

from ramulus.design.goal import ReachedGoal
from ramulus.errors import RamulusError
from ramulus.goals import judge
from ramulus.plots.goal_marks import color_of, mark, say_beside
from ramulus.plots.labels import finish, hours_in_words, label_ends, played_in_words
from ramulus.plots.style import QUIET, accent, new_axes, project_style, time_unit

if TYPE_CHECKING:
    from matplotlib.axes import Axes

    from ramulus.results.result import SimulationResult
    from ramulus.simulation.samples import Sample

POINTS = 300
DAYS = "calendar days"
HOUR = 3600.0


def reached(
    result: SimulationResult, level: int | None = None, ax: Axes | None = None, *,
    by: Literal["hours", "days"] = "hours", track: str | None = None, **figure_options: Any,
) -> Axes:  # fmt: skip
    """Draw the share of players who have reached a level.

    Args:
        result: a simulation.
        level: the level (default: the highest).
        ax: the axes to draw on (default: those of a new figure).
        by: against played hours, or the end of calendar days.
        track: the track (default: the main one).
        figure_options: are passed to the new figure.

    Returns:
        The axes: a line a profile; a dot where half are there. Goals on the share at this level are marked.

    Raises:
        RamulusError: the level lies outside the track, or no profile has calendar days.

    Examples:
        >>> import ramulus as rm
        >>> result = rm.simulate(rm.demo_design(), players=20)
        >>> axes = rm.plots.reached(result, level=10)
    """
    what = result.design.track(track)
    level = what.max_level if level is None else level
    if not what.start_level <= level <= what.max_level:
        raise RamulusError(f"level {level} is outside the track: {what.start_level} … {what.max_level}")
    index, name = level - what.start_level, track or result.design.main_track_name
    samples = {
        player: (getattr(profile.arrivals[name], "seconds" if by == "hours" else "calendar"), profile.players)
        for player, profile in result.played.profiles.items()
    }
    if by == "days" and not any(sample.reached()[0] for sample, _ in samples.values()):
        raise RamulusError("no profile has calendar days; give one hours_per_day, or draw it by hours")
    # Where nobody is there, as far as those came who came furthest.
    last = next((last for one in range(index, -1, -1) if (last := _last(samples, one)) > 0), HOUR)
    last /= HOUR if by == "hours" else 1.0
    scale, unit = time_unit(last) if by == "hours" else (1.0, DAYS)
    with project_style():
        axes = new_axes(ax, **figure_options)
        times, lines = np.linspace(0, last * 1.03, POINTS), []
        halves = result.pace(name).query("level == @level").set_index("player")[f"{by}_p50"]
        for place, (player, (sample, players)) in enumerate(samples.items()):
            at = times * HOUR if by == "hours" else np.floor(times)
            share = np.array([sample.below(index, float(one)) for one in at]) / players
            look = accent(place)
            axes.plot(times * scale, share, drawstyle="default" if by == "hours" else "steps-post", **look)
            half = float(halves[player] * scale)
            lines.append(_Line(player, float(times[-1] * scale), float(share[-1]), half, str(look["color"])))
        axes.axhline(0.5, color=QUIET, linewidth=0.8, linestyle=":")
        axes.set_title(f"Who has reached level {level} ({name})")
        axes.set_xlabel(f"played time, {unit}" if by == "hours" else "calendar day, at its end")
        axes.set_ylabel("share of the players   (dot: when half of them are)")
        axes.set_xlim(0, float(times[-1] * scale))
        axes.set_ylim(0, 1.02)
        axes.yaxis.set_major_formatter(PercentFormatter(1.0, decimals=0))
        _mark_goals(axes, result, level, name, by, scale)
        _name_lines(axes, lines, unit)
        finish(axes, f"{played_in_words(result)} · horizon {result.hours:g} h")
    return axes


class _Line(NamedTuple):
    """A drawn line: whose, where it ends, and when half of the players are there; not a number where they never are."""

    player: str
    end: float
    share: float
    half: float
    color: str


def _name_lines(ax: Axes, lines: list[_Line], unit: str) -> None:
    """Name lines where half of the players are there; to the right of the axes where names would meet there."""
    words = [f"{one.player}\n{_when(one.half, unit)}" if np.isfinite(one.half) else one.player for one in lines]
    for one in lines:
        ax.plot([one.half], [0.5], "o", color=one.color, markersize=7)
    if _apart(lines, words, ax.get_xlim()[1]):
        for one, text in zip(lines, words, strict=True):
            ax.annotate(
                text, (one.half, 0.5), xytext=(9, -6), textcoords="offset points", color=one.color, va="top",
                fontweight="bold",
            )  # fmt: skip
        return
    ends = []
    for one in lines:
        known = f"half: {_when(one.half, unit)}" if np.isfinite(one.half) else f"{one.share:.0%}"
        ends.append((one.end, one.share, f"{one.player} {known}", one.color))
    label_ends(ax, ends)


def _when(half: float, unit: str) -> str:
    """Return when half are there: played time, or the calendar day."""
    return f"day {half:.0f}" if unit == DAYS else hours_in_words(half, unit)


def _apart(lines: list[_Line], words: list[str], right: float) -> bool:
    """Whether all have a name beside their dots with room up to the next one, and the last one up to the end."""
    if not all(np.isfinite(one.half) for one in lines):
        return False
    ordered = sorted((one.half, max(map(len, text.split("\n")))) for one, text in zip(lines, words, strict=True))
    ends = [half for half, _ in ordered[1:]] + [right]
    return all(
        end - half > (0.011 * max(width, 4) + 0.02) * right for (half, width), end in zip(ordered, ends, strict=True)
    )


def _last(samples: dict[str, tuple[Sample, int]], index: int) -> float:
    """Return when the last player of all, but for a hundredth, was there; 0 where nobody was."""
    found = [0.0]
    for sample, _ in samples.values():
        numbers, counts = sample.spread_at(index)
        if counts.sum():
            order = np.argsort(numbers)
            there = np.cumsum(counts[order]) / counts.sum()
            found.append(float(numbers[order][int(np.searchsorted(there, 0.99))]))
    return max(found)


def _mark_goals(ax: Axes, result: SimulationResult, level: int, track: str, by: str, scale: float) -> None:
    for one in judge(result):
        goal = one.goal
        own = (getattr(goal, "track", None) or result.design.main_track_name) == track
        if not (isinstance(goal, ReachedGoal) and own and goal.level == level):
            continue
        when = goal.by_hours if by == "hours" else goal.by_day
        if when is None or float(when) * scale > ax.get_xlim()[1]:
            continue
        color = color_of(one, result.players)
        mark(ax, one, float(when) * scale, goal.reached, color)
        words = f"{goal.player}: {goal.reached:.0%} wished by then, {one.verdict}"
        say_beside(ax, words, float(when) * scale, goal.reached, color, above=True)  # Names stand below.
