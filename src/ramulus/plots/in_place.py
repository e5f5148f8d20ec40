"""Names written beside their lines, where the fewest other lines and names are in the way."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from ramulus.formula.functions import Array

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.text import Text

PLACES = 25  # Along each line.
# What it costs to lie on a point of a line, on ten pixels of a name, and off the axes, in steps of 40 pixels down.
CROSSED, NAME, OUTSIDE = 2.0, 60.0, 10_000.0
FURTHER = 20.0  # What it costs not to lie beside one's line.
ROUNDS = 6  # In which names may make room for one another.
CLEAR = 5.0  # Pixels around a name that are to stay free, at 100 dots per inch.


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
        lines: what to name; not-a-number are gaps.
        also: x and y of further lines to keep clear of.
    """
    to_pixels = ax.transData.transform
    frame = ax.get_window_extent()
    dots = ax.figure.dpi / 100
    drawn, others = (
        [_inside(_pixels(to_pixels, x, y), frame.bounds) for x, y in some]
        for some in ([(line.x, line.y) for line in lines], also or [])
    )
    everything = np.concatenate([*drawn, *others])
    names: list[_Name] = []
    for line, pixels in zip(lines, drawn, strict=True):
        if len(pixels):
            words = ax.text(
                0.5, 0.5, line.name, transform=ax.transAxes, color=line.color, fontsize=11, fontweight="bold",
                ha="center", va="center", zorder=6,
                bbox={"facecolor": ax.get_facecolor(), "edgecolor": "none", "alpha": 0.8, "pad": 0.5}, in_layout=False,
            )  # fmt: skip
            half = np.array(words.get_window_extent().size) / 2 + CLEAR * dots
            spots = _spots(pixels, half, dots)
            prices = (
                CROSSED * _crossed(spots, half, everything)
                + OUTSIDE * _outside(spots, half, frame.bounds)
                + FURTHER * (np.arange(len(spots)) >= len(spots) / 2)
                + (pixels[:, 1].max() - spots[:, 1]) / (40 * dots)
            )
            names.append(_Name(words, half, spots, prices))
    for name, spot in zip(names, _settled(names), strict=True):
        across, up = ax.transAxes.inverted().transform(spot)
        name.words.set_position((float(across), float(up)))


class _Name(NamedTuple):
    """A name, half of its width and height in pixels, the middles it may have (a row each), and what each costs."""

    words: Text
    half: Array
    spots: Array
    prices: Array


def _settled(names: list[_Name]) -> list[Array]:
    """Return a spot for each name: one after another takes the cheapest, until nobody moves."""
    chosen: dict[int, int] = {}
    # Who has the fewest places inside chooses first.
    order = sorted(range(len(names)), key=lambda index: int((names[index].prices < OUTSIDE).sum()))
    for _ in range(ROUNDS):
        before = dict(chosen)
        for index in order:
            name = names[index]
            prices = name.prices.copy()
            for other, spot in chosen.items():
                if other != index:
                    prices += NAME * _overlap(name, names[other].spots[spot], names[other].half)
            chosen[index] = int(np.argmin(prices))
        if chosen == before:
            break
    return [name.spots[chosen[index]] for index, name in enumerate(names)]


def _pixels(to_pixels: object, x: Array, y: Array) -> Array:
    """Return a line as points a few pixels apart, so that what crosses a name is counted by its length."""
    known = np.isfinite(x) & np.isfinite(y)
    points = np.asarray(to_pixels(np.column_stack([x[known], y[known]])))  # type: ignore[operator]
    if len(points) < 2:
        return points
    way = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(points, axis=0).T))])
    steps = np.linspace(0.0, way[-1], max(int(way[-1] / 6), 2))
    return np.column_stack([np.interp(steps, way, points[:, i]) for i in (0, 1)])


def _spots(pixels: Array, half: Array, dots: float) -> Array:
    """Return the middles that a name may have: above and below its line all along it, and in the four corners of it.

    The latter half are a name's height further away: where lines crowd, the colour says whose name it is.
    """
    along = pixels[np.unique(np.linspace(0, len(pixels) - 1, PLACES).astype(int))]
    ways = np.array([[0, 1], [0, -1], [1, 1], [-1, 1], [1, -1], [-1, -1]])
    shifts = ways * (half + np.array([0, dots]))
    further = shifts + 2 * ways * half * [0, 1]
    return np.concatenate([(along[:, None] + shift).reshape(-1, 2) for shift in (shifts, further)])


def _crossed(spots: Array, half: Array, everything: Array) -> Array:
    """Return how many points of lines lie under a name at each spot."""
    return np.array([(np.abs(everything - spot) < half).all(axis=1).sum() for spot in spots])


def _inside(points: Array, frame: tuple[float, float, float, float]) -> Array:
    """Return the points in a frame (x, y, width, height): there is nothing beside the others, and they may be many."""
    past = points - np.array(frame[:2])
    found: Array = points[((past >= 0) & (past <= np.array(frame[2:]))).all(axis=1)]
    return found


def _overlap(name: _Name, other: Array, other_half: Array) -> Array:
    """Return how much a name would lie on another one at each of its spots, in tens of pixels across."""
    width, height = np.clip(name.half + other_half - np.abs(name.spots - other), 0, None).T
    return np.where((width > 0) & (height > 0), width / 10 + 1, 0.0)


def _outside(spots: Array, half: Array, frame: tuple[float, float, float, float]) -> Array:
    """Return at which spots a name would stand out of the frame (x, y, width, height)."""
    corner, size = np.array(frame[:2]), np.array(frame[2:])
    past: Array = ((spots - half < corner) | (spots + half > corner + size)).any(axis=1)
    return past
