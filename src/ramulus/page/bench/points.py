"""Costs turned into a few points on a curve, so that they can be bent by hand."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from ramulus.errors import RamulusError
from ramulus.rules.curves import through_points
from ramulus.rules.tabulation import tabulated

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.formula.functions import Array

WITHIN = 0.01  # Of each cost.


def as_points(design: Design, track: str) -> dict[str, Any]:
    """Return a track's costs as a cost table of points: as few as keep every cost within 1 %.

    Points are set where the curve is farthest off, until it is near enough everywhere; then those that are not needed
    are taken out again.

    Raises:
        UnknownNameError: there is no such track.
        RamulusError: its costs are points already, or need nearly every level.
    """
    what = design.track(track)
    tables = tabulated(design).tracks[track]
    if what.cost.key == "points":
        raise RamulusError(f"the costs of {track} are points already")
    costs = np.asarray(tables.curve.costs, float)
    levels = np.arange(what.start_level, what.start_level + len(costs), dtype=float)
    kept = {way: _kept(levels, costs, way) for way in ("smooth", "straight")}
    between = min(kept, key=lambda way: len(kept[way]))
    # What stands there is rounded already, so a curve near it is to become the nearest, too.
    rounding: dict[str, Any] = {"rounding": "none" if what.cost.rounding == "none" else "nearest"}
    if what.cost.rounding_to is not None:
        rounding["rounding_to"] = what.cost.rounding_to
    points = [[int(levels[at]), _plain(costs[at])] for at in kept[between]]
    return {"points": points, "between": between, **rounding}


def _kept(levels: Array, costs: Array, between: str) -> list[int]:
    kept = sorted({0, len(levels) - 1})
    while (worst := _worst(levels, costs, kept, between)) is not None:
        kept = sorted({*kept, worst})
    for at in kept[1:-1]:
        fewer = [one for one in kept if one != at]
        if _worst(levels, costs, fewer, between) is None:
            kept = fewer
    return kept


def _worst(levels: Array, costs: Array, kept: list[int], between: str) -> int | None:
    """Return where a curve through some of the costs is farthest off, or None where it is near enough everywhere."""
    points = [[float(levels[at]), float(costs[at])] for at in kept]
    curve = through_points("points", points, between, levels, "error").values
    off = np.abs(curve - costs) / np.maximum(costs, 1e-300)
    off[kept] = 0
    worst = int(np.argmax(off))
    return worst if off[worst] > WITHIN else None


def _plain(cost: float) -> float | int:
    return int(cost) if float(cost).is_integer() else float(cost)
