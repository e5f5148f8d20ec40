"""How long until something happens, where not everybody is seen to the end."""

from __future__ import annotations

import math
import warnings
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array


class Left(NamedTuple):
    """The share to whom it has not happened after each time at which anybody was seen, with its interval; shape (T,).

    Attributes:
        at: the times, rising from 0.
        share, low, high: the share from that time on, and the ends of its interval.
    """

    at: Array
    share: Array
    low: Array
    high: Array

    def after(self, time: float) -> tuple[float, float, float]:
        """Return the share to whom it has not happened by a time, with its interval."""
        at = int(np.searchsorted(self.at, time, side="right")) - 1
        return float(self.share[at]), float(self.low[at]), float(self.high[at])


def left_of(times: Array, happened: NDArray[np.bool_], confidence: float = 0.95) -> Left:
    """Return the share to whom it has not happened, where some are not seen to the end, with log-log intervals.

    Kaplan and Meier, "Nonparametric estimation from incomplete observations", 1958. That interval is none before the
    first to whom it happens and after the last. There it is that of Clopper and Pearson, of none, and of all, of those
    still seen, the latter beginning from the end above that is known last.

    Args:
        times: until it happened, or until the last look.
        happened: whether it did.
        confidence: of the interval.
    """
    from scipy.stats import CensoredData, ecdf

    seen = ecdf(CensoredData.right_censored(times, ~happened)).sf
    with warnings.catch_warnings(), np.errstate(all="ignore"):
        warnings.simplefilter("ignore", RuntimeWarning)
        band = seen.confidence_interval(confidence, method="log-log")
    at, share = np.append(0.0, seen.quantiles), np.append(1.0, seen.probabilities)
    below, above = (np.append(np.nan, end.probabilities) for end in (band.low, band.high))
    still = len(times) - np.searchsorted(np.sort(times), at)
    none_of = ((1 - confidence) / 2) ** (1 / still)
    low = np.where(share >= 1, none_of, np.where(share > 0, below, 0.0))
    high = np.where(share >= 1, 1.0, above)
    return Left(at, share, low, np.where(share > 0, high, high[share > 0][-1] * (1 - none_of)))


class Median(NamedTuple):
    """A median with its 95 % interval; not a number where nobody can know."""

    value: float
    low: float
    high: float


NOBODY_KNOWS = Median(math.nan, math.nan, math.nan)


def median_of(times: Array, happened: NDArray[np.bool_], confidence: float = 0.95, *, quantile: float = 0.5) -> Median:
    """Return the median, or another quantile, of times of which some are only known to be longer.

    The interval is where that of the share left crosses a half: Brookmeyer and Crowley, "A confidence interval for the
    median survival time", 1982.

    Args:
        times: until it happened, or until the last look.
        happened: whether it did.
        confidence: of the interval.
        quantile: the share of whom it has happened to by then.
    """
    if not happened.any():
        return NOBODY_KNOWS
    left = left_of(times, happened, confidence)
    return Median(*(_crossing(left.at, one, 1 - quantile) for one in left[1:]))


def _crossing(at: Array, share_left: Array, level: float) -> float:
    """Return the first time at which a share is at a level or below it; not a number where it never is."""
    below = np.flatnonzero(share_left <= level + 1e-12)
    return float(at[below[0]]) if len(below) else math.nan


class Ratio(NamedTuple):
    """How many times as long something takes, with an interval."""

    value: float
    low: float
    high: float


def ratio_of(one: Median, other: Median) -> Ratio:
    """Return the ratio of two medians, each known from its own players.

    The interval is put together from those of both: Zou and Donner, "Construction of confidence limits about effect
    measures: a general approach", 2008, on logs.
    """
    values = np.array([one.value, other.value])
    if not (np.isfinite(values).all() and (values > 0).all()):
        return Ratio(math.nan, math.nan, math.nan)
    (a, a_low, a_high), (b, b_low, b_high) = (_logs(median) for median in (one, other))
    low = a - b - math.hypot(a - a_low, b_high - b)
    high = a - b + math.hypot(a_high - a, b - b_low)
    return Ratio(math.exp(a - b), math.exp(low), math.exp(high))


def _logs(median: Median) -> tuple[float, float, float]:
    """Return logs; an end that nobody knows is infinitely far."""
    value = math.log(median.value)
    low = math.log(median.low) if math.isfinite(median.low) and median.low > 0 else -math.inf
    high = math.log(median.high) if math.isfinite(median.high) else math.inf
    return value, low, high


def residuals(times: Array, happened: NDArray[np.bool_]) -> tuple[Array, float]:
    """Return for each time whether it happened less how often it was to be expected by then, and how often in all.

    The expected number is the cumulative hazard of all of them: Nelson, "Hazard plotting for incomplete failure data",
    1969; Aalen, "Nonparametric inference for a family of counting processes", 1978.

    Args:
        times: until it happened, or until the last look.
        happened: whether it did.
    """
    order = np.argsort(times, kind="stable")
    sorted_times, events = times[order], happened[order].astype(np.float64)
    distinct, first = np.unique(sorted_times, return_index=True)
    at_risk = len(times) - first
    count = np.add.reduceat(events, first) if len(times) else events
    hazard = np.cumsum(count / at_risk)
    expected = hazard[np.searchsorted(distinct, times)]
    return happened - expected, float(expected.sum())
