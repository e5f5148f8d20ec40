"""Figures as SVG that stands inside a page: its text is text, and its colours are the page's."""

from __future__ import annotations

import io
import json
import re
from collections.abc import Callable
from typing import TYPE_CHECKING, Any
from xml.etree import ElementTree

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
_COLOR = re.compile("|".join(_COLORS))
_SPACES = {"http://www.w3.org/2000/svg": "", "http://www.w3.org/1999/xlink": "xlink"}
_XML = "http://www.w3.org/XML/1998/namespace"  # Its prefix needs no declaration.
_LEFT_OUT = ("metadata", "style")


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
    axes = json.dumps(_axes_of(figure), separators=(",", ":"))
    plt.close(figure)
    root = _read(harmless(written.getvalue()), lambda key, value: _of_the_page(key, value, name))
    for side in ("width", "height"):  # The viewBox gives the shape; the page gives the size.
        del root.attrib[side]
    root.attrib = {"role": "img", "aria-label": harmless(words), "data-axes": axes, **root.attrib}
    return ElementTree.tostring(root, "unicode").strip()


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


def _read(text: str, changed: Callable[[str, str], str]) -> ElementTree.Element:
    """Return an SVG's root without what a page has no use for, each attribute's value changed.

    Names are plain text with their usual prefixes, which the root declares: a page needs no more.
    """
    root = ElementTree.fromstring(text)
    for one in root.iter():
        for part in [part for part in one if _plain(part.tag) in _LEFT_OUT]:
            one.remove(part)
        one.tag = _plain(one.tag)
        one.attrib = {_plain(key): changed(_plain(key), value) for key, value in one.attrib.items()}
    root.attrib = {f"xmlns:{prefix}".rstrip(":"): space for space, prefix in _SPACES.items()} | root.attrib
    return root


def _plain(name: str) -> str:
    """Return the name of an element or attribute with its usual prefix."""
    space, _, own = name.removeprefix("{").rpartition("}")
    prefix = "xml" if space == _XML else _SPACES.get(space, "")
    return f"{prefix}:{own}".lstrip(":")


def _of_the_page(key: str, value: str, name: str) -> str:
    """Return an attribute's value with identifiers of the figure's own, and the page's colours and fonts."""
    if key == "id" or (key.endswith("href") and value.startswith("#")):
        return f"#{name}-{value[1:]}" if value.startswith("#") else f"{name}-{value}"
    value = _COLOR.sub(lambda found: f"var(--{_COLORS[found.group(0)]})", value.replace("url(#", f"url(#{name}-"))
    return value.replace("'DejaVu Sans'", FONTS)


def standalone(svg: str) -> str:
    """Return a page's figure as a file of its own, in the light colours of the project's style."""
    plain = {name: color for color, name in reversed(_COLORS.items())}
    root = _read(svg, lambda _, value: _VARIABLE.sub(lambda found: plain[found.group(1)], value))
    width, height = (f"{72 * side:g}pt" for side in SIZE)
    root.attrib |= {"width": width, "height": height, "style": "stroke-linejoin:round;stroke-linecap:butt"}
    return ElementTree.tostring(root, "unicode") + "\n"
