"""Players drawn again: how far chance alone moves what was found, for many numbers of the same players at once.

One set of draws belongs to a profile and a number of players, so that whatever is read off two runs of the same
players stays in pairs (Efron and Tibshirani, "An Introduction to the Bootstrap", 1993). Players are drawn within strata
of their numbers, as classes of ability and weekdays have fixed shares.
"""

from __future__ import annotations

import zlib
from functools import lru_cache

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.rules.ability import CLASSES, class_of
from ramulus.simulation.compiled import Kernel

RESAMPLES = 500
WEEKS = 7
SURER, FEW = 1.05, 4  # What the few resamples, and a few dozen players, need more; found by benchmarks/intervals.py.
LEAST_IN_STRATUM = 10  # Of fewer the draws vary too little to tell how far chance goes.

Counts = NDArray[np.uint8]


def strata_of(players: int) -> NDArray[np.int64]:
    """Return the stratum of each player of a profile: by class of ability and week, by class, or by merged classes."""
    numbers = np.arange(players, dtype=np.int64)
    if players >= LEAST_IN_STRATUM * CLASSES * WEEKS:
        return numbers % (CLASSES * WEEKS)
    strata = min(max(players // LEAST_IN_STRATUM, 1), CLASSES)
    return np.asarray(class_of(numbers) * strata // CLASSES)


def widening(players: int) -> float:
    """Return by how much what resamples vary is too narrow: each stratum's mean is its own, and few are uneven."""
    least = int(np.bincount(strata_of(players)).min())
    return (float(np.sqrt(least / (least - 1))) if least > 1 else 1.0) * (SURER + FEW / players)


@lru_cache(maxsize=24)
def drawn_again(profile: str, players: int) -> Counts:
    """Return how often each player is in each resample, shape (RESAMPLES, players)."""
    random = np.random.default_rng(zlib.crc32(profile.encode()))
    counts, strata = np.zeros((RESAMPLES, players), np.uint8), strata_of(players)
    rows = np.arange(RESAMPLES)[:, None]
    for stratum in np.unique(strata):
        members = np.flatnonzero(strata == stratum)
        size = len(members)
        drawn = rows * size + random.integers(0, size, (RESAMPLES, size))
        counts[:, members] = np.bincount(drawn.ravel(), minlength=RESAMPLES * size).reshape(RESAMPLES, size)
    return counts


def quantile_again(numbers: Array, weights: Array, counts: Counts, share: float, reach: float) -> Array:
    """Return a quantile in each resample, shape (resamples,): the mean of those within reach of it.

    A quantile alone is one player's number, and which one it is jumps from resample to resample.

    Args:
        numbers: all players' numbers, of one profile after the other, infinite where one has none, shape (n,).
        weights: what each player counts, adding up to 1, shape (n,).
        counts: how often each is in each resample, shape (resamples, n).
        share: which quantile.
        reach: how far on either side of it, as a share of the players; 0 for the quantile alone.
    """
    order, found = np.argsort(numbers, kind="stable"), np.empty(len(counts))
    _quantiles(counts, order, numbers, weights, share, reach, found)
    return found


@Kernel
def _quantiles(counts, order, numbers, weights, share, reach, out):  # type: ignore[no-untyped-def]
    first, last = share - reach - 1e-9, share + reach - 1e-9
    players = len(order)
    for resample in range(len(counts)):
        drawn, running, i = counts[resample], 0.0, 0
        own = drawn[order[0]] * weights[order[0]]
        while running + own < first and i + 1 < players:
            running += own
            i += 1
            own = drawn[order[i]] * weights[order[i]]
        total = 0.0
        while running + own < last and i + 1 < players:
            if own > 0.0:
                total += (running + own - max(running, first)) * numbers[order[i]]
            running += own
            i += 1
            own = drawn[order[i]] * weights[order[i]]
        if running + own < last:
            out[resample] = np.inf
        elif reach == 0.0:
            out[resample] = numbers[order[i]]
        else:
            out[resample] = (total + (last - max(running, first)) * numbers[order[i]]) / (last - first)
