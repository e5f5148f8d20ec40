"""Curves through a few points: straight, smooth, geometric, or in steps. At its own points a curve is the point."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from ramulus.formula import number_text
from ramulus.formula.functions import Array, power
from ramulus.rules.evaluating import fault
from ramulus.rules.working import Working, of_number


@dataclass(frozen=True, eq=False)
class Curve:
    """A curve through [level, value] points, and its values at some levels.

    Attributes:
        levels, points: the points, rising in level.
        between: "straight", "smooth" (monotone piecewise cubic, Fritsch and Carlson 1980, as in SciPy's
            PchipInterpolator), "geometric" (straight in the logarithm) or "step" (each point holds to the next).
        at: the levels asked for, shape (n,).
        values: the curve there, shape (n,).
    """

    levels: Array
    points: Array
    between: str
    at: Array
    values: Array

    def working(self, level: float) -> Working:
        """Return how the value at a level came about."""
        value = float(self.values[int(np.nonzero(self.at == level)[0][0])])
        inside = float(np.clip(level, self.levels[0], self.levels[-1]))
        left = int(np.searchsorted(self.levels, inside, side="right")) - 1
        near = [_point(self, i) for i in (left, left + 1) if i < len(self.levels)]
        expression, words = f"points at level {level:g}", f"{self.between} between the points {' and '.join(near)}"
        if inside in self.levels or self.between in ("step", "smooth"):
            note = "the point itself" if inside in self.levels else self.between
            return of_number(expression, words, value, note=note)
        return of_number(expression, words, value, put_in=_put_in(self, left, inside))


def _point(curve: Curve, index: int) -> str:
    return f"[{number_text(float(curve.levels[index]))}, {number_text(float(curve.points[index]))}]"


def _put_in(curve: Curve, left: int, level: float) -> str:
    """Return the formula between two points, with their numbers put in."""
    x, x_next = (number_text(float(curve.levels[i])) for i in (left, left + 1))
    y, y_next = (number_text(float(curve.points[i])) for i in (left, left + 1))
    if curve.between == "geometric":
        return f"{y} * ({y_next} / {y}) ** (({number_text(level)} - {x}) / ({x_next} - {x}))"
    return f"({y_next} - {y}) / ({x_next} - {x}) * ({number_text(level)} - {x}) + {y}"


def through_points(place: str, points: list[list[float]], between: str, at: Array, beyond: str) -> Curve:
    """Return a curve through [level, value] points.

    Args:
        place: where the points stand, for errors.
        points: pairs that rise in level.
        between: how to go from point to point; see `Curve`.
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
    if between == "geometric" and (values <= 0).any():
        raise fault(place, f"a geometric curve through {values[values <= 0][0]:g}", "values above 0")
    inside = np.clip(at, levels[0], levels[-1])
    # A point is given, not computed: a last bit off would be a whole XP off after rounding.
    own = np.searchsorted(levels, inside)
    return Curve(
        levels,
        values,
        between,
        at,
        np.where(levels[own] == inside, values[own], _BETWEEN[between](levels, values, inside)),
    )


def _straight(levels: Array, values: Array, at: Array) -> Array:
    return np.asarray(np.interp(at, levels, values))


def _step(levels: Array, values: Array, at: Array) -> Array:
    return np.asarray(values[np.searchsorted(levels, at, side="right") - 1])


def _smooth(levels: Array, values: Array, at: Array) -> Array:
    if len(levels) <= 2:
        return _straight(levels, values, at)
    from scipy.interpolate import PchipInterpolator

    return np.asarray(PchipInterpolator(levels, values)(at), dtype=np.float64)


def _geometric(levels: Array, values: Array, at: Array) -> Array:
    left = np.clip(np.searchsorted(levels, at, side="right") - 1, 0, max(len(levels) - 2, 0))
    right = np.minimum(left + 1, len(levels) - 1)
    width = np.where(right > left, levels[right] - levels[left], 1)
    # As a ratio, so that ten doubled three times is 80, where exp(log) would fall just short of it.
    return np.asarray(values[left] * power(values[right] / values[left], (at - levels[left]) / width))


_BETWEEN: dict[str, Callable[[Array, Array, Array], Array]] = {
    "straight": _straight,
    "smooth": _smooth,
    "geometric": _geometric,
    "step": _step,
}
