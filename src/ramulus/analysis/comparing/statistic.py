"""What a goal measures as a smooth number, with how much each player moves it, so that runs can be compared in pairs.

How much a player moves a quantile is read off the distribution around it (the influence of a quantile: Bahadur, "A note
on quantiles in large samples", 1966); runs that share their draws differ by the mean of the differences of these.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from functools import cached_property

import numpy as np

from ramulus.formula.functions import Array
from ramulus.rules.ability import class_of

AROUND = 2.0  # Ranks around a quantile, over the root of the players, that tell how dense they are there.
LATTICE = 0.5  # Fewer different numbers than this share of the players stand on a lattice.
RESAMPLED = 200


@dataclass(frozen=True, eq=False)
class Quantile:
    """A quantile of some profiles together.

    Attributes:
        samples: each player's number, infinite where it has none, by profile, shape (n,) each.
        weights: the profiles' shares, adding up to 1.
        share: which quantile.
        sign: 1, or -1 where it is taken away from another one.
    """

    samples: Mapping[str, Array]
    weights: Mapping[str, float]
    share: float
    sign: int = 1

    @cached_property
    def _sorted(self) -> tuple[Array, Array]:
        return _in_order(list(self.samples.values()), self._each)

    @property
    def _each(self) -> list[float]:
        return [self.weights[name] / len(numbers) for name, numbers in self.samples.items()]

    @cached_property
    def value(self) -> float:
        """The quantile; infinite where too few have a number."""
        return _at_share(*self._sorted, self.share)

    @property
    def moves(self) -> dict[str, Array]:
        """How much each player moves it, over the number of players of its profile, shape (n,) each."""
        players = sum(map(len, self.samples.values()))
        reach = AROUND / math.sqrt(players)
        below, above = max(self.share - reach, 0.0), min(self.share + reach, 1.0)
        ends = [_at_share(*self._sorted, share) for share in (below, above)]
        sparsity = (ends[1] - ends[0]) / (above - below) if math.isfinite(ends[1]) else math.nan
        return {
            name: self.sign * self.weights[name] * (self.share - (numbers <= self.value)) * sparsity
            for name, numbers in self.samples.items()
        }

    @property
    def on_lattice(self) -> bool:
        """Whether numbers repeat so much that nobody's place among the others can be told."""
        return any(len(np.unique(numbers)) < LATTICE * len(numbers) for numbers in self.samples.values())

    def of(self, players: Mapping[str, Array]) -> float:
        """Return the quantile of some of the players, whose places are given by profile."""
        numbers = [numbers[players[name]] for name, numbers in self.samples.items()]
        return self.sign * _at_share(*_in_order(numbers, self._each), self.share)


def _in_order(samples: list[Array], each: list[float]) -> tuple[Array, Array]:
    """Return all numbers in order, and the running sum of what they weigh."""
    numbers = np.concatenate(samples)
    weights = np.concatenate([np.full(len(part), weight) for part, weight in zip(samples, each, strict=True)])
    order = np.argsort(numbers, kind="stable")
    return numbers[order], np.cumsum(weights[order])


def _at_share(numbers: Array, running: Array, share: float) -> float:
    return float(numbers[min(int(np.searchsorted(running, share - 1e-9)), len(numbers) - 1)])


@dataclass(frozen=True, eq=False)
class Statistic:
    """A smooth number that a goal is about.

    Attributes:
        value: the number: a logarithm of hours or days, or a share; infinite where too few got there.
        of_each: how much each player moves it, by profile, shape (n,) each; empty where it is a sum of quantiles.
        quantiles: the quantiles that it is the sum of.
    """

    value: float
    of_each: Mapping[str, Array]
    quantiles: tuple[Quantile, ...] = ()

    @classmethod
    def of_quantiles(cls, *quantiles: Quantile) -> Statistic:
        """Return the sum of some quantiles."""
        return cls(sum(quantile.sign * quantile.value for quantile in quantiles), {}, quantiles)

    @cached_property
    def moves(self) -> Mapping[str, Array]:
        """How much each player moves it, by profile, shape (n,) each."""
        moves = dict(self.of_each)
        for quantile in self.quantiles:
            for name, own in quantile.moves.items():
                moves[name] = moves[name] + own if name in moves else own
        return moves

    @property
    def known(self) -> bool:
        """Whether enough players got there."""
        return math.isfinite(self.value)


def covariance(one: Mapping[str, Array], two: Mapping[str, Array]) -> float:
    """Return the covariance of two means of moves: within classes of ability, as all have equally many players."""
    found = 0.0
    for name in one.keys() & two.keys():
        classes = class_of(np.arange(len(one[name])))
        counts = np.bincount(classes)
        apart = [moves[name] - (np.bincount(classes, moves[name]) / counts)[classes] for moves in (one, two)]
        left = max(len(classes) - len(counts), 1)
        found += float((apart[0] * apart[1]).sum()) / left / len(classes)
    return found


def paired_error(first: Statistic, second: Statistic) -> float:
    """Return the standard error of the difference of a statistic between two runs of the same players.

    On a lattice it is that of resampled pairs, wider rather than narrower than it need be.
    """
    if not (first.known and second.known):
        return math.nan
    if any(quantile.on_lattice for quantile in (*first.quantiles, *second.quantiles)):
        return _resampled_error(first, second)
    moves = {name: second.moves[name] - own for name, own in first.moves.items()}
    return math.sqrt(max(covariance(moves, moves), 0.0))


def _resampled_error(first: Statistic, second: Statistic) -> float:
    draws, sizes = np.random.default_rng(0), {name: len(own) for name, own in first.moves.items()}
    apart = np.empty(RESAMPLED)
    for index in range(RESAMPLED):
        players = {name: draws.integers(0, size, size) for name, size in sizes.items()}
        values = [sum(quantile.of(players) for quantile in one.quantiles) for one in (first, second)]
        apart[index] = values[1] - values[0]
    return float(apart.std()) if np.isfinite(apart).all() else math.nan
