"""The figure of what players lived on: each source's share of the XP, along the levels, as played."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

import matplotlib.pyplot as plt
import numpy as np
from matplotlib.ticker import PercentFormatter

from ramulus.errors import RamulusError, UnknownNameError
from ramulus.plots.labels import finish, played_in_words, shortened, wrapped
from ramulus.plots.style import ACCENTS, project_style

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.axes import Axes

    from ramulus.results.result import SimulationResult

MOST_PROFILES, MOST_ROWS, FEW_SOURCES, NAME_LINE = 8, 4, 12, 16


def xp_by_source(
    result: SimulationResult, ax: Sequence[Axes] | None = None, *, player: str | None = None, **figure_options: Any
) -> np.ndarray[Any, Any]:
    """Draw what the XP of each level came from, as it was played.

    Args:
        result: a simulation.
        ax: axes, one a profile (default: those of a new figure).
        player: the profile (default: all, of more than eight the first eight).
        figure_options: are passed to the new figure.

    Returns:
        The axes, a panel a profile: shares of the XP by level, a band a source; the same colour everywhere.

    Raises:
        UnknownNameError: the profile was not played.
        RamulusError: there are not enough axes.

    Examples:
        >>> import ramulus as rm
        >>> result = rm.simulate(rm.demo_design(), players=20)
        >>> axes = rm.plots.xp_by_source(result)
    """
    if player is not None and player not in result.players:
        raise UnknownNameError("player profile", player, list(result.players))
    shown = [player] if player is not None else list(result.players)[:MOST_PROFILES]
    income = result.income()
    sources = [name for name in result.design.sources if name in set(income[income["player"].isin(shown)]["source"])]
    with project_style():
        across = 2 if ax is None and len(shown) > MOST_ROWS else 1
        given = _panels(len(shown), across, figure_options) if ax is None else ax
        panels = np.ravel(np.asarray(given, dtype=object))
        if len(panels) < len(shown):
            raise RamulusError(f"{len(panels)} axes for {len(shown)} profiles; allowed: one a profile")
        for panel, name in zip(panels, shown, strict=False):
            _panel(panel, income[income["player"] == name], name, sources)
        handles, names = panels[0].get_legend_handles_labels()
        # From the top down, as the bands lie.
        panels[0].figure.legend(
            handles[::-1], names[::-1], loc="outside right upper", fontsize=12 if len(names) <= FEW_SOURCES else 8
        )
        panels[0].set_title("What players lived on, as played")
        for panel in panels[max(len(shown) - across, 0) : len(shown)]:
            panel.set_xlabel("level")
        left = len(result.players) - len(shown) if player is None else 0
        more = f" · profiles not shown: {left}" if left else ""
        finish(panels, f"{played_in_words(result, shown)} · share of the XP of each level{more}")
    return panels


def _panels(count: int, across: int, figure_options: dict[str, Any]) -> np.ndarray[Any, Any]:
    """Return the axes of a new figure, some in a row."""
    _, grid = plt.subplots(-(-count // across), across, layout="constrained", squeeze=False, **figure_options)
    for unused in grid.ravel()[count:]:
        unused.set_visible(False)
    shown: np.ndarray[Any, Any] = grid.ravel()[:count]
    return shown


def _panel(ax: Axes, income: pd.DataFrame, player: str, sources: list[str]) -> None:
    wide = income.pivot_table(index="level", columns="source", values="share").reindex(columns=sources).fillna(0.0)
    levels, shares = wide.index.to_numpy(dtype=float), wide.to_numpy().T
    colors = [ACCENTS[index % len(ACCENTS)] for index in range(len(sources))]
    hatches = ["" if index < len(ACCENTS) else "///" for index in range(len(sources))]
    if not len(levels):
        ax.text(0.5, 0.5, "nothing was met", transform=ax.transAxes, ha="center")
        return
    edges, tops = np.append(levels, levels[-1] + 1) - 0.5, np.cumsum(shares, axis=0)
    for name, top, share, color, hatch in zip(sources, tops, shares, colors, hatches, strict=True):
        # Not `stairs`, which takes a second for 25 sources of 300 levels to find its limits.
        ax.fill_between(
            edges, np.append(top - share, top[-1] - share[-1]), np.append(top, top[-1]), step="post", facecolor=color,
            hatch=hatch, edgecolor=ax.get_facecolor(), linewidth=0.4, label=shortened(name, 30),
        )  # fmt: skip
    ax.set_xlim(levels[0] - 0.5, levels[-1] + 0.5)
    ax.set_ylim(0, 1)
    ax.yaxis.set_major_formatter(PercentFormatter(1.0, decimals=0))
    ax.set_ylabel(wrapped(player, NAME_LINE, 2), fontsize=13 if len(player) <= NAME_LINE else 10)
    ax.grid(visible=False)
