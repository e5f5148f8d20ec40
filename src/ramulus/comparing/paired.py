"""The difference of a number between two runs of the same players, with an interval of the pairs.

Each player has a number in either run, from the same draws, so most luck cancels. The interval is the percentile one of
the pairs drawn again; where hardly any player differs at all it reaches as far as players might that nobody has seen.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from ramulus.comparing.statistic import Quantile, Statistic
from ramulus.formula.functions import Array
from ramulus.goals.measuring import CONFIDENCE
from ramulus.simulation.alike import alike_up_to
from ramulus.simulation.resampling import widening
from ramulus.simulation.samples import share_interval
from ramulus.simulation.world import make_stage

if TYPE_CHECKING:
    from ramulus.results.result import SimulationResult

ALL = "all"
# Where no more players than that differ, and less than that share of them, chance may have hidden as many from sight.
RARE, RARE_SHARE = 25, 0.4
# Of fewer pairs no interval of a median holds the truth in 95 of 100 cases: all lie on one side of it in 2 of 2 ** n.
FEWEST = 6


class Difference(NamedTuple):
    """The difference of two numbers, the second less the first, and its 95 % interval.

    An end is not a number where too few got there, or were played, to know. `conservative`: times stand on a lattice,
    and the interval holds the truth more often than it says.
    """

    value: float
    low: float
    high: float
    conservative: bool = False


UNKNOWN = Difference(math.nan, math.nan, math.nan)


def difference_of_medians(first: Array, second: Array, *, cannot_differ: bool = False) -> Difference:
    """Return the difference of the medians of two designs, paired by player.

    Args:
        first, second: each player's time in either design, by the players' numbers from 0 on, infinite where it did
            not get there, shape (n,).
        cannot_differ: whether the designs say the same of all that comes before, so that no player's time can differ.
    """
    return difference_of_quantiles(first, second, 0.5, cannot_differ=cannot_differ)


def difference_of_quantiles(first: Array, second: Array, share: float, *, cannot_differ: bool = False) -> Difference:
    """Return the difference of a quantile, as `difference_of_medians` does of the median."""
    one, two = (Quantile({ALL: times}, {ALL: 1.0}, share) for times in (first, second))
    return difference(Statistic.of_quantiles(one), Statistic.of_quantiles(two), cannot_differ=cannot_differ)


def difference(first: Statistic, second: Statistic, *, cannot_differ: bool = False) -> Difference:
    """Return the difference of a number between two runs of the same players.

    Args:
        first, second: the number in either run.
        cannot_differ: whether no player's number can differ between the runs.
    """
    if not (first.known and second.known):
        return UNKNOWN
    if cannot_differ:
        return Difference(0.0, 0.0, 0.0)
    value = second.value - first.value
    if first.players < FEWEST:
        return Difference(value, math.nan, math.nan)
    low, high = _of_shares(first, second) if first.counted else _of_pairs(first, second)
    lattice = any(quantile.on_lattice for quantile in (*first.quantiles, *second.quantiles))
    low, high = (end if math.isfinite(end) else math.nan for end in (min(low, value), max(high, value)))
    return Difference(value, low, high, lattice)


def same_up_to(one: SimulationResult, two: SimulationResult, player: str) -> int:
    """Return up to which level of the main track, from 0, a profile's players play the same in two runs for certain.

    It is read off what is played, not off what was found: that no player seen differs proves nothing.
    """
    if one.design.track().start_level != two.design.track().start_level:
        return -1
    hours = max(one.hours, two.hours)
    return alike_up_to(*(make_stage(run.design, player, hours, 1) for run in (one, two)))


def _of_pairs(first: Statistic, second: Statistic) -> tuple[float, float]:
    """Return the percentile interval of the pairs drawn again, and of what few players might add to it."""
    value, wider = second.smooth - first.smooth, widening(first.players)
    with np.errstate(invalid="ignore"):
        apart = second.again - first.again
    if np.isnan(apart).any():
        return math.nan, math.nan
    tail = (1 - CONFIDENCE) / 2
    low, high = (
        value + wider * (float(end) - value) for end in np.quantile(apart, [tail, 1 - tail], method="inverted_cdf")
    )
    if not first.quantiles:
        # Of a mean nobody can tell how far whom nobody has seen would move it.
        seen = any((own != second.of_each[name]).any() for name, own in first.of_each.items())
        return (low, high) if seen else (math.nan, math.nan)
    unseen = [_unseen(*pair) for pair in zip(first.quantiles, second.quantiles, strict=True)]
    if any(one is None for one in unseen):
        return low, high
    return min(low, sum(one[0] for one in unseen if one)), max(high, sum(one[1] for one in unseen if one))


def _unseen(first: Quantile, second: Quantile) -> tuple[float, float] | None:
    """Return how far a quantile may move by players who pass it, where hardly any player's number differs at all.

    With none of n players seen to differ, one in n / 4 may: the ends of the share of those who pass it are exact ones.
    None where enough players differ to tell by.
    """
    below, above, apart = 0.0, 0.0, 0.0
    for name, own in first.samples.items():
        other = second.samples[name]
        if int((own != other).sum()) > min(RARE, RARE_SHARE * len(own)):
            return None
        was, now = own <= first.value, other <= first.value
        net, low, high = net_share(int((now & ~was).sum()), int((was & ~now).sum()), len(own))
        weight = first.weights[name]
        apart += weight * net
        below, above = below + (weight * (net - low)) ** 2, above + (weight * (high - net)) ** 2
    # The more come to stand below it, the lower it lies.
    ends = first.at(first.share - apart - math.sqrt(above)), first.at(first.share - apart + math.sqrt(below))
    down, up = ends[0] - first.value, ends[1] - first.value
    return (down, up) if first.sign > 0 else (-up, -down)


def net_share(gained: int, lost: int, players: int) -> tuple[float, float, float]:
    """Return the share of players who come less that of those who go, and its interval.

    From the exact intervals of both shares, put together (Zou and Donner, "Construction of confidence limits about
    effect measures", 2008).
    """
    counts = np.array([gained, lost])
    share = counts / players
    low, high = share_interval(counts, players, CONFIDENCE)
    net = float(share[0] - share[1])
    return (
        net,
        net - math.hypot(share[0] - low[0], high[1] - share[1]),
        net + math.hypot(high[0] - share[0], share[1] - low[1]),
    )


def _of_shares(first: Statistic, second: Statistic) -> tuple[float, float]:
    """Return the interval of the difference of a share, from the players who come and those who go."""
    apart, below, above = 0.0, 0.0, 0.0
    for name, own in first.of_each.items():
        weight = first.weights[name]
        gained, lost = ((a > b).sum() for a, b in ((second.of_each[name], own), (own, second.of_each[name])))
        net, low, high = net_share(int(gained), int(lost), len(own))
        apart += weight * net
        below, above = below + (weight * (net - low)) ** 2, above + (weight * (high - net)) ** 2
    return apart - math.sqrt(below), apart + math.sqrt(above)
