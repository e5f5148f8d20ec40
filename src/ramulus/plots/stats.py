"""The figure of stats: how each grows with level."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

import matplotlib.pyplot as plt
import numpy as np
from matplotlib.ticker import MaxNLocator

from ramulus.design.names import stat_track
from ramulus.plots.labels import finish, label_ends, listed, shortened
from ramulus.plots.style import QUIET, accent, new_axes, project_style, thousands
from ramulus.rules.tabulation import tabulated
from ramulus.words.writers import significant

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.lines import Line2D

    from ramulus.design import Design

MOST_ACROSS, LONGEST_LEGEND, FEW_LEVELS = 4, 52, 60


def stats(
    design: Design, names: Sequence[str] | None = None, ax: Axes | None = None, *, player: str | None = None,
    relative: bool = False, **figure_options: Any,
) -> np.ndarray[Any, Any]:  # fmt: skip
    """Draw how stats grow with level.

    Args:
        design: the design.
        names: the stats (default: all of the main track).
        ax: the axes to draw on; only with `relative` (default: those of a new figure).
        player: the profile whose upgrades count (default: every profile, a line each; without profiles, none).
        relative: draw all stats on one axis, over their value at the start.
        figure_options: are passed to the new figure.

    Returns:
        The axes, one a stat, or a single one with `relative`.

    Raises:
        MissingPartError: the design has no stats.

    Examples:
        >>> import ramulus as rm
        >>> axes = rm.plots.stats(rm.demo_design(), ["shear"])
    """
    design.require("stats", "a figure of stats")
    main = design.main_track_name
    chosen = list(names or [name for name, stat in design.stats.items() if stat_track(design, stat) == main])
    with project_style():
        if relative:
            axes = np.array([new_axes(ax, **figure_options)])
            _relative(axes[0], design, chosen, player)
        else:
            rows = -(-len(chosen) // MOST_ACROSS)
            across = -(-len(chosen) // rows)
            _, grid = plt.subplots(rows, across, layout="constrained", squeeze=False, **figure_options)
            axes = grid.ravel()[: len(chosen)]
            for unused in grid.ravel()[len(chosen) :]:
                unused.set_visible(False)
            _own_axes(axes, design, chosen, player)
        finish(axes, f"{design.title}{_what_they_buy(design, player)}")
    return axes


def _levels(design: Design, name: str) -> Any:
    track = design.track(stat_track(design, design.stats[name]))
    return np.arange(track.start_level, track.max_level + 1)


def _own_axes(axes: Any, design: Design, names: list[str], player: str | None) -> None:
    profiles: list[str | None] = [player] if player else [*design.players] or [None]
    tables = {who: tabulated(design).stats(who) for who in profiles}
    looks = {who: accent(index) for index, who in enumerate(profiles)}
    named: dict[str, Any] = {}  # A line in the legend for each group of profiles that grow alike in some panel.
    for ax, name in zip(axes, names, strict=True):
        lines = {who: table[name].values for who, table in tables.items()}
        alike = _alike(lines)
        drawn = [_line(ax, _levels(design, name), lines[who[0]], looks[who[0]]) for who in alike]
        if len(alike) > 1:
            named |= {", ".join(map(str, who)): line for who, line in zip(alike, drawn, strict=True)}
        ax.set_title(name, fontsize=14, pad=22)
        alone = len(alike) == 1 < len(lines)
        ax.annotate(
            "same for everyone" if alone else "by profile" if len(alike) > 1 else "", (0, 1), xytext=(0, 5),
            xycoords="axes fraction", textcoords="offset points", fontsize=11, color=QUIET,
        )  # fmt: skip
        ax.set_xlabel("level", fontsize=12, labelpad=1)
        ax.set_ylabel("in its own unit", fontsize=12, labelpad=1)
        ax.set_ylim(bottom=0)
        if ax.get_ylim()[1] >= 1000:
            thousands(ax)
        ax.margins(x=0.01)
        ax.xaxis.set_major_locator(MaxNLocator(nbins=5, integer=True))
        _name_ends(ax, drawn)
    if named:
        axes[0].figure.legend(
            named.values(), [shortened(words, LONGEST_LEGEND) for words in named], loc="outside upper left",
            ncols=min(len(named), 3), fontsize=11,
        )  # fmt: skip


def _line(ax: Axes, levels: Any, values: Any, look: dict[str, Any]) -> Line2D:
    return ax.plot(levels, values, drawstyle="steps-mid" if len(levels) <= FEW_LEVELS else "default", **look)[0]


def _name_ends(ax: Axes, drawn: list[Line2D]) -> None:
    """Write where lines end; once where they meet."""
    ends = []
    for line in drawn:
        x, y = (float(np.asarray(part)[-1]) for part in line.get_data())
        ends.append((x, y, significant(y), str(line.get_color())))
    meet = len({text for _, _, text, _ in ends}) == 1 < len(ends)
    label_ends(ax, [(*ends[0][:3], QUIET)] if meet else ends, gap=0.045)


def _what_they_buy(design: Design, player: str | None) -> str:
    """Say why profiles differ: which upgrades each buys."""
    if not design.upgrades:
        return ""
    if player is not None:
        return f" · upgrades as {player} buys"
    orders: dict[str, list[str]] = {}
    for name, profile in design.players.items():
        orders.setdefault(", ".join(dict.fromkeys(profile.spends)) or "nothing", []).append(name)
    said = "; ".join(f"{listed(who, 'profiles')}: {what}" for what, who in orders.items())
    return f" · they buy upgrades in this order: {said}"


def _alike(lines: dict[str | None, Any]) -> list[list[str | None]]:
    """Return the profiles grouped by equal lines."""
    groups: list[list[str | None]] = []
    for who, values in lines.items():
        same = next((group for group in groups if np.array_equal(lines[group[0]], values)), None)
        if same is None:
            groups.append([who])
        else:
            same.append(who)
    return groups


def _relative(ax: Axes, design: Design, names: list[str], player: str | None) -> None:
    curves = tabulated(design).stats(player or next(iter(design.players), None))
    ends = []
    for index, name in enumerate(names):
        values = curves[name].values
        values = values / values[0] if values[0] else values
        ax.plot(_levels(design, name), values, drawstyle="steps-mid", **accent(index))
        ends.append(
            (
                float(_levels(design, name)[-1]),
                float(values[-1]),
                f"{name} ×{values[-1]:.3g}",
                accent(index)["color"],
            )
        )
    ax.set_title("How each stat grows, over its value at the start")
    ax.set_xlabel("level")
    ax.set_ylabel("times the start value")
    ax.set_ylim(bottom=0)
    label_ends(ax, ends)
