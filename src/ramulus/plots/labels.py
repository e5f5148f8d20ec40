"""Words on figures: names that fit, labels at the ends of lines, titles, and the foot with their source."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from itertools import pairwise
from textwrap import wrap
from typing import TYPE_CHECKING, Any

import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.text import Text

from ramulus.formula.functions import Array
from ramulus.plots.style import QUIET

if TYPE_CHECKING:
    import pandas as pd

    from ramulus.results.result import SimulationResult

LONGEST_NAME, LONGEST_LINE, LONGEST_TITLE = 32, 110, 66
FOOT_LINE, FOOT_LINES = 145, 2
END_LINE, END_LINES = 22, 3  # Letters a line, and lines, of a label at a line's end.
FEW = 4


def shortened(text: str, most: int) -> str:
    """Return a text that is cut where it is longer than some letters."""
    return text if len(text) <= most else text[: most - 1] + "…"


def with_short_names(text: str) -> str:
    """Return a text whose names, and whose lines, are cut where no figure has room for them."""
    return "\n".join(shortened(_short_words(line), LONGEST_LINE) for line in text.split("\n"))


def _short_words(line: str) -> str:
    return " ".join(shortened(word, LONGEST_NAME) for word in line.split(" "))


def wrapped(text: str, width: int, lines: int = END_LINES) -> str:
    """Return a text in lines that are no longer than a width, broken after spaces and within names; cut at the end."""
    # A break may follow what joins the parts of a name; where there is none, a name breaks anywhere.
    pieces = [
        piece[i : i + width] for piece in re.findall(r"[^ _\-]*[ _\-]?", text) for i in range(0, len(piece), width)
    ]
    found = [""]
    for piece in pieces:
        if len((found[-1] + piece).rstrip()) <= width:
            found[-1] += piece
        else:
            found.append(piece)
    cut = [*found[: lines - 1], "".join(found[lines - 1 :])] if len(found) > lines else found
    return "\n".join(shortened(line.rstrip(), width) for line in cut)


def listed(names: Sequence[str], what: str) -> str:
    """Return names in a row; of many, how many there are."""
    return ", ".join(names) if len(names) <= FEW else f"{len(names)} {what}"


def played_in_words(result: SimulationResult, names: Iterable[str] | None = None) -> str:
    """Return the design's title, who was played, and the seed, for the foot of a figure.

    Args:
        result: a simulation.
        names: the profiles that are shown (default: all).
    """
    counts = {who: count for who, count in result.players.items() if names is None or who in set(names)}
    if len(counts) <= FEW:
        who = ", ".join(f"{count:,} {name}" for name, count in counts.items())
    elif len(set(counts.values())) == 1:
        who = f"{next(iter(counts.values())):,} of each of {len(counts)} profiles"
    else:
        who = f"{sum(counts.values()):,} of {len(counts)} profiles"
    return f"{result.design.title} · {who} · seed {result.seed}"


def runs_in_words(table: pd.DataFrame, player: str | None, more: str) -> str:
    """Return what a table of many runs was played with, for the foot of its figure; one read from a file need not know.

    Args:
        table: what `sweep` or `sensitivity` returned.
        player: the profile that is shown (none: all that have a goal).
        more: goes behind.
    """
    said = [player] if player is not None else []
    if {"title", "players", "seed"} <= set(table.attrs):
        title, players, seed = (table.attrs[name] for name in ("title", "players", "seed"))
        count = f"{players[player]:,} {player}" if player is not None else f"{players:,} players of each profile"
        said = [shortened(title, 50), count, f"seed {seed}"]
    return " · ".join([*said, more])


def finish(axes: Any, foot: str) -> None:
    """Cut names that are too long, fit the titles, and write where the numbers come from below the figure.

    Args:
        axes: what was drawn on, axes or an array of them.
        foot: goes below the figure, once; a figure with a foot of its caller's keeps that.
    """
    panels = list(np.ravel(np.asarray(axes, dtype=object)))
    for panel in panels:
        for words in panel.findobj(Text):
            assert isinstance(words, Text)
            if len(words.get_text()) > LONGEST_NAME:
                words.set_text(with_short_names(words.get_text()))
        _fit_title(panel)
    figure = panels[0].figure
    if isinstance(figure, Figure) and not figure.get_supxlabel():
        figure.supxlabel(_in_lines(_short_words(foot)), x=0.01, ha="left", fontsize=10.5, color=QUIET)


def _in_lines(text: str) -> str:
    found = wrap(text, FOOT_LINE, break_long_words=True)
    last = shortened(" ".join(found[FOOT_LINES - 1 :]), FOOT_LINE)
    return "\n".join([*found[: FOOT_LINES - 1], *([last] if last else [])])


def _fit_title(panel: Axes) -> None:
    """Break a title where panels stand side by side, or a long name leaves it no room."""
    place = panel.get_subplotspec()
    side_by_side = place.get_gridspec().ncols if place is not None else 1
    width = LONGEST_TITLE // side_by_side
    long = {text for where in ("left", "center", "right") if len(text := panel.get_title(loc=where)) > width}
    for words in panel.get_children():
        if isinstance(words, Text) and words.get_text() in long:
            words.set_text(wrapped(words.get_text(), width))


def label_tops(ax: Axes, ends: list[tuple[float, float, str, str]]) -> None:
    """Label lines above their ends where they all end at the top, well apart; else to the right of the axes."""
    to_axes = ax.transData + ax.transAxes.inverted()
    places = np.array([to_axes.transform((x, y)) for x, y, _, _ in ends]).reshape(-1, 2)
    order = np.argsort(places[:, 0])
    apart = np.diff(places[order, 0])
    widths = [max(map(len, text.split("\n"))) for _, _, text, _ in ends]
    needed = [0.0105 * (widths[i] + widths[j]) / 2 for i, j in pairwise(order)]
    inside = [place + 0.0105 * width / 2 < 1.0 for place, width in zip(places[:, 0], widths, strict=True)]
    if not ((places[:, 1] > 0.9).all() and (apart > needed).all() and all(inside)):
        label_ends(ax, [(x, y, text.replace("\n", " · "), color) for x, y, text, color in ends])
        return
    for x, y, text, color in ends:
        ax.annotate(
            text, (x, y), xytext=(0, 8), textcoords="offset points", color=color, ha="center", va="bottom",
            fontweight="bold", fontsize=12, annotation_clip=False,
        )  # fmt: skip


def label_ends(ax: Axes, ends: list[tuple[float, float, str, str]], gap: float = 0.042) -> None:
    """Label lines at their right ends, pushed apart where they would overlap; many labels are small.

    Args:
        ax: the axes, with limits already set.
        ends: x, y, text and colour of each label; a long text is broken into lines.
        gap: the least distance between two labels of a line, as a share of the axes' height.
    """
    if not ends:
        return
    texts = [wrapped(text, END_LINE) for _, _, text, _ in ends]
    to_axes = ax.transData + ax.transAxes.inverted()
    heights = np.array([to_axes.transform((x, y))[1] for x, y, _, _ in ends])
    order = np.argsort(heights)
    rooms = gap * np.array([0.1 + 0.9 * (1 + texts[int(index)].count("\n")) for index in order])
    smaller = min(1.0, 1.0 / max(float(rooms.sum() - (rooms[0] + rooms[-1]) / 2), 1e-9))
    placed = _pushed_apart(heights[order], rooms * smaller)
    for index, height in zip(order, placed, strict=True):
        x, y, _, color = ends[int(index)]
        ax.annotate(
            texts[int(index)], (x, y), xytext=(1.012, float(height)), textcoords=ax.transAxes, color=color, va="center",
            fontweight="bold", fontsize=max(12 * smaller, 5.5), linespacing=1.15, annotation_clip=False,
        )  # fmt: skip


def _pushed_apart(heights: Array, rooms: Array) -> Array:
    """Return sorted middles moved as little as needed for each to have its room, the first and last within 0 … 1."""
    moved, gaps = heights.copy(), (rooms[1:] + rooms[:-1]) / 2
    for i in range(1, len(moved)):
        moved[i] = max(moved[i], moved[i - 1] + gaps[i - 1])
    overshoot = moved[-1] - 1.0
    if overshoot > 0:
        moved[-1] -= overshoot
        for i in range(len(moved) - 2, -1, -1):
            moved[i] = min(moved[i], moved[i + 1] - gaps[i])
    return moved


def hours_in_words(value: float, unit: str) -> str:
    """Return a time for a label: three figures at least, and its unit; `unit` is that of `time_unit`."""
    figures: dict[str, Any] = {"hours": "h", "minutes": "min"}
    decimals = 2 if abs(value) < 10 else 1 if abs(value) < 100 else 0
    return f"{value:,.{decimals}f}\N{NO-BREAK SPACE}{figures.get(unit, unit)}"
