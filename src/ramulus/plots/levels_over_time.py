"""The figure of levels over time: how many players are where, as hours or calendar days go by."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, Literal

import matplotlib as mpl
import numpy as np
from matplotlib.ticker import PercentFormatter

from ramulus.errors import RamulusError
from ramulus.plots.labels import finish, played_in_words
from ramulus.plots.style import new_axes, project_style, time_unit
from ramulus.rules.coming import come_on, points_of

if TYPE_CHECKING:
    from matplotlib.axes import Axes

    from ramulus.results.result import SimulationResult

POINTS, BANDS = 240, 8
HOUR = 3600.0
SLOWEST = 0.95  # Of the players who get to the highest band: until when it is drawn.


def levels_over_time(
    result: SimulationResult, player: str | None = None, ax: Axes | None = None, *,
    by: Literal["hours", "days"] = "hours", track: str | None = None, **figure_options: Any,
) -> Axes:  # fmt: skip
    """Draw which share of a profile's players is in which levels, as time goes by.

    Args:
        result: a simulation.
        player: the profile (default: the first).
        ax: the axes to draw on (default: those of a new figure).
        by: against played hours, or the end of calendar days.
        track: the track (default: the main one).
        figure_options: are passed to the new figure.

    Returns:
        The axes: bands of levels, the highest on top, with the highest level that each player has reached by then.

    Raises:
        UnknownNameError: the profile was not played.
        RamulusError: the profile has no calendar days.

    Examples:
        >>> import ramulus as rm
        >>> result = rm.simulate(rm.demo_design(), players=20)
        >>> axes = rm.plots.levels_over_time(result, "steady")
    """
    profile = result.profile(player)
    name, what = track or result.design.main_track_name, result.design.track(track)
    arrivals = profile.arrivals[name]
    sample = arrivals.seconds if by == "hours" else arrivals.calendar
    if by == "days" and not sample.reached()[0]:
        raise RamulusError(f"{profile.profile} has no calendar days; give it hours_per_day, or draw it by hours")
    firsts = _first_levels(what.start_level, what.max_level)
    there = sample.reached()
    top = max(index for index in range(len(there)) if there[index] >= 0.05 * profile.players)
    rank = np.maximum(np.floor(SLOWEST * there).astype(np.int64), 1)
    last = float(sample.at_rank(rank)[top]) / (HOUR if by == "hours" else 1.0)
    scale, unit = time_unit(last) if by == "hours" else (1.0, "calendar days")
    # Days are counted from 1, and said of their ends.
    times = np.linspace(0, max(last, 1e-9), POINTS) if by == "hours" else np.arange(1.0, max(last, 2.0) + 1)
    at = times * HOUR if by == "hours" else times
    above = [[sample.below(one - what.start_level, float(t)) for t in at] for one in firsts[1:]]
    # All hold the start level, who has not begun to play among them; who has not come by a day is nowhere.
    arrives = points_of(result.design.profile(profile.profile).arrives) if by == "days" else ()
    came_on = come_on(arrives, np.arange(profile.players))
    come = [np.count_nonzero(came_on <= t) for t in at] if arrives else [profile.players] * len(times)
    shares = np.array([come, *above, [0] * len(times)], dtype=float) / profile.players
    with project_style():
        axes = new_axes(ax, **figure_options)
        colors = mpl.colormaps["cividis_r"](np.linspace(0.06, 0.94, len(firsts)))
        step: Literal["post"] | None = None if by == "hours" else "post"
        for place, color in enumerate(colors):
            axes.fill_between(times * scale, shares[place + 1], shares[place], step=step, color=color, linewidth=0)
        axes.set_title(f"Where {profile.profile} players are ({name})")
        axes.set_xlabel(f"played time, {unit}" if by == "hours" else "calendar day, at its end")
        axes.set_ylabel("share of the players, by the highest level they have reached")
        axes.set_xlim(float(times[0] * scale), float(times[-1] * scale))
        axes.set_ylim(0, 1)
        axes.yaxis.set_major_formatter(PercentFormatter(1.0, decimals=0))
        _name_bands(axes, times * scale, shares, firsts, what.max_level)
        if arrives:
            axes.annotate("not come yet", (0.02, 0.97), xycoords="axes fraction", va="top", fontsize=11)
        foot = played_in_words(result, [profile.profile])
        finish(axes, f"{foot} · whoever has quit counts where it would be")
    return axes


def _first_levels(start: int, cap: int) -> list[int]:
    """Return the first level of each band: round numbers where there are many levels, and the cap alone."""
    span = cap - start
    size = next((one for one in (1, 2, 5, 10, 20, 25, 50, 100, 200, 500) if span / one <= BANDS), 1000)
    inner = [level for level in range(start + 1, cap) if level % size == 0]
    return [start, *inner, cap]


def _name_bands(ax: Axes, times: Any, shares: Any, firsts: list[int], cap: int) -> None:
    """Write the levels of a band where it is widest, if there is room."""
    for place, first in enumerate(firsts):
        widths = shares[place] - shares[place + 1]
        best = int(np.argmax(widths))
        if widths[best] <= 0:
            continue
        # In the middle of where it is about as wide as that.
        widest = np.flatnonzero(widths >= 0.85 * widths[best])
        best = int(widest[len(widest) // 2])
        until = firsts[place + 1] - 1 if place + 1 < len(firsts) else cap
        words = f"{first}" if until == first else f"{first}–{until}"
        middle = float(shares[place, best] + shares[place + 1, best]) / 2
        if widths[best] < 0.12 or best < 0.02 * len(times) or best > 0.98 * len(times):
            side = "left" if best < len(times) / 2 else "right"
            ax.annotate(words, (times[best], 1), xytext=(0, 4), textcoords="offset points", ha=side, fontsize=10)
        else:
            color = "#23211D" if place < len(firsts) / 2 else "white"
            ax.text(times[best], middle, words, ha="center", va="center", color=color, fontsize=11)
