"""The figure of gain: the factor against the level gap, and the awards over levels and sources."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import matplotlib.pyplot as plt
import numpy as np
from matplotlib.ticker import MaxNLocator

from ramulus.plots.heat import heat_map
from ramulus.plots.labels import finish
from ramulus.plots.style import QUIET, accent, project_style
from ramulus.rules.ability import in_words
from ramulus.tables.gain import gain_table

if TYPE_CHECKING:
    from collections.abc import Iterable, Sequence

    import pandas as pd
    from matplotlib.axes import Axes

    from ramulus.design import Design


def gain(
    design: Design, ax: Sequence[Axes] | None = None, *, player: str | None = None, during: Iterable[str] = (),
    ability: float = 0.5, **figure_options: Any,
) -> np.ndarray[Any, Any]:  # fmt: skip
    """Draw how awards scale: the factor against the level gap, and awards over levels and sources.

    Args:
        design: the design.
        ax: two axes (default: those of a new figure).
        player: the profile (default: the first).
        during: names of timed multipliers to count as on.
        ability: where its players stand among their like, 0 … 1, where traits vary.
        figure_options: are passed to the new figure.

    Returns:
        The two axes: the factor, and the heat map.

    Examples:
        >>> import ramulus as rm
        >>> axes = rm.plots.gain(rm.demo_design(), player="steady")
    """
    who = player or next(iter(design.profiles))
    table = gain_table(design, who, during=during, ability=ability)
    with project_style():
        if ax is None:
            options = {"gridspec_kw": {"height_ratios": [2, 3]}, **figure_options}
            _, ax = plt.subplots(2, 1, layout="constrained", **options)
        pair = np.ravel(np.asarray(ax, dtype=object))
        _factor(pair[0], design, table)
        heat_map(pair[1], table, "award", "XP on success, mean", ".0f")
        pair[1].set_title("What a success awards, by level and source")
        on = ", ".join(during) or "off"
        finish(
            pair,
            f"{design.title} · {who}{in_words(design.profile(who), ability)} · timed multipliers: {on} · "
            "empty: closed at that level",
        )
    return pair


def _factor(ax: Axes, design: Design, table: pd.DataFrame) -> None:
    alike = _alike(design, table)
    for index, (names, factors) in enumerate(alike):
        label = "all sources alike" if len(alike) == 1 and len(names) > 1 else ", ".join(names)
        gaps = sorted(factors)
        look = {**accent(index), "linewidth": 1.8}
        ax.plot(gaps, [factors[gap] for gap in gaps], marker="o", markersize=4, label=label, **look)
    ax.xaxis.set_major_locator(MaxNLocator(integer=True))
    ax.axvline(0, color=QUIET, linewidth=1)
    ax.set_title("How the factor falls with the player's lead")
    ax.set_xlabel("level gap: the player's level less the source's")
    ax.set_ylabel("factor on XP")
    ax.set_ylim(bottom=0)
    ax.legend(ncols=2 if len(alike) > 4 else 1, loc="upper right", fontsize=11)


def _alike(design: Design, table: pd.DataFrame) -> list[tuple[list[str], dict[float, float]]]:
    """Return the sources grouped by factors that are equal wherever their gaps meet, with the factor by gap."""
    groups: list[tuple[list[str], dict[float, float]]] = []
    for name, rows in table.groupby("source", sort=False):
        gaps = (rows["level"] - design.sources[str(name)].level).tolist()
        own = {gap: factor for gap, factor in zip(gaps, rows["factor"].tolist(), strict=True) if factor == factor}
        for names, factors in groups:
            meeting = own.keys() & factors.keys()
            if meeting and all(abs(own[gap] - factors[gap]) <= 1e-9 * abs(own[gap]) for gap in meeting):
                names.append(str(name))
                factors.update(own)
                break
        else:
            groups.append(([str(name)], own))
    return groups
