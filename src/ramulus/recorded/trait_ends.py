"""Mean and spread of a trait that varies from player to player, with intervals, from what is known of each player."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.goals.measuring import Z
from ramulus.recorded.estimates import NOTHING, Ends

FINE = 301  # Values between those that tables are made for: who was seen for long is known more finely.
OFF = np.linspace(-3.0, 3.0, 7)  # By how many of its standard errors the middle pause may be off.
MEANS, SPREADS, MOST_ZOOMS = 21, 17, 10
AT_ONCE = 2000  # Players, so that memory hangs on no log's length.
BEYOND = 1.5  # How far outside the values a mean may lie, over their width: where it is cut off, it may.
FALL = Z**2 / 2  # Of the log likelihood at an interval's ends: half of chi-squared's quantile, of one degree.
AROUND = 4.0  # How far down the likelihood is looked at more closely.


def refined(values: Array, logs: Array) -> tuple[Array, Array]:
    """Return log likelihoods over a finer grid, shape (n, FINE)."""
    from scipy.interpolate import CubicSpline

    fine = np.linspace(values[0], values[-1], FINE)
    return fine, np.asarray(CubicSpline(values, logs, axis=1)(fine))


def trait_ends(values: Array, logs: Array) -> tuple[Ends, Ends]:
    """Return mean and standard deviation of a normal, cut off at its ends, by maximum likelihood, with intervals.

    Each player's own likelihood is summed over the values that it may have, so that its uncertainty counts. Own factors
    on time are read off the middle pause: where that is off, all seem slow or quick, and a trait that is cut off cannot
    follow. Intervals are those of the profile: how far a number may go, the others being as they like.

    Args:
        values: the grid, shape (G,).
        logs: log likelihoods, shape (K, n, G), the middle pause being off by so many of its errors as `OFF` has it, or
            (1, n, G) where it is not in doubt.
    """
    width, step = values[-1] - values[0], values[1] - values[0]
    ends = (values[0] - BEYOND * width, values[-1] + BEYOND * width), (np.log(step / 2), np.log(2 * width))
    means, spreads = np.linspace(*ends[0], MEANS), np.linspace(*ends[1], SPREADS)
    surface = _surface(values, logs, means, np.exp(spreads))
    for _ in range(MOST_ZOOMS):
        near = surface > surface.max() - AROUND
        if all(one.sum() > len(one) / 3 and not one[[0, -1]].any() for one in (near.any(axis=1), near.any(axis=0))):
            break
        means, spreads = _closer(means, near.any(axis=1), ends[0]), _closer(spreads, near.any(axis=0), ends[1])
        surface = _surface(values, logs, means, np.exp(spreads))
    mean, log = _profile(means, surface.max(axis=1)), _profile(spreads, surface.max(axis=0))
    value, low, high = np.exp(log).tolist()
    spread = (value, low if np.isfinite(low) else 0.0, high) if np.isfinite(high) else NOTHING
    return mean if np.isfinite(mean).all() else NOTHING, spread


def _surface(values: Array, logs: Array, means: Array, spreads: Array) -> Array:
    """Return the log likelihood at each mean and spread, the middle pause being off by what is best there."""
    fine = np.linspace(values[0], values[-1], FINE)
    weights = np.exp(-0.5 * ((fine[:, None, None] - means[:, None]) / spreads) ** 2).reshape(FINE, -1)
    weights /= np.maximum(weights.sum(axis=0), 1e-300)
    each = np.zeros((len(logs), weights.shape[1]))
    for place, one in enumerate(logs):
        for start in range(0, len(one), AT_ONCE):
            _, some = refined(values, one[start : start + AT_ONCE])
            best = some.max(axis=1, keepdims=True)
            each[place] += np.log(np.maximum(np.exp(some - best) @ weights, 1e-300)).sum(axis=0) + best.sum()
    if len(logs) > 1:
        each = _highest(each - OFF[:, None] ** 2 / 2)
    return each.reshape(len(means), len(spreads))


def _highest(each: Array) -> Array:
    """Return how high parabolas rise through the highest of numbers and those beside it, shape (N,), of (K, N)."""
    top, column = each.argmax(axis=0).clip(1, len(each) - 2), np.arange(each.shape[1])
    low, here, high = (each[top + beside, column] for beside in (-1, 0, 1))
    bent = np.minimum(low - 2 * here + high, -1e-9)
    shift = np.clip((low - high) / bent / 2, -1, 1)
    return np.asarray(here + shift * (high - low) / 2 + shift**2 * bent / 2)


def _closer(places: Array, near: NDArray[np.bool_], ends: tuple[float, float]) -> Array:
    """Return as many places over where some of them lie, and half as far again past an end at which one lies."""
    some, step = places[near], places[1] - places[0]
    low, high = (step * (len(places) / 2 if at_end else 1) for at_end in (near[0], near[-1]))
    return np.linspace(max(some[0] - low, ends[0]), min(some[-1] + high, ends[1]), len(places))


def _profile(places: Array, heights: Array) -> Ends:
    """Return where a profile is highest, and the ends of its interval; not a number where it does not fall so far."""
    top = int(heights.argmax())
    some = slice(max(top - 1, 0), top + 2)
    value, most = float(places[top]), float(heights[top])
    if some.stop - some.start == 3 and some.stop <= len(places):
        curve = np.polyfit(places[some] - value, heights[some], 2)
        if curve[0] < 0:
            shift = -curve[1] / curve[0] / 2
            value, most = value + shift, float(np.polyval(curve, shift))
    ends = []
    for way in (-1, 1):
        path = heights[: top + 1][::-1] if way < 0 else heights[top:]
        there = places[: top + 1][::-1] if way < 0 else places[top:]
        fallen = np.flatnonzero(path < most - FALL)
        if not len(fallen):
            ends.append(float("nan"))
            continue
        at = int(fallen[0])
        part = (path[at - 1] - (most - FALL)) / (path[at - 1] - path[at])
        ends.append(float(there[at - 1] + part * (there[at] - there[at - 1])))
    return value, ends[0], ends[1]
