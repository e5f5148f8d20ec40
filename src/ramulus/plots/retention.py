"""The figure of retention: who is still playing, by day and by level."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

import matplotlib.pyplot as plt
import numpy as np
from matplotlib.ticker import MaxNLocator, PercentFormatter

from ramulus.design.goal import StillPlayingGoal
from ramulus.errors import RamulusError
from ramulus.goals import judge
from ramulus.plots.goal_marks import color_of, mark, say_beside
from ramulus.plots.labels import finish, label_ends, listed, played_in_words
from ramulus.plots.style import QUIET, accent, band, project_style
from ramulus.simulation.still_playing import quit_peaks

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.axes import Axes

    from ramulus.results.result import SimulationResult

SETTLED = 1.15  # How much of the days after the last one that changes anything is worth showing.


def retention(
    result: SimulationResult, ax: Sequence[Axes] | None = None, **figure_options: Any
) -> np.ndarray[Any, Any]:
    """Draw the share of players who have not quit, by calendar day and by level.

    Args:
        result: a simulation.
        ax: two axes (default: those of a new figure).
        figure_options: are passed to the new figure.

    Returns:
        The two axes: a line a profile, a band for its 95 % interval; a level that drives players away is named.

    Raises:
        RamulusError: no profile that was played can quit.

    Examples:
        >>> import ramulus as rm
        >>> result = rm.simulate(rm.demo_design(), players=20)
        >>> axes = rm.plots.retention(result)
    """
    if not result.can_quit:
        raise RamulusError(
            "nobody quits in this design; give a profile stays, quit_chance_per_play_day or patience_hours_per_level"
        )
    places = {name: index for index, name in enumerate(result.players)}
    with project_style():
        if ax is None:
            _, ax = plt.subplots(1, 2, layout="constrained", sharey=True, **figure_options)
        by_day, by_level = np.ravel(np.asarray(ax, dtype=object))
        _draw(by_day, result.still_playing("day"), "day", places)
        _draw(by_level, result.still_playing("level"), "level", places)
        _name_peaks(by_level, result)
        _mark_goals(by_day, by_level, result)
        by_day.set_title("Who is still playing")
        later = any(result.design.profile(name).arrives for name in places)
        by_day.set_xlabel("day since they came, at its end" if later else "calendar day, at its end")
        by_level.set_xlabel("level, on reaching it")
        by_day.set_ylabel("share that has not quit   (band: its 95 % interval)")
        alike = [name for name in places if result.profile(name).quits is None]
        nobody = f" · nobody of {listed(alike, 'profiles')} quits" if alike else ""
        finish([by_day, by_level], f"{played_in_words(result)}{nobody}")
    return np.array([by_day, by_level])


def _draw(ax: Axes, table: pd.DataFrame, column: str, places: dict[str, int]) -> None:
    ends, last = [], 0.0
    for name, rows in table.groupby("player", sort=False):
        known = rows.dropna(subset=["still_playing"])
        if known.empty:
            continue
        look = accent(places[str(name)])
        x, share = known[column].to_numpy(), known["still_playing"].to_numpy()
        low, high = known["still_playing_low"], known["still_playing_high"]
        ax.fill_between(x, low, high, step="post", **band(look["color"], len(places)))
        ax.plot(x, share, drawstyle="steps-post", **look)
        changing = np.nonzero(share > share[-1])[0]
        last = max(last, float(x[min(changing[-1] + 1, len(x) - 1)] if len(changing) else x[0]))
        ends.append((float(x[-1]), float(share[-1]), f"{name} {share[-1]:.0%}", look["color"]))
    # Past the day on which the last one quits or reaches the cap nothing changes any more.
    right = min(last * SETTLED, max(x for x, *_ in ends)) if ends else 1.0
    if not ends:
        ax.text(0.5, 0.5, "no profile has days", transform=ax.transAxes, ha="center", color=QUIET)
    ax.set_xlim(1 if column == "day" else float(table[column].min()), max(right, 2.0))
    ax.set_ylim(0, 1.02)
    ax.xaxis.set_major_locator(MaxNLocator(integer=True))
    ax.yaxis.set_major_formatter(PercentFormatter(1.0, decimals=0))
    label_ends(ax, ends)


def _mark_goals(by_day: Axes, by_level: Axes, result: SimulationResult) -> None:
    """Mark which share is wished to play on until when, and whether it does."""
    for one in judge(result):
        goal = one.goal
        if not isinstance(goal, StillPlayingGoal):
            continue
        ax, at = (by_level, float(goal.level or 0)) if goal.by_day is None else (by_day, float(goal.by_day))
        first, last = ax.get_xlim()
        if not first <= at <= last:
            continue
        color = color_of(one, result.players)
        mark(ax, one, at, goal.wish, color)
        say_beside(ax, f"{goal.player}: {goal.wish:.0%} wished, {one.verdict}", at, goal.wish, color, above=False)


def _name_peaks(ax: Axes, result: SimulationResult) -> None:
    """Mark levels that drive players away, in the free space below."""
    found = 0
    for index, name in enumerate(result.players):
        for peak in quit_peaks(result.profile(name), result.design.track().start_level)[:1]:
            color = accent(index)["color"]
            ax.axvline(peak.level, color=color, linewidth=1, linestyle=":")
            text = f"{name}: at level {peak.level}, {peak.share:.0%} of those\nwho come there run out of patience,\n"
            ax.text(
                0.05, 0.05 + 0.16 * found, text + f"at its neighbours {peak.around:.0%}", transform=ax.transAxes,
                color=color, fontsize=11, bbox={"facecolor": ax.get_facecolor(), "edgecolor": "none"},
            ).set_in_layout(False)  # fmt: skip
            found += 1
