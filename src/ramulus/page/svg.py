"""Figures as SVG that stands inside a page: its text is text, and its colours are the page's."""

from __future__ import annotations

import io
import json
import re
from html import escape
from typing import TYPE_CHECKING, Any

import matplotlib as mpl
import matplotlib.pyplot as plt
import numpy as np
from matplotlib.figure import Figure
from matplotlib.ticker import PercentFormatter

from ramulus.plots.style import ACCENTS, MARK, QUIET, project_style, settle
from ramulus.showing import harmless

if TYPE_CHECKING:
    from matplotlib.axes import Axes

SIZE = (12.8, 7.6)  # Inches; smaller than a picture file, so that its words are as large as the page's.
FONTS = "'DejaVu Sans', Verdana, sans-serif"
# The style sheet's neutral colours, and what the page calls them.
_COLORS = {
    "#fbfaf7": "paper",
    "#e4e0d6": "grid",
    **dict.fromkeys(("#23211d", "#38352f", "#57534a", "#6e6a61"), "ink"),
    QUIET.lower(): "quiet",
    MARK.lower(): "mark",
    **{color.lower(): f"accent-{index}" for index, color in enumerate(ACCENTS)},
}
_VARIABLE = re.compile(r"var\(--([a-z0-9-]+)\)")
_PROLOGUE = re.compile(r"^.*?(?=<svg)", re.DOTALL)
_LEFT_OUT = re.compile(r"\s*<metadata>.*?</metadata>|\s*<style [^>]*>.*?</style>", re.DOTALL)
_TAG = re.compile(r"<[a-z][^>]*>")  # Words of a design stand between tags, and what they say stays.
_NAMED = re.compile(r'(\bid="|url\(#|href="#)')
_COLOR = re.compile("|".join(_COLORS))
_SIZED = re.compile(r'\b(?:width|height)="[^"]*pt" ?')


def svg_of(drawn: Axes | np.ndarray[Any, Any], name: str, words: str) -> str:
    """Return the figure of some axes as an SVG element, and close it.

    Args:
        drawn: axes of a figure.
        name: what its identifiers start with, so that no two figures of a page share one.
        words: what a screen reader says for it.
    """
    figure = np.ravel(np.asarray(drawn, dtype=object))[0].figure
    assert isinstance(figure, Figure)
    written = io.StringIO()
    settings: Any = {"svg.fonttype": "none", "svg.hashsalt": name}
    with project_style(), mpl.rc_context(settings):
        settle(figure)
        figure.savefig(written, format="svg", metadata={"Date": None, "Creator": None})
    axes = escape(json.dumps(_axes_of(figure), separators=(",", ":")))
    plt.close(figure)
    text = _LEFT_OUT.sub("", _PROLOGUE.sub("", harmless(written.getvalue()))).strip()
    text = _TAG.sub(lambda tag: _of_the_page(tag.group(0), name), text)
    return text.replace("<svg ", f'<svg role="img" aria-label="{escape(words)}" data-axes="{axes}" ', 1)


def _axes_of(figure: Figure) -> list[dict[str, Any]]:
    """Return where each pair of axes stands in the SVG and what its ends are, so that a page can tell a place's values.

    Axes of names, or without a label, are left out.
    """
    found = []
    height = figure.bbox.height
    points = 72 / figure.dpi
    for axes in figure.axes:
        if not axes.axison or not axes.get_visible():
            continue
        box = axes.get_window_extent()
        ends = (box.x0, height - box.y1, box.x1, height - box.y0)
        told = {name: _axis_of(getattr(axes, f"{name}axis"), getattr(axes, f"get_{name}lim")()) for name in "xy"}
        if all(told.values()):
            found.append({"box": [round(points * end, 2) for end in ends], **told})
    return found


def _axis_of(axis: Any, ends: tuple[float, float]) -> dict[str, Any] | None:
    """Return the ends of an axis of numbers, with its label; None where it is another one."""
    scale, label = axis.get_scale(), axis.get_label_text().partition("   ")[0]  # What else it explains stands apart.
    in_percent = isinstance(axis.get_major_formatter(), PercentFormatter)
    if scale not in ("linear", "log") or not label:
        return None
    times = 100 if in_percent else 1
    shown = [float(f"{times * end:.6g}") for end in ends]
    return {"ends": shown, "log": scale == "log", "label": label, "unit": " %" if in_percent else ""}


def _of_the_page(tag: str, name: str) -> str:
    """Return a tag with identifiers of its own, and the page's colours and fonts."""
    if tag.startswith("<svg"):
        return _SIZED.sub("", tag)  # The viewBox gives the shape; the page gives the size.
    tag = _NAMED.sub(lambda found: found.group(1) + name + "-", tag)
    tag = _COLOR.sub(lambda found: f"var(--{_COLORS[found.group(0)]})", tag)
    return tag.replace("'DejaVu Sans'", FONTS)


def standalone(svg: str) -> str:
    """Return a page's figure as a file of its own, in the light colours of the project's style."""
    plain = {name: color for color, name in reversed(_COLORS.items())}
    colored = _TAG.sub(lambda tag: _VARIABLE.sub(lambda found: plain[found.group(1)], tag.group(0)), svg)
    width, height = (f"{72 * side:g}" for side in SIZE)
    style = "stroke-linejoin:round;stroke-linecap:butt"
    return colored.replace("<svg ", f'<svg width="{width}pt" height="{height}pt" style="{style}" ', 1) + "\n"
