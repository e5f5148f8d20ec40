"""Shares and quantiles with their intervals, of one profile or of everyone by the profiles' shares."""

from __future__ import annotations

import math
from collections.abc import Callable
from statistics import NormalDist
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from ramulus.design.goal import EVERYONE, Goal
from ramulus.simulation.population import mixed_quantile, shares_of
from ramulus.simulation.samples import Sample, binomial_quantile, share_interval

if TYPE_CHECKING:
    from ramulus.formula.functions import Array
    from ramulus.simulation.played import Arrivals, PlayedDesign, PlayedProfile

CONFIDENCE = 0.95
Z = NormalDist().inv_cdf((1 + CONFIDENCE) / 2)


class Measured(NamedTuple):
    """What was found of a goal, in the unit of its wish.

    Attributes:
        found: the number; not a number where too few got there, or it is not known.
        low, high: its 95 % interval: as far as is known, from 0 to infinity.
        at: the level that it turned out to be about, or None.
    """

    found: float
    low: float
    high: float
    at: int | None = None


NOTHING_KNOWN = Measured(math.nan, 0.0, math.inf)


def groups_of(goal: Goal, result: PlayedDesign) -> list[PlayedProfile]:
    """Return the profiles that a goal is about."""
    names = list(result.played.profiles) if goal.player == EVERYONE else [goal.player]
    return [result.profile(name) for name in names]


def weights_of(goal: Goal, result: PlayedDesign) -> Array:
    """Return the shares of these profiles, adding up to 1."""
    return shares_of(result.design, [group.profile for group in groups_of(goal, result)])


def arrivals_of(goal: Goal, group: PlayedProfile) -> Arrivals:
    """Return a profile's arrivals on the track of a goal."""
    return group.arrivals[goal.track] if goal.track is not None else group.main


def share_of(goal: Goal, result: PlayedDesign, count: Callable[[PlayedProfile], int]) -> Measured:
    """Return the share of players that are counted.

    The interval is Clopper and Pearson's; of several profiles, the parts put together (Zou, Huang and Zhang, "A note
    on confidence interval estimation for a linear function of binomial proportions", 2009).
    """
    found, below, above = 0.0, 0.0, 0.0
    for group, weight in zip(groups_of(goal, result), weights_of(goal, result).tolist(), strict=True):
        counted = count(group)
        low, high = (float(end) for end in share_interval(np.asarray(counted), group.players, CONFIDENCE))
        share = counted / group.players
        found += weight * share
        below += (weight * (share - low)) ** 2
        above += (weight * (high - share)) ** 2
    return Measured(found, max(found - below**0.5, 0.0), min(found + above**0.5, 1.0))


def quantile_of(
    goal: Goal, quantile: float, result: PlayedDesign, sample_of: Callable[[PlayedProfile], Sample], beyond: float,
    at_least_of: Callable[[PlayedProfile], Sample] | None = None,
) -> Measured:  # fmt: skip
    """Return a quantile of a sample of one column; who has no number counts as later than all who have.

    The interval of a share turned back into numbers: of one profile that is the one of order statistics, of several
    Woodruff's ("Confidence intervals for medians and other position measures", 1952).

    Args:
        goal: the goal.
        quantile: 0 … 1.
        result: what was played.
        sample_of: each profile's sample.
        beyond: what every number that is missing is above.
        at_least_of: a sample with a bound for each number that is missing, where there is a better one.
    """
    groups, weights = groups_of(goal, result), weights_of(goal, result)
    samples = [(sample_of(group), group.players) for group in groups]
    bounds = samples if at_least_of is None else [(at_least_of(group), group.players) for group in groups]
    found = mixed_quantile(samples, weights, 0, quantile)
    shares = [s.below(0, found) / n if math.isfinite(found) else s.reached()[0] / n for s, n in samples]
    shares = [min(max(float(share), 0.5 / n), 1 - 0.5 / n) for share, (_, n) in zip(shares, samples, strict=True)]
    if len(groups) == 1:
        ends = _ranks(quantile, samples[0][1])
    else:
        parts = zip(weights.tolist(), shares, samples, strict=True)
        error = Z * math.sqrt(sum(w**2 * p * (1 - p) / n for w, p, (_, n) in parts))
        ends = quantile - error, quantile + error
    low = mixed_quantile(bounds, weights, 0, ends[0]) if ends[0] > 0 else 0.0
    high = mixed_quantile(samples, weights, 0, ends[1]) if ends[1] <= 1 else math.inf
    return Measured(found, beyond if math.isnan(low) else low, math.inf if math.isnan(high) else high)


def _ranks(quantile: float, players: int) -> tuple[float, float]:
    """Return the two ranks that bracket a quantile, as shares (David and Nagaraja, "Order Statistics", 2003)."""
    tail = (1 - CONFIDENCE) / 2
    low, high = (int(binomial_quantile(level, players, quantile)) for level in (tail, 1 - tail))
    return low / players, (high + 1) / players
