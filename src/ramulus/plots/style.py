"""The project's own look: style sheet, accents, units on axes, labels at line ends, the foot line."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from importlib import resources
from itertools import pairwise
from typing import Any

import matplotlib as mpl
import matplotlib.pyplot as plt
import numpy as np
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.text import Text
from matplotlib.ticker import FuncFormatter

from ramulus.formula.functions import Array

# In threes, dark, middle and light, so that each three stay apart in grey and for eyes that do not tell all colours
# apart (tests compute the distances); dashes tell the threes apart.
ACCENTS = ("#0B4F6C", "#B8551A", "#7FA650", "#742F60", "#2B8296", "#B59A1F", "#5A4B41", "#C4667A")
ALIKE_DASHED = 3
DASHES = ("-", "--", "-.", ":")
MARK = "#B3262E"
QUIET = "#8A857A"
LONGEST_FOOT, LONGEST_LINE, LONGEST_NAME = 150, 110, 32


@contextmanager
def project_style() -> Iterator[None]:
    """Draw with the project's style sheet, and leave Matplotlib's settings as they were."""
    with (
        resources.as_file(resources.files("ramulus.plots") / "ramulus.mplstyle") as sheet,
        plt.style.context(sheet),
    ):
        yield
        interactive = plt.isinteractive()
    # The first figure of a notebook turns interactive drawing on; to take that back would hide every later one.
    mpl.interactive(interactive)


def new_axes(ax: Axes | None, **figure_options: Any) -> Axes:
    """Return the axes to draw on: the given ones, or those of a new figure of 1280 × 800 pixels."""
    if ax is not None:
        return ax
    figure = plt.figure(layout="constrained", **figure_options)
    return figure.add_subplot()


def settle(figure: Figure) -> None:
    """Lay a figure out once and for all: writing it would do so again, and draw it once more for that."""
    lay_out(figure)
    if figure.get_layout_engine() is not None:
        figure.set_layout_engine("none")


def lay_out(figure: Figure) -> None:
    """Give the axes of a figure their places, for who needs to know them before it is drawn."""
    engine = figure.get_layout_engine()
    if engine is not None:
        engine.execute(figure)


def accent(index: int) -> dict[str, Any]:
    """Return colour and dash of the index-th line."""
    within = index % len(ACCENTS)
    dash = within // ALIKE_DASHED + index // len(ACCENTS)
    return {"color": ACCENTS[within], "linestyle": DASHES[dash % len(DASHES)]}


def time_unit(hours: float) -> tuple[float, str]:
    """Return by what to multiply hours, and the unit's name, so that a longest time reads well."""
    return (60.0, "minutes") if hours < 1.5 else (1.0, "hours")


def shortened(text: str, most: int) -> str:
    """Return a text that is cut where it is longer than some letters."""
    return text if len(text) <= most else text[: most - 1] + "…"


def with_short_names(text: str) -> str:
    """Return a text whose names, and whose lines, are cut where no figure has room for them."""
    lines = (" ".join(shortened(word, LONGEST_NAME) for word in line.split(" ")) for line in text.split("\n"))
    return "\n".join(shortened(line, LONGEST_LINE) for line in lines)


def foot_line(ax: Axes, text: str) -> None:
    """Write where the numbers come from below the figure's axes, once a figure; and cut names that are too long."""
    for words in ax.figure.findobj(Text):
        assert isinstance(words, Text)
        if len(words.get_text()) > LONGEST_NAME:
            words.set_text(with_short_names(words.get_text()))
    figure, text = ax.figure, shortened(with_short_names(text), LONGEST_FOOT)
    if isinstance(figure, Figure) and not getattr(figure, "_ramulus_foot", None):
        figure._ramulus_foot = figure.supxlabel(text, x=0.01, ha="left", fontsize=10.5, color=QUIET)  # type: ignore[attr-defined]


def label_tops(ax: Axes, ends: list[tuple[float, float, str, str]]) -> None:
    """Label lines above their ends where they all end at the top, well apart; else to the right of the axes."""
    to_axes = ax.transData + ax.transAxes.inverted()
    places = np.array([to_axes.transform((x, y)) for x, y, _, _ in ends]).reshape(-1, 2)
    order = np.argsort(places[:, 0])
    apart = np.diff(places[order, 0])
    widths = [max(map(len, text.split("\n"))) for _, _, text, _ in ends]
    needed = [0.0105 * (widths[i] + widths[j]) / 2 for i, j in pairwise(order)]
    at_top = (places[:, 1] > 0.9).all() and (apart > needed).all() and (places[:, 0] < 0.94).all()
    if not at_top:
        label_ends(ax, [(x, y, text.replace("\n", " · "), color) for x, y, text, color in ends])
        return
    for x, y, text, color in ends:
        ax.annotate(
            text, (x, y), xytext=(0, 8), textcoords="offset points", color=color, ha="center", va="bottom",
            fontweight="bold", fontsize=12, annotation_clip=False,
        )  # fmt: skip


def label_ends(ax: Axes, ends: list[tuple[float, float, str, str]], gap: float = 0.042) -> None:
    """Label lines at their right ends, pushed apart where they would overlap.

    Args:
        ax: the axes, with limits already set.
        ends: x, y, text and colour of each label.
        gap: the least distance between two labels, as a share of the axes' height.
    """
    if not ends:
        return
    to_axes = ax.transData + ax.transAxes.inverted()
    heights = np.array([to_axes.transform((x, y))[1] for x, y, _, _ in ends])
    for index, height in zip(np.argsort(heights), _pushed_apart(np.sort(heights), gap), strict=True):
        x, y, text, color = ends[int(index)]
        ax.annotate(
            text, (x, y), xytext=(1.012, float(height)), textcoords=ax.transAxes, color=color, va="center",
            fontweight="bold", fontsize=12, annotation_clip=False,
        )  # fmt: skip


def _pushed_apart(heights: Array, gap: float) -> Array:
    """Return sorted heights moved as little as needed to stand at least a gap apart, within 0 … 1."""
    moved = heights.copy()
    for i in range(1, len(moved)):
        moved[i] = max(moved[i], moved[i - 1] + gap)
    overshoot = moved[-1] - 1.0
    if overshoot > 0:
        moved[-1] -= overshoot
        for i in range(len(moved) - 2, -1, -1):
            moved[i] = min(moved[i], moved[i + 1] - gap)
    return moved


def thousands(ax: Axes, axis: str = "y") -> None:
    """Write the numbers of an axis with thousands separators."""
    chosen = ax.yaxis if axis == "y" else ax.xaxis
    chosen.set_major_formatter(
        FuncFormatter(lambda value, _: f"{value:,.0f}" if abs(value) >= 1 or value == 0 else f"{value:g}")
    )
