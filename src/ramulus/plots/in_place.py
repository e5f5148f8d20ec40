"""Names written beside their lines, where the fewest other lines and names are in the way."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from ramulus.formula.functions import Array

if TYPE_CHECKING:
    from matplotlib.axes import Axes

LETTER, LINE = 7.8, 17.0  # Pixels that a letter of a name takes across, and a name up, at 100 dots per inch.
PLACES = 25  # Along each line.
NAME, OUTSIDE = 6.0, 200.0  # What it costs to lie on another name's pixel, or off the axes, in crossed points.


class Line(NamedTuple):
    """A drawn line and its name."""

    x: Array
    y: Array
    name: str
    color: str


def label_in_place(ax: Axes, lines: list[Line], also: list[tuple[Array, Array]] | None = None) -> None:
    """Write each line's name beside it, at its highest free place.

    Args:
        ax: the axes, with limits and scales already set.
        lines: what to name; not-a-number are gaps. The first named has the first choice.
        also: x and y of further lines to keep clear of.
    """
    to_pixels = ax.transData.transform
    frame = ax.get_window_extent()
    dots = ax.figure.dpi / 100
    drawn = [_pixels(to_pixels, line.x, line.y) for line in lines]
    everything = np.concatenate([*drawn, *(_pixels(to_pixels, x, y) for x, y in also or [])])
    taken: list[Array] = []
    for line, pixels in zip(lines, drawn, strict=True):
        if not len(pixels):
            continue
        half = np.array([LETTER * len(line.name) / 2, LINE / 2]) * dots
        spots = _spots(pixels, half, 4 * dots)
        top = pixels[:, 1].max()
        prices = [
            _crossed(spot, half, everything)
            + NAME * sum(_overlap(spot, half, other) for other in taken)
            + OUTSIDE * _outside(spot, half, frame.bounds)
            + (top - spot[1]) / (40 * dots)
            for spot in spots
        ]
        best = spots[int(np.argmin(prices))]
        taken.append(np.concatenate([best, half]))
        across, up = ax.transAxes.inverted().transform(best)
        ax.text(
            across, up, line.name, transform=ax.transAxes, color=line.color, fontsize=11, fontweight="bold",
            ha="center", va="center", zorder=6,
            bbox={"facecolor": ax.get_facecolor(), "edgecolor": "none", "alpha": 0.8, "pad": 0.5}, in_layout=False,
        )  # fmt: skip


def _pixels(to_pixels: object, x: Array, y: Array) -> Array:
    """Return a line as points a few pixels apart, so that what crosses a name is counted by its length."""
    known = np.isfinite(x) & np.isfinite(y)
    points = np.asarray(to_pixels(np.column_stack([x[known], y[known]])))  # type: ignore[operator]
    if len(points) < 2:
        return points
    way = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(points, axis=0).T))])
    steps = np.linspace(0.0, way[-1], max(int(way[-1] / 6), 2))
    return np.column_stack([np.interp(steps, way, points[:, i]) for i in (0, 1)])


def _spots(pixels: Array, half: Array, gap: float) -> list[Array]:
    """Return the middles that a name may have: above and below its line, all along it, and to both sides."""
    along = pixels[np.unique(np.linspace(0, len(pixels) - 1, PLACES).astype(int))]
    up, side = np.array([0.0, half[1] + gap]), np.array([half[0] + 2 * gap, half[1]])
    back = side * [-1, 1]
    return [point + shift for point in along for shift in (up, -up, side, back)]


def _crossed(spot: Array, half: Array, everything: Array) -> int:
    return int((np.abs(everything - spot) < half).all(axis=1).sum())


def _overlap(spot: Array, half: Array, other: Array) -> float:
    """Return how much two names lie on each other, in tens of pixels across."""
    width, height = np.clip(half + other[2:] - np.abs(spot - other[:2]), 0, None)
    return float(width / 10 + 1) if width and height else 0.0


def _outside(spot: Array, half: Array, frame: tuple[float, float, float, float]) -> float:
    x, y, width, height = frame
    past = np.concatenate([[x, y] - (spot - half), spot + half - [x + width, y + height]])
    return float(np.clip(past, 0, None).max() > 0)
