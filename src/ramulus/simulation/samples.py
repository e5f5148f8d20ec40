"""Samples of players per level, whole or summed up, with the rule for players who did not arrive.

A player who has not reached a level counts as later than every one who has. So a quantile is known only where at
least that share arrived, and is not a number elsewhere.
"""

from __future__ import annotations

import math
from dataclasses import dataclass, field
from typing import Protocol

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array

Counts = NDArray[np.int64]
RELATIVE_ERROR = 0.004
_RATIO = (1 + RELATIVE_ERROR) / (1 - RELATIVE_ERROR)
_LOWEST, _HIGHEST = 1e-3, 1e12
_BINS = math.ceil(math.log(_HIGHEST / _LOWEST) / math.log(_RATIO)) + 2


class Sample(Protocol):
    """One number a player and level, such as the seconds at which it was reached."""

    def over(self, levels: slice) -> Sample:
        """Return the sample over some of the levels."""

    def reached(self) -> Counts:
        """Return how many players have a number at each level, shape (levels,)."""

    def at_rank(self, rank: Counts) -> Array:
        """Return the rank-th smallest number at each level (from 1); not a number where fewer have one."""

    def around_rank(self, rank: Counts) -> tuple[Array, Array]:
        """Return two numbers between which the rank-th smallest one lies for certain, at each level."""

    def below(self, level: int, value: float) -> int:
        """Return how many players have a number ≤ value at one level (an index)."""

    def spread_at(self, level: int) -> tuple[Array, Counts]:
        """Return the numbers at one level (an index), each with how many players have it."""


@dataclass(eq=False)
class WholeSample:
    """Every player's number, shape (players, levels); not a number where a player has none."""

    values: Array
    _sorted: Array | None = field(default=None, repr=False)

    def over(self, levels: slice) -> WholeSample:
        """Return the sample over some of the levels."""
        return WholeSample(self.values[:, levels])

    def reached(self) -> Counts:
        """Return how many players have a number at each level."""
        return np.asarray(np.isfinite(self.values).sum(axis=0))

    def at_rank(self, rank: Counts) -> Array:
        """Return the rank-th smallest number at each level."""
        if self._sorted is None:
            self._sorted = np.sort(self.values, axis=0)  # Numbers first, the missing ones last.
        inside = (rank >= 1) & (rank <= len(self.values))
        index = np.clip(rank - 1, 0, max(len(self.values) - 1, 0))
        return np.where(inside, np.take_along_axis(self._sorted, index[None, :], axis=0)[0], np.nan)

    def around_rank(self, rank: Counts) -> tuple[Array, Array]:
        """Return the rank-th smallest number at each level, twice: it is known."""
        return self.at_rank(rank), self.at_rank(rank)

    def below(self, level: int, value: float) -> int:
        """Return how many players have a number ≤ value at one level."""
        return int((self.values[:, level] <= value).sum())

    def spread_at(self, level: int) -> tuple[Array, Counts]:
        """Return the numbers at one level, each with how many players have it."""
        known = self.values[:, level][np.isfinite(self.values[:, level])]
        return known, np.ones(len(known), dtype=np.int64)


@dataclass(eq=False)
class BinnedSample:
    """Counts in bins of a constant ratio, which add up over any number of players.

    Any quantile is within 0.4 % of the exact one: the sketch of Masson, Rim and Lee, "DDSketch", 2019, with bins
    fixed beforehand. Values are seconds or counts, 0 or 0.001 … 1e12.
    """

    counts: NDArray[np.int32]

    @classmethod
    def empty(cls, levels: int) -> BinnedSample:
        """Return a sample of no players."""
        return cls(np.zeros((levels, _BINS), dtype=np.int32))  # Half the memory; no run has 2**31 players.

    def over(self, levels: slice) -> BinnedSample:
        """Return the sample over some of the levels."""
        return BinnedSample(self.counts[levels])

    def add(self, values: Array) -> None:
        """Count more players, shape (players, levels)."""
        known = np.isfinite(values)
        with np.errstate(divide="ignore", invalid="ignore"):
            bins = np.ceil(np.log(values / _LOWEST) / math.log(_RATIO)) + 1
        bins = np.where(values < _LOWEST, 0, np.clip(bins, 1, _BINS - 1))
        for level in range(values.shape[1]):
            here = bins[known[:, level], level].astype(np.int64)
            self.counts[level] += np.bincount(here, minlength=_BINS).astype(np.int32)

    def reached(self) -> Counts:
        """Return how many players have a number at each level."""
        return np.asarray(self.counts.sum(axis=1, dtype=np.int64))

    def at_rank(self, rank: Counts) -> Array:
        """Return the rank-th smallest number at each level, within 0.4 %."""
        bins, known = self._bins_at(rank)
        return np.where(known, np.where(bins == 0, 0.0, _bin_value(bins)), np.nan)

    def around_rank(self, rank: Counts) -> tuple[Array, Array]:
        """Return the ends of the bin that holds the rank-th smallest number at each level."""
        bins, known = self._bins_at(rank)
        low = np.where(bins == 0, 0.0, _bin_end(bins - 1))
        return np.where(known, low, np.nan), np.where(known, _bin_end(bins), np.nan)

    def _bins_at(self, rank: Counts) -> tuple[Counts, NDArray[np.bool_]]:
        """Return the bin that holds the rank-th smallest number at each level, and whether there is one."""
        running = self.counts.cumsum(axis=1, dtype=np.int64)
        bins = np.array([np.searchsorted(row, r) for row, r in zip(running, rank, strict=True)])
        return bins, (rank >= 1) & (rank <= running[:, -1])

    def below(self, level: int, value: float) -> int:
        """Return how many players have a number ≤ value at one level, bins counted whole."""
        values, counts = self.spread_at(level)
        return int(counts[values <= value].sum())

    def spread_at(self, level: int) -> tuple[Array, Counts]:
        """Return the bins' values at one level, each with how many players are in it."""
        return np.where(np.arange(_BINS) == 0, 0.0, _bin_value(np.arange(_BINS))), self.counts[level].astype(np.int64)


def _bin_end(bins: NDArray[np.int64]) -> Array:
    """Return the upper end of each bin."""
    return np.asarray(_LOWEST * _RATIO ** (bins.astype(np.float64) - 1))


def _bin_value(bins: NDArray[np.int64]) -> Array:
    """Return the value that is at most RELATIVE_ERROR from anything in a bin."""
    return _bin_end(bins) * 2 / (1 + _RATIO)


def quantile(sample: Sample, share: float, players: int | Counts) -> Array:
    """Return a quantile at each level: the smallest number that at least `share` of the players are at or below.

    Args:
        sample: the numbers.
        share: 0 … 1.
        players: how many players count, arrived or not.
    """
    rank = np.ceil(np.asarray(players) * share - 1e-9).astype(np.int64)
    return sample.at_rank(np.broadcast_to(np.maximum(rank, 1), sample.reached().shape))


def quantile_interval(
    sample: Sample, share: float, players: int | Counts, confidence: float = 0.95
) -> tuple[Array, Array]:
    """Return a confidence interval of a quantile at each level, from order statistics (no assumption on shape).

    The number of players below the true quantile is binomial, so two ranks bracket it with the confidence asked
    for; see David and Nagaraja, "Order Statistics", 2003, section 7.1. Where numbers are kept in bins, the interval
    reaches to the far ends of the two bins. An end that no arrived player marks is not a number.
    """
    count = np.broadcast_to(np.asarray(players, dtype=np.int64), sample.reached().shape)
    tail = (1 - confidence) / 2
    low, high = binomial_quantile(tail, count, share), binomial_quantile(1 - tail, count, share) + 1
    return sample.around_rank(low)[0], sample.around_rank(high)[1]


def binomial_quantile(level: float, players: Counts | int, share: float) -> Counts:
    """Return the least number of players that a binomial one stays at or below with a probability.

    As SciPy's `binom.ppf`, whose module takes a second to load.
    """
    from scipy.special import bdtr, bdtrik

    count = np.asarray(players, dtype=np.int64)
    above = np.ceil(bdtrik(level, count.astype(np.float64), share))
    below = np.maximum(above - 1, 0)
    return np.asarray(np.where(bdtr(below, count, share) >= level, below, above)).astype(np.int64)


def share_interval(found: Counts, players: int | Counts, confidence: float = 0.95) -> tuple[Array, Array]:
    """Return a confidence interval of a share of players, exact for any number of them.

    Clopper and Pearson, "The use of confidence or fiducial limits illustrated in the case of the binomial", 1934.

    Args:
        found: how many players were counted.
        players: of how many.
        confidence: such as 0.95.
    """
    from scipy.special import betaincinv

    tail, count = (1 - confidence) / 2, np.asarray(players)
    low = np.where(found == 0, 0.0, betaincinv(np.maximum(found, 1), count - found + 1, tail))
    high = np.where(found == count, 1.0, betaincinv(found + 1, np.maximum(count - found, 1), 1 - tail))
    return low, high
