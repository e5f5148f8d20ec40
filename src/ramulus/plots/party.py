"""The figure of a party: its members' levels, and by when they have caught up."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import matplotlib.pyplot as plt
import numpy as np
from matplotlib.ticker import MaxNLocator, PercentFormatter

from ramulus.plots.labels import finish, hours_in_words, label_ends, shortened
from ramulus.plots.style import DASHES, accent, project_style, time_unit

if TYPE_CHECKING:
    from collections.abc import Sequence

    from matplotlib.axes import Axes

    from ramulus.results.party import PartyRun


SHARES = ("#5A4B41", "#742F60")  # No member's colour in a party of three.


def party(run: PartyRun, ax: Sequence[Axes] | None = None, **figure_options: Any) -> np.ndarray[Any, Any]:
    """Draw the members' levels over shared encounters, and which share of the parties has caught up by when.

    Args:
        run: what `play_party` returned.
        ax: two axes (default: those of a new figure).
        figure_options: are passed to the new figure.

    Returns:
        The two axes: the median party with a band from p10 to p90; and shares of parties over played hours.

    Examples:
        >>> import ramulus as rm
        >>> run = rm.play_party(rm.demo_design(), encounters=40, parties=20)
        >>> axes = rm.plots.party(run)
    """
    with project_style():
        if ax is None:
            _, ax = plt.subplots(1, 2, layout="constrained", **figure_options)
        pair = np.ravel(np.asarray(ax, dtype=object))
        _draw_levels(pair[0], run)
        _draw_shares(pair[1], run)
        pair[0].set_title("The party's levels")
        band = f"{run.parties:,} parties, seed {run.seed} · line: median; band: p10 to p90"
        finish(pair, f"{shortened(run.design.title, 60)} · {band}")
    return pair


def _caught_up(run: PartyRun, scale: float, unit: str) -> str:
    """Say after how many encounters and hours, in the unit of the axis, half of the parties were on one level."""
    table = run.caught_up()
    after, hours = (table[f"even_{what}"].fillna(np.inf).median() for what in ("after", "hours"))
    if np.isinf(after):
        return "Fewer than half are ever on one level"
    return f"Half are on one level after {after:,.0f} encounters, {hours_in_words(hours * scale, unit)}"


def _draw_shares(ax: Axes, run: PartyRun) -> None:
    """Draw which share of the parties has been on one level, and within one level, by played hours."""
    table, ends = run.caught_up(), []
    there = table[["close_hours", "even_hours"]].to_numpy(dtype=np.float64)
    longest = max(float(run.levels()["hours_p50"].max()), float(np.nanmax(there, initial=0.0)))
    scale, unit = time_unit(longest)
    for index, (column, words) in enumerate((("close_hours", "within one level"), ("even_hours", "on one level"))):
        hours = np.sort(table[column].dropna().to_numpy())
        # Who was there from the start is there at 0; who never was, keeps the line below the top.
        x = np.concatenate([[0.0], hours, [longest]]) * scale
        y = np.concatenate([[0.0], np.arange(1, len(hours) + 1), [len(hours)]]) / run.parties
        ax.plot(x, y, drawstyle="steps-post", color=SHARES[index], linestyle=DASHES[index])
        ends.append((float(x[-1]), float(y[-1]) - 1e-6 * index, f"{words}: {y[-1]:.0%}", SHARES[index]))
    ax.set_title(_caught_up(run, scale, unit))
    ax.set_xlim(0, longest * scale)
    ax.set_ylim(0, 1.02)
    ax.yaxis.set_major_formatter(PercentFormatter(1.0))
    ax.set_xlabel(f"played time, {unit}")
    ax.set_ylabel("share of parties that have been there")
    label_ends(ax, ends, gap=0.045)


def _draw_levels(ax: Axes, run: PartyRun) -> None:
    table, ends = run.levels(), []
    for index, name in enumerate(run.members):
        rows = table[table["member"] == name]
        look, x = accent(index), rows["encounter"]
        ax.fill_between(
            x, rows["level_p10"], rows["level_p90"], step="post", color=look["color"], alpha=0.17, linewidth=0
        )
        ax.plot(x, rows["level_p50"], drawstyle="steps-post", **look)
        last = rows.iloc[-1]
        # Of members who end on one level the first is labelled highest, as in the file.
        height = float(last["level_p50"]) - 1e-6 * index
        ends.append((float(last["encounter"]), height, shortened(name, 32), look["color"]))
    ax.set_xlim(0, float(table["encounter"].max()))
    ax.yaxis.set_major_locator(MaxNLocator(integer=True))
    ax.set_xlabel("shared encounters")
    ax.set_ylabel("level")
    label_ends(ax, ends, gap=0.045)
