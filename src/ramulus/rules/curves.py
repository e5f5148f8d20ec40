"""Curves through a few points: straight, smooth, geometric, or in steps."""

from __future__ import annotations

import numpy as np

from ramulus.formula.functions import Array, power
from ramulus.rules.evaluating import fault


def through_points(place: str, points: list[list[float]], between: str, at: Array, beyond: str) -> Array:
    """Return the values of a curve through [level, value] points.

    Args:
        place: where the points stand, for errors.
        points: pairs that rise in level.
        between: "straight", "smooth" (monotone piecewise cubic, Fritsch and Carlson 1980, as in SciPy's
            PchipInterpolator), "geometric" (straight in the logarithm) or "step" (each point holds to the next).
        at: levels, shape (n,).
        beyond: "hold" where levels outside the points take the nearest point's value, else "error".

    Raises:
        DesignError: points do not rise, do not reach, or a geometric curve meets a value ≤ 0.
    """
    levels, values = np.array(points, dtype=np.float64).T
    falls = np.nonzero(np.diff(levels) <= 0)[0]
    if len(falls):
        i = int(falls[0]) + 1
        raise fault(f"{place}[{i}]", f"level {levels[i]:g} after level {levels[i - 1]:g}", "points that rise in level")
    outside = (at < levels[0]) | (at > levels[-1])
    if beyond != "hold" and outside.any():
        found = f"the points reach from level {levels[0]:g} to {levels[-1]:g}, and level {at[outside][0]:g} is outside"
        raise fault(place, found, 'points that reach, or beyond = "hold"', "table-short")
    inside = np.clip(at, levels[0], levels[-1])
    if between == "step":
        return np.asarray(values[np.searchsorted(levels, inside, side="right") - 1])
    if between == "smooth" and len(levels) > 2:
        from scipy.interpolate import PchipInterpolator

        return np.asarray(PchipInterpolator(levels, values)(inside), dtype=np.float64)
    if between == "geometric":
        if (values <= 0).any():
            raise fault(place, f"a geometric curve through {values[values <= 0][0]:g}", "values above 0")
        left = np.clip(np.searchsorted(levels, inside, side="right") - 1, 0, max(len(levels) - 2, 0))
        right = np.minimum(left + 1, len(levels) - 1)
        width = np.where(right > left, levels[right] - levels[left], 1)
        # As a ratio, so that ten doubled three times is 80, where exp(log) would fall just short of it.
        return np.asarray(values[left] * power(values[right] / values[left], (inside - levels[left]) / width))
    return np.asarray(np.interp(inside, levels, values))
