"""The figure of recorded play: hours to each level as forecast and as they were, profile by profile."""

from __future__ import annotations

import textwrap
from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

import matplotlib.pyplot as plt
import numpy as np

from ramulus.plots.labels import finish
from ramulus.plots.style import ACCENTS, MARK, QUIET, accent, band, project_style, time_unit
from ramulus.recorded.sampling import HOUR
from ramulus.words.recorded import p_in_words

if TYPE_CHECKING:
    from matplotlib.axes import Axes

    from ramulus.recorded.observed import Observed, OfProfile

MOST = 4  # Profiles side by side.
WRAP = 34
WORDS = {"agrees": "as forecast", "differs": "not as forecast", "open": "open: too few players"}


def observed(found: Observed, ax: Sequence[Axes] | None = None, **figure_options: Any) -> np.ndarray[Any, Any]:
    """Draw how fast recorded players reached each level, over the forecast.

    Args:
        found: a log held against the forecast.
        ax: as many axes as there are profiles, at most four (default: those of a new figure).
        figure_options: are passed to the new figure.

    Returns:
        The axes, one a profile: the forecast's median with a band from p10 to p90, the recorded median with its 95 %
        interval at each level, and a tick where the log of each player who was not seen to the end ends.

    Examples:
        >>> import ramulus as rm
        >>> design = rm.demo_design()
        >>> _ = rm.sample_log(design, "log.parquet", players={"steady": 40}, days=10)
        >>> log = rm.read_log("log.parquet", design)
        >>> axes = rm.plots.observed(rm.observed(design, log))
    """
    profiles = found.profiles[:MOST]
    table = found.pace()
    with project_style():
        if ax is None:
            figure, ax = plt.subplots(
                1, len(profiles), layout="constrained", sharey=True, squeeze=False, **figure_options
            )
            title = f"How fast players were, over the forecast ({found.track})"
            figure.suptitle(title, x=0.01, ha="left", fontweight="bold", fontsize=17)
        axes = np.ravel(np.asarray(ax, dtype=object))
        places = list(found.design.profiles)
        for one_ax, one in zip(axes, profiles, strict=False):
            _draw(
                one_ax,
                found,
                one,
                table[table["player"] == one.name],
                accent((*places, one.name).index(one.name))["color"],
            )
        axes[0].set_ylabel(f"level of {found.track}")
        left_out = f" · {len(found.profiles) - MOST} more profiles" if len(found.profiles) > MOST else ""
        shown = "line and band: forecast, p50 and p10 to p90; dots: recorded p50, 95 % interval; ticks: ends of logs"
        finish(list(axes), f"{found.design.title} · forecast seed {found.seed} · {shown}{left_out}")
    return axes


def _draw(ax: Axes, found: Observed, one: OfProfile, rows: Any, color: str) -> None:
    start = found.design.track(found.track).start_level
    levels = np.arange(one.whole.arrival.shape[1]) + start
    hours = np.where(np.isfinite(one.whole.arrival), one.whole.arrival, np.inf) / HOUR
    low, middle, high = np.quantile(hours, (0.1, 0.5, 0.9), axis=0, method="inverted_cdf")
    seen = rows[rows["hours_p50"].notna()]
    longest = float(max(middle[np.isfinite(middle)].max(initial=0.0), seen["hours_p50"].max() if len(seen) else 0.0))
    scale, unit = time_unit(longest)
    known = np.isfinite(high)
    ax.fill_betweenx(levels[known], low[known] * scale, high[known] * scale, **band(color, 1))
    ax.plot(middle * scale, levels, color=color, linewidth=1.4)
    _recorded(ax, seen, scale)
    ended = ~np.isfinite(one.recorded.arrival[:, -1]) & ~one.recorded.midway
    at = one.recorded.end[ended] / HOUR * scale
    ax.plot(at, one.recorded.last_level[ended] + start, "|", color=QUIET, markersize=5, alpha=0.35)
    color_of_verdict = MARK if one.agreement.verdict == "differs" else ACCENTS[0]
    culprit = str(found.verdicts().set_index("player")["culprit"][one.name])
    said = f"{one.name}: {WORDS[one.agreement.verdict]}\n{len(one.recorded):,} players, p {p_in_words(one.agreement.p)}"
    said += f"\n{textwrap.fill(culprit, WRAP)}" if culprit else ""
    ax.text(0.03, 0.97, said, transform=ax.transAxes, va="top", color=color_of_verdict, fontsize=11.5)
    ax.set_xlabel(f"played time within sittings, {unit}")
    ax.set_xlim(0, longest * scale * 1.12)
    ax.set_ylim(start, levels[-1] * 1.26)
    ax.set_yticks([tick for tick in ax.get_yticks() if start <= tick <= levels[-1]])


def _recorded(ax: Axes, seen: Any, scale: float) -> None:
    """Draw recorded medians with their intervals; an end that nobody knows is left open."""
    middle = seen["hours_p50"].to_numpy() * scale
    low = np.where(seen["hours_p50_low"].isna(), middle, seen["hours_p50_low"] * scale)
    high = np.where(seen["hours_p50_high"].isna(), middle, seen["hours_p50_high"] * scale)
    ax.hlines(seen["level"], low, high, color="#23211D", linewidth=1.0)
    ax.plot(middle, seen["level"], "o", color="#23211D", markersize=3.2)
