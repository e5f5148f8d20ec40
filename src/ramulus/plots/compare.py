"""The figure of a comparison: the paces above, their paired differences below."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

import matplotlib.pyplot as plt
import numpy as np

from ramulus.plots.labels import finish, label_ends, played_in_words
from ramulus.plots.style import DASHES, QUIET, accent, band, project_style, time_unit

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.axes import Axes

    from ramulus.comparing import Comparison

MINUS = "\N{MINUS SIGN}"  # As on the axes.


def compare(
    comparison: Comparison, ax: Sequence[Axes] | None = None, *, player: str | None = None, **figure_options: Any
) -> np.ndarray[Any, Any]:
    """Draw the paces of several designs, and their differences from the first one with the intervals of the pairs.

    Args:
        comparison: what `compare` returned.
        ax: two axes, the paces above the differences (default: those of a new figure).
        player: the profile (default: all of two variants; of more variants the first).
        figure_options: are passed to the new figure.

    Returns:
        The two axes. Of two variants a colour is a profile, and the second is dashed; of more a colour is a variant.

    Examples:
        >>> import ramulus as rm
        >>> design = rm.demo_design()
        >>> found = rm.compare({"now": design, "open": design.with_values({"crown_gate": 0})}, players=20)
        >>> axes = rm.plots.compare(found)
    """
    table = comparison.pace()
    several = len(comparison.variants) > 2
    shown = [player] if player is not None else list(comparison.first.players)[: 1 if several else None]
    table = table[table["player"].isin(shown)]
    with project_style():
        if ax is None:
            options = {"height_ratios": [3, 2], **figure_options.pop("gridspec_kw", {})}
            _, ax = plt.subplots(2, 1, layout="constrained", sharex=True, gridspec_kw=options, **figure_options)
        above, below = np.ravel(np.asarray(ax, dtype=object))
        scale, unit = time_unit(float(np.nanmax(table["hours_p50"], initial=0.0)))
        _paces(above, table, comparison.variants, shown, scale)
        _differences(below, table, comparison.variants, shown, scale)
        who = shown[0] if len(shown) == 1 else "by profile"
        above.set_title(f"What changes: {_listed(comparison.variants)} ({who})")
        above.set_ylabel(f"played time, {unit}, median")
        below.set_ylabel(f"difference, {unit}")
        below.set_xlabel(f"level   (band: 95 % interval of the pairs; below 0 is faster than {comparison.variants[0]})")
        dashes = "" if several else f" · solid: {comparison.variants[0]}, dashed: {comparison.variants[1]}"
        finish([above, below], f"{played_in_words(comparison.first, shown)}, same draws{dashes}")
    return np.array([above, below])


def _listed(names: list[str], most: int = 40) -> str:
    short = [name if len(name) <= most else name[: most - 1] + "…" for name in names]
    return " and ".join(short) if len(short) == 2 else f"{len(short)} variants"


def _looks(variants: list[str], shown: list[str]) -> dict[tuple[str, str], dict[str, Any]]:
    """Return colour and dash by variant and profile."""
    if len(variants) > 2:
        return {(variant, shown[0]): accent(index) for index, variant in enumerate(variants)}
    return {
        (variant, name): {**accent(index), "linestyle": DASHES[place]}
        for index, name in enumerate(shown)
        for place, variant in enumerate(variants)
    }


def _paces(ax: Axes, table: pd.DataFrame, variants: list[str], shown: list[str], scale: float) -> None:
    looks, ends = _looks(variants, shown), []
    for (variant, name), rows in table.groupby(["variant", "player"], sort=False):
        known, look = rows.dropna(subset=["hours_p50"]), looks[variant, name]
        ax.plot(known["level"], known["hours_p50"] * scale, **look)
        # Of two variants one label a profile; of more a label a variant.
        if len(known) and (len(variants) > 2 or variant == variants[0]):
            text = str(variant if len(variants) > 2 else name)
            ends.append(
                (float(known["level"].iloc[-1]), float(known["hours_p50"].iloc[-1] * scale), text, look["color"])
            )
    ax.set_ylim(bottom=0)
    ax.set_xlim(float(table["level"].min()), float(table["level"].max()))
    label_ends(ax, ends, gap=0.065)


def _differences(ax: Axes, table: pd.DataFrame, variants: list[str], shown: list[str], scale: float) -> None:
    looks, ends = _looks(variants, shown), []
    ax.axhline(0, color=QUIET, linewidth=1)
    for (variant, name), rows in table.groupby(["variant", "player"], sort=False):
        known, look = rows.dropna(subset=["difference"]), looks[variant, name]
        if known.empty:
            continue
        x = known["level"]
        low, high = known["difference_low"] * scale, known["difference_high"] * scale
        ax.fill_between(x, low, high, **band(look["color"], len(looks)))
        ax.plot(x, known["difference"] * scale, **{**look, "linestyle": "-"})
        last = known.iloc[-1]
        text = f"{last['difference'] * scale:+.2f}".replace("-", MINUS)
        ends.append((float(last["level"]), float(last["difference"] * scale), text, look["color"]))
    ax.set_ylim(ax.get_ylim())  # Labels go by the limits as they are.
    label_ends(ax, ends, gap=0.095)
