"""The difference of two medians over the same players, with the interval of the pairs.

Each player has a time in either design, from the same draws, so most luck cancels: the interval is that of the mean of
how much each player moves the difference.
"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from ramulus.analysis.comparing.statistic import Quantile, Statistic, paired_error
from ramulus.analysis.goals.measuring import Z
from ramulus.formula.functions import Array

RESAMPLED = 400
ALL = "all"


class Difference(NamedTuple):
    """The difference of two medians, the second less the first, and its 95 % interval.

    An end is not a number where too few got there, or were played, to know. `conservative`: times stand on a lattice,
    and the interval holds the truth more often than it says.
    """

    value: float
    low: float
    high: float
    conservative: bool = False


# Of fewer pairs no interval of a median holds the truth in 95 of 100 cases: all lie on one side of it in 2 of 2 ** n.
FEWEST = 6
UNKNOWN = Difference(math.nan, math.nan, math.nan)


def difference_of_medians(first: Array, second: Array) -> Difference:
    """Return the difference of the medians of two designs, paired by player.

    Args:
        first, second: each player's time in either design, by the players' numbers from 0 on, infinite where it did
            not get there, shape (n,).
    """
    one, two = (Quantile({ALL: times}, {ALL: 1.0}, 0.5) for times in (first, second))
    if not (math.isfinite(one.value) and math.isfinite(two.value)):
        return UNKNOWN
    if np.array_equal(first, second):
        return Difference(0.0, 0.0, 0.0)
    value = two.value - one.value
    if len(first) < FEWEST:
        return Difference(value, math.nan, math.nan)
    if one.on_lattice or two.on_lattice:
        return Difference(value, *_resampled(first, second), True)
    error = Z * paired_error(Statistic.of_quantiles(one), Statistic.of_quantiles(two))
    return Difference(value, value - error, value + error)


def _resampled(first: Array, second: Array) -> tuple[float, float]:
    """Return the percentile interval of resampled pairs: on a lattice it is too wide rather than too narrow."""
    players, middle = len(first), math.ceil(len(first) / 2) - 1
    draws = np.random.default_rng(0).integers(0, players, (RESAMPLED, players))
    with np.errstate(invalid="ignore"):
        medians = [np.partition(times[draws], middle, axis=1)[:, middle] for times in (first, second)]
        apart = medians[1] - medians[0]
    if not np.isfinite(apart).all():
        return math.nan, math.nan
    low, high = np.quantile(apart, [0.025, 0.975], method="inverted_cdf")
    return float(low), float(high)
