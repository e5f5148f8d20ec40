"""The figure of who has reached a level: the share of players, against hours or days."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, Literal

import numpy as np
from matplotlib.ticker import PercentFormatter

from ramulus.design.goal import ReachedGoal
from ramulus.errors import RamulusError
from ramulus.plots.style import MARK, QUIET, accent, foot_line, label_ends, new_axes, project_style, time_unit

if TYPE_CHECKING:
    from matplotlib.axes import Axes

    from ramulus.analysis.result import SimulationResult
    from ramulus.formula.functions import Array
    from ramulus.simulation.samples import Sample

POINTS = 300
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
    """
    what = result.design.track(track)
    level = what.max_level if level is None else level
    if not what.start_level <= level <= what.max_level:
        raise RamulusError(f"level {level} is outside the track: {what.start_level} … {what.max_level}")
    index, name = level - what.start_level, track or result.design.main_track_name
    samples = {
        player: (getattr(profile.arrivals[name], "seconds" if by == "hours" else "days"), profile.players)
        for player, profile in result.played.profiles.items()
    }
    last = _last(samples, index) / (HOUR if by == "hours" else 1.0)
    if not last > 0 and by == "days":
        raise RamulusError("no profile has calendar days; give one hours_per_day, or draw it by hours")
    scale, unit = time_unit(last) if by == "hours" else (1.0, "calendar days")
    with project_style():
        axes = new_axes(ax, **figure_options)
        times, lines = np.linspace(0, max(last, 1e-9) * 1.03, POINTS), []
        for place, (player, (sample, players)) in enumerate(samples.items()):
            at = times * HOUR if by == "hours" else np.floor(times)
            share = np.array([sample.below(index, float(one)) for one in at]) / players
            look = accent(place)
            axes.plot(times * scale, share, drawstyle="default" if by == "hours" else "steps-post", **look)
            lines.append((player, times * scale, share, str(look["color"])))
        axes.axhline(0.5, color=QUIET, linewidth=0.8, linestyle=":")
        axes.set_title(f"Who has reached level {level} ({name})")
        axes.set_xlabel(f"played time, {unit}" if by == "hours" else "calendar day, at its end")
        axes.set_ylabel("share of the players   (dot: when half of them are)")
        axes.set_xlim(0, float(times[-1] * scale))
        axes.set_ylim(0, 1.02)
        axes.yaxis.set_major_formatter(PercentFormatter(1.0, decimals=0))
        _mark_goals(axes, result, level, name, by, scale)
        _name_lines(axes, lines)
        counts = ", ".join(f"{count:,} {who}" for who, count in result.players.items())
        foot_line(axes, f"{result.design.title} · {counts} · seed {result.seed} · horizon {result.hours:g} h")
    return axes


def _name_lines(ax: Axes, lines: list[tuple[str, Array, Array, str]]) -> None:
    """Name lines where half of the players are there; to the right of the axes where names would meet there."""
    halves = [float(times[int(np.argmax(share >= 0.5))]) if share[-1] >= 0.5 else None for _, times, share, _ in lines]
    dots = [(half, name, color) for half, (name, _, _, color) in zip(halves, lines, strict=True) if half is not None]
    for half, _, color in dots:
        ax.plot([half], [0.5], "o", color=color, markersize=7)
    if len(dots) == len(lines) and _apart(dots, ax.get_xlim()[1]):
        for half, name, color in dots:
            ax.annotate(
                f"{name}\n{half:.3g}", (half, 0.5), xytext=(9, -6), textcoords="offset points", color=color, va="top",
                fontweight="bold",
            )  # fmt: skip
        return
    ends = []
    for when, (name, times, share, color) in zip(halves, lines, strict=True):
        text = f"{name} {share[-1]:.0%}" if when is None else f"{name} {when:.3g}"
        ends.append((float(times[-1]), float(share[-1]), text, color))
    label_ends(ax, ends)


def _apart(dots: list[tuple[float, str, str]], right: float) -> bool:
    """Whether names beside the dots have room up to the next one, and the last one up to the end."""
    ordered = sorted(dots)
    ends = [half for half, _, _ in ordered[1:]] + [right]
    return all(
        end - half > (0.011 * max(len(name), 4) + 0.02) * right
        for (half, name, _), end in zip(ordered, ends, strict=True)
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
    for goal in result.design.goals:
        own = (getattr(goal, "track", None) or result.design.main_track_name) == track
        if not (isinstance(goal, ReachedGoal) and own and goal.level == level):
            continue
        when = goal.by_hours if by == "hours" else goal.by_day
        if when is not None:
            ax.plot([float(when) * scale], [goal.reached], "P", color=MARK, markersize=11, zorder=5)
            text = f"{goal.player}: {goal.reached:.0%} wished by then"
            ax.annotate(
                text, (float(when) * scale, goal.reached), xytext=(10, -14), textcoords="offset points", color=MARK
            )
