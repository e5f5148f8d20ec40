"""How goals stand on figures: a mark in the profile's colour, a red cross where they are missed, and words beside."""

from __future__ import annotations

from collections.abc import Iterable
from typing import TYPE_CHECKING, Any

from ramulus.goals import MISSED
from ramulus.plots.style import MARK, QUIET, accent

if TYPE_CHECKING:
    from matplotlib.axes import Axes

    from ramulus.goals import Judged

ROOM = 0.55  # Of the way across: beyond it, words go to the left.


def color_of(one: Judged, players: Iterable[str]) -> str:
    """Return a goal's colour: red where it is missed, else its profile's; quiet where it is everyone's."""
    places = list(players)
    known = one.goal.player in places
    return MARK if one.verdict == MISSED else str(accent(places.index(one.goal.player))["color"]) if known else QUIET


def mark(ax: Axes, one: Judged, x: float, y: float, color: str) -> None:
    """Mark where a wish stands: a dot, or a cross where it is missed."""
    ax.plot([x], [y], "X" if one.verdict == MISSED else "o", color=color, markersize=9, zorder=5)


def say_beside(ax: Axes, words: str, x: float, y: float, color: str, *, above: bool) -> None:
    """Write words beside a mark, to the side that has more room."""
    first, last = ax.get_xlim()
    left = x - first > ROOM * (last - first)
    ax.annotate(
        words, (x, y), xytext=(-8 if left else 8, 6 if above else -6), textcoords="offset points", color=color,
        ha="right" if left else "left", va="bottom" if above else "top", fontsize=11, bbox=backed(ax), zorder=6,
    ).set_in_layout(False)  # fmt: skip


def backed(ax: Axes) -> dict[str, Any]:
    """Return the ground for words that lines run below."""
    return {"facecolor": ax.get_facecolor(), "edgecolor": "none", "alpha": 0.8, "pad": 0.5}
