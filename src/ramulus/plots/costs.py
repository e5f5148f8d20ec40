"""The figure of level costs: cost and total, several designs or tracks laid over each other."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any

import matplotlib.pyplot as plt
import numpy as np
from matplotlib.ticker import MaxNLocator

from ramulus.plots.labels import finish, shortened
from ramulus.plots.style import MARK, accent, project_style, thousands
from ramulus.rules.costs import CostCurve
from ramulus.rules.tabulation import tabulated
from ramulus.tables.cost_shape import jumps

if TYPE_CHECKING:
    from matplotlib.axes import Axes

    from ramulus.design import Design

LOG_DECADES = 3
SAME = " (the same)"


def costs(
    designs: Design | Mapping[str, Design],
    tracks: str | Sequence[str] | None = None,
    ax: Axes | Sequence[Axes] | None = None,
    **figure_options: Any,
) -> np.ndarray[Any, Any]:
    """Draw what each level costs and what that adds up to.

    Args:
        designs: a design, or several by name.
        tracks: the tracks to lay over each other (default: the main one).
        ax: two axes, for cost and total (default: those of a new figure).
        figure_options: are passed to the new figure.

    Returns:
        The two axes. An axis is logarithmic when its values span more than three decades.

    Examples:
        >>> import ramulus as rm
        >>> design = rm.demo_design()
        >>> axes = rm.plots.costs({"now": design, "steeper": design.with_values({"steepness": 1.7})})
    """
    curves = _alike_once(_curves(designs, tracks))
    with project_style():
        if ax is None:
            _, ax = plt.subplots(1, 2, layout="constrained", **figure_options)
        pair = np.ravel(np.asarray(ax, dtype=object))
        titles = ("What a level costs", "What it adds up to")
        for axes, title, part in zip(pair, titles, ("costs", "totals"), strict=True):
            _draw(axes, title, {name: _points(curve, part) for name, curve in curves.items()})
        _mark_jumps(pair[0], curves)
        first = designs if not isinstance(designs, Mapping) else next(iter(designs.values()))
        finish(pair, f"{first.title} · costs in XP from each level to the next, totals from nothing")
    return pair


def _curves(designs: Design | Mapping[str, Design], tracks: str | Sequence[str] | None) -> dict[str, CostCurve]:
    several = designs if isinstance(designs, Mapping) else {"": designs}
    found: dict[str, CostCurve] = {}
    for title, design in several.items():
        names = [tracks] if isinstance(tracks, str) else list(tracks or [design.main_track_name])
        for name in names:
            label = " · ".join(part for part in (title, name if len(names) > 1 or not title else "") if part)
            found[label] = tabulated(design).track(name).curve
    return found


def _alike_once(curves: dict[str, CostCurve]) -> dict[str, CostCurve]:
    """Put curves that are equal under one name: what lies under another line would look forgotten."""
    names: dict[bytes, list[str]] = {}
    for name, curve in curves.items():
        names.setdefault(curve.levels.tobytes() + curve.costs.tobytes(), []).append(name)
    return {_said(alike): curves[alike[0]] for alike in names.values()}


def _said(alike: list[str]) -> str:
    shown = ", ".join(shortened(name, 30) for name in alike[:3]) + (" …" if len(alike) > 3 else "")
    return f"{shown}{SAME}" if len(alike) > 1 else shown


def _points(curve: CostCurve, part: str) -> tuple[Any, Any]:
    return (curve.levels[:-1], curve.costs) if part == "costs" else (curve.levels[1:], curve.totals[1:])


def _draw(ax: Axes, title: str, lines: dict[str, tuple[Any, Any]]) -> None:
    values = np.concatenate([y for _, y in lines.values()])
    logarithmic = values.max() / values.min() > 10**LOG_DECADES
    for index, (x, y) in enumerate(lines.values()):
        ax.plot(x, y, drawstyle="steps-mid" if len(x) <= 60 else "default", **accent(index))
    ax.set_title(title)
    ax.set_xlabel("level")
    ax.set_ylabel("XP, logarithmic" if logarithmic else "XP")
    if logarithmic:
        ax.set_yscale("log")
    else:
        ax.set_ylim(0, float(values.max()) * 1.06)
    thousands(ax)
    ax.margins(x=0.02)
    ax.xaxis.set_major_locator(MaxNLocator(integer=True))
    if len(lines) > 1 or next(iter(lines)).endswith(SAME):
        ax.legend(ax.get_lines(), list(lines), loc="upper left")


def _mark_jumps(ax: Axes, curves: dict[str, CostCurve]) -> None:
    for curve in curves.values():
        for jump in jumps(curve)[:3]:
            right = jump.level > float(np.quantile(curve.levels, 0.6))  # Left of a wall, costs are lower.
            ax.annotate(
                f"a wall: level {jump.level}\ncosts {jump.times:.1f} × what its\nneighbours suggest",
                (jump.level, jump.cost), xytext=(-8 if right else 0, 2 if right else 4), textcoords="offset points",
                ha="right" if right else "center", va="bottom", fontsize=11, color=MARK,
            )  # fmt: skip
