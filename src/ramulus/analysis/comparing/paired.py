"""The difference of two medians over the same players, with the interval of the pairs.

Each player has a time in either design, from the same draws, so most luck cancels. How much a player moves the
difference of medians is read off the two distributions at their medians (the influence of a quantile: Bahadur, "A note
on quantiles in large samples", 1966), and the interval is that of the mean of these influences.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array

CONFIDENT = 1.959963984540054  # Of a normal, 95 % lie within so many standard deviations.
AROUND = 2.0  # Ranks around the middle, over the root of the players, that tell how dense they are there.
LATTICE = 0.5  # Fewer different times than this share of the players stand on a lattice.
RESAMPLED = 400


class Difference(NamedTuple):
    """The difference of two medians, the second less the first, and its 95 % interval.

    An end is not a number where too few got there to know. `conservative`: times stand on a lattice, and the interval
    holds the truth more often than it says.
    """

    value: float
    low: float
    high: float
    conservative: bool = False


UNKNOWN = Difference(math.nan, math.nan, math.nan)


def median_of(times: Array) -> float:
    """Return the smallest time by which half of the players are there; infinite where fewer get there."""
    return float(np.partition(times, _middle(len(times)))[_middle(len(times))])


def _middle(players: int) -> int:
    return math.ceil(players / 2) - 1


def difference_of_medians(first: Array, second: Array, strata: NDArray[np.int64]) -> Difference:
    """Return the difference of the medians of two designs, paired by player.

    Args:
        first, second: each player's time in either design, infinite where it did not get there, shape (n,).
        strata: which class of ability each player is in: there are equally many of each, whatever the draws.
    """
    before, after = median_of(first), median_of(second)
    if not (math.isfinite(before) and math.isfinite(after)):
        return UNKNOWN
    value = after - before
    if np.array_equal(first, second):
        return Difference(0.0, 0.0, 0.0)
    if min(len(np.unique(first)), len(np.unique(second))) < LATTICE * len(first):
        return Difference(value, *_resampled(first, second), True)
    sparse = [_sparsity(times) for times in (first, second)]
    if not all(map(math.isfinite, sparse)):
        return Difference(value, math.nan, math.nan)
    moves = (0.5 - (second <= after)) * sparse[1] - (0.5 - (first <= before)) * sparse[0]
    error = CONFIDENT * _deviation(moves, strata) / math.sqrt(len(first))
    return Difference(value, value - error, value + error)


def _sparsity(times: Array) -> float:
    """Return the time from rank to rank around the median, over the share of players between."""
    players = len(times)
    reach = min(AROUND / math.sqrt(players), 0.5)
    low, high = max(math.ceil(players * (0.5 - reach)) - 1, 0), min(math.ceil(players * (0.5 + reach)), players) - 1
    ordered = np.partition(times, (low, high))
    return float((ordered[high] - ordered[low]) * players / max(high - low, 1))


def _deviation(moves: Array, strata: NDArray[np.int64]) -> float:
    """Return the standard deviation within strata."""
    names, place = np.unique(strata, return_inverse=True)
    counts = np.bincount(place)
    means = np.bincount(place, moves) / counts
    left = max(len(moves) - len(names), 1)
    return float(np.sqrt(((moves - means[place]) ** 2).sum() / left))


def _resampled(first: Array, second: Array) -> tuple[float, float]:
    """Return the percentile interval of resampled pairs: on a lattice it is too wide rather than too narrow."""
    players, middle = len(first), _middle(len(first))
    draws = np.random.default_rng(0).integers(0, players, (RESAMPLED, players))
    with np.errstate(invalid="ignore"):
        medians = [np.partition(times[draws], middle, axis=1)[:, middle] for times in (first, second)]
        apart = medians[1] - medians[0]
    if not np.isfinite(apart).all():
        return math.nan, math.nan
    low, high = np.quantile(apart, [0.025, 0.975], method="inverted_cdf")
    return float(low), float(high)
