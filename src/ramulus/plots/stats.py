"""The figure of stats: how each grows with level."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

import matplotlib.pyplot as plt
import numpy as np

from ramulus.design.names import stat_track
from ramulus.plots.style import QUIET, accent, foot_line, label_ends, new_axes, project_style
from ramulus.rules.tabulation import tabulated

if TYPE_CHECKING:
    from matplotlib.axes import Axes

    from ramulus.design import Design


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
    """
    design.require("stats", "a figure of stats")
    main = design.main_track_name
    chosen = list(names or [name for name, stat in design.stats.items() if stat_track(design, stat) == main])
    with project_style():
        if relative:
            axes = np.array([new_axes(ax, **figure_options)])
            _relative(axes[0], design, chosen, player)
        else:
            _, grid = plt.subplots(1, len(chosen), layout="constrained", squeeze=False, **figure_options)
            axes = grid[0]
            _own_axes(axes, design, chosen, player)
        foot_line(axes[0], f"{design.title}{_what_they_buy(design, player)}")
    return axes


def _levels(design: Design, name: str) -> Any:
    track = design.track(stat_track(design, design.stats[name]))
    return np.arange(track.start_level, track.max_level + 1)


def _own_axes(axes: Any, design: Design, names: list[str], player: str | None) -> None:
    profiles: list[str | None] = [player] if player else [*design.players] or [None]
    tables = {who: tabulated(design).stats(who) for who in profiles}
    for ax, name in zip(axes, names, strict=True):
        levels = _levels(design, name)
        lines = {who: table[name].values for who, table in tables.items()}
        ends, alike = [], _alike(lines)
        for index, who in enumerate(alike):
            values = lines[who[0]]
            ax.plot(levels, values, drawstyle="steps-mid", label=", ".join(map(str, who)), **accent(index))
            ends.append((float(levels[-1]), float(values[-1]), f"{values[-1]:.4g}", accent(index)["color"]))
        if len({text for _, _, text, _ in ends}) == 1 < len(ends):
            ends = [(*ends[0][:3], QUIET)]
        ax.set_title(name)
        ax.set_xlabel("level")
        ax.set_ylabel(f"{name} (unit of the design)")
        ax.set_ylim(bottom=0)
        ax.margins(x=0.01)
        rises = ends[0][1] >= lines[alike[0][0]][0]
        if len(alike) > 1:
            ax.legend(loc="upper left" if rises else "lower left", fontsize=11)
        elif len(lines) > 1:
            place = (0.04, 0.96 if rises else 0.04)
            ax.annotate(
                "same for everyone", place, xycoords="axes fraction", va="top" if rises else "bottom", fontsize=11
            )
        label_ends(ax, ends, gap=0.045)


def _what_they_buy(design: Design, player: str | None) -> str:
    """Say why profiles differ: which upgrades each buys."""
    if not design.upgrades:
        return ""
    if player is not None:
        return f" · upgrades as {player} buys"
    orders: dict[str, list[str]] = {}
    for name, profile in design.players.items():
        orders.setdefault(", ".join(dict.fromkeys(profile.spends)) or "nothing", []).append(name)
    said = "; ".join(f"{', '.join(who)}: {what}" for what, who in orders.items())
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
