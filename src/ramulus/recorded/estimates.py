"""Numbers of a profile read off its players, each with an interval."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from ramulus.formula.functions import Array
from ramulus.recorded.habits import PlayerHabits

FEWEST = 5  # Players from whom a number is read.
OF_HOURS = "time, xp"  # What a number is read off of which only hours in levels tell.
NOTHING = (math.nan, math.nan, math.nan)
Ends = tuple[float, float, float]  # A number with its interval.
CLOCKED = 0.005  # What is not known of hours from a clock that sees no sitting's first encounter.
DETERMINED = 0.5  # An interval no wider, to either side, than that share of the number pins it down.


class Estimate(NamedTuple):
    """One number.

    Attributes:
        name: its place in the design.
        before: what the design says.
        after: what the log says, with its 95 % interval.
        low, high: the interval.
        source: which columns it is read from.
        determined: whether the log pins it down.
    """

    name: str
    before: float
    after: float
    low: float
    high: float
    source: str
    determined: bool

    @property
    def changes(self) -> bool:
        """Whether the log pins it down, and not to what the design says."""
        return self.determined and not self.low <= self.before <= self.high


def estimate(name: str, before: float, ends: Ends, source: str) -> Estimate:
    """Return an estimate from value and interval; not determined where any is no number, or the interval is wide."""
    after, low, high = ends
    known = all(math.isfinite(end) for end in ends)
    width = (high - low) / 2 if known else math.inf
    return Estimate(name, before, after, low, high, source, known and width <= DETERMINED * max(abs(after), 1e-9))


def pause_of(habits: PlayerHabits) -> Ends:
    """Return the seconds between encounters: the median of players' own pauses, log-normal, by their mean log."""
    logs = _logs(habits.pause)
    if len(logs) < FEWEST:
        return NOTHING
    middle, error = float(logs.mean()), t_quantile(len(logs)) * float(logs.std(ddof=1)) / math.sqrt(len(logs))
    return math.exp(middle), math.exp(middle - error), math.exp(middle + error)


def spread_of(habits: PlayerHabits) -> Ends:
    """Return the standard deviation of the logs of players' own factors, as their pauses show them.

    The interval is that of a normal's standard deviation, by the χ² distribution.
    """
    logs = _logs(habits.pause)
    return spread_ends(float(logs.std(ddof=1)), len(logs)) if len(logs) >= FEWEST else NOTHING


def spread_ends(spread: float, count: int) -> Ends:
    """Return the standard deviation of so many numbers of a normal distribution with its interval, by χ²."""
    from scipy.stats import chi2

    low, high = (math.sqrt((count - 1) / float(chi2.ppf(tail, count - 1))) for tail in (0.975, 0.025))
    return spread, spread * low, spread * high


def _logs(values: Array) -> Array:
    known = values[np.isfinite(values) & (values > 0)]
    return np.log(known)


def t_quantile(count: int) -> float:
    """Return by how many standard errors the mean of so many numbers is known."""
    from scipy.stats import t

    return float(t.ppf(0.975, count - 1))


def ratio_estimate(sums: Array, counts: Array) -> Ends:
    """Return the ratio of two sums over players with an interval, players being drawn anew.

    The error is the linearised one of a ratio estimate: Cochran, "Sampling Techniques", 1977, section 6.
    """
    there = counts > 0
    sums, counts = sums[there], counts[there]
    if len(sums) < FEWEST:
        return NOTHING
    ratio = float(sums.sum() / counts.sum())
    left = sums - ratio * counts
    error = (
        t_quantile(len(sums)) * math.sqrt(float((left**2).sum()) * len(sums) / (len(sums) - 1)) / float(counts.sum())
    )
    return ratio, ratio - error, ratio + error


def variation_of(habits: PlayerHabits) -> Ends:
    """Return the coefficient of variation of encounter times, within a player's successes at a source and level."""
    squared = ratio_estimate(habits.varied, habits.mean_squared)
    return tuple(math.sqrt(max(end, 0.0)) if math.isfinite(end) else math.nan for end in squared)  # type: ignore[return-value]


def times(ends: Ends, before: float, other: Ends) -> Ends:
    """Return a number of the design times how a log's ratio stands to the forecast's, with both errors and CLOCKED."""
    value, low, high = ends
    base, base_low, base_high = other
    if not all(math.isfinite(end) and end > 0 for end in (value, base)):
        return NOTHING
    error = math.hypot((high - low) / 2 / value, (base_high - base_low) / 2 / base, CLOCKED)
    after = before * value / base
    return after, after * math.exp(-error), after * math.exp(error)


def share_of(count: int, players: int) -> Ends:
    """Return a share of players with its exact interval."""
    from ramulus.simulation.samples import share_interval

    low, high = share_interval(np.array([count]), players)
    return count / players, float(low[0]), float(high[0])
