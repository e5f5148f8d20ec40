"""The project's own look: style sheet, accents, bands, units on axes."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from importlib import resources
from typing import Any

import matplotlib as mpl
import matplotlib.pyplot as plt
from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.ticker import FuncFormatter

# In threes, dark, middle and light, so that each three stay apart in grey and for eyes that do not tell all colours
# apart (tests compute the distances); dashes tell the threes apart.
ACCENTS = ("#0B4F6C", "#B8551A", "#7FA650", "#742F60", "#2B8296", "#B59A1F", "#5A4B41", "#C4667A")
ALIKE_DASHED = 3
DASHES = ("-", "--", "-.", ":")
MARK = "#B3262E"
QUIET = "#8A857A"
FEW_BANDS = 4


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


def band(color: Any, of: int) -> dict[str, Any]:
    """Return the look of one band of some: light, and lighter where many lie on one another."""
    return {"color": color, "alpha": 0.17 if of <= FEW_BANDS else 0.07, "linewidth": 0}


def time_unit(hours: float) -> tuple[float, str]:
    """Return by what to multiply hours, and the unit's name, so that a longest time reads well."""
    return (60.0, "minutes") if hours < 1.5 else (1.0, "hours")


def compact(value: float) -> str:
    """Return a number short enough for a colour bar: 1.2k, 40M, 3G."""
    for size, letter in ((1e12, "T"), (1e9, "G"), (1e6, "M"), (1e4, "k")):
        if abs(value) >= size:
            return f"{value / (1e3 if letter == 'k' else size):,.4g}{letter}"
    return f"{value:,.4g}"


def thousands(ax: Axes) -> None:
    """Write the numbers of the y axis with thousands separators; ticks between whole numbers as they are."""
    ax.yaxis.set_major_formatter(
        FuncFormatter(lambda value, _: f"{value:,.0f}" if value == round(value) else f"{value:,g}")
    )
