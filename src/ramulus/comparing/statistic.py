"""What a goal measures as a smooth number, so that runs of the same players can be compared in pairs.

How sure a number, or the difference of two, is comes from the same players drawn again: `simulation/resampling.py`.
"""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from ramulus.formula.functions import Array
from ramulus.simulation.resampling import RESAMPLES, drawn_again, quantile_again, widening

AROUND = 0.5  # Of the root of the players: so far around a quantile the numbers of players drawn again are averaged.
LATTICE = 0.5  # Fewer different numbers than this share of the players stand on a lattice.


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
    def numbers(self) -> Array:
        """The numbers of all profiles, one after the other."""
        return np.concatenate(list(self.samples.values()))

    @cached_property
    def each(self) -> Array:
        """What each player counts, adding up to 1."""
        return np.concatenate([
            np.full(len(numbers), self.weights[name] / len(numbers)) for name, numbers in self.samples.items()
        ])  # fmt: skip

    @cached_property
    def in_order(self) -> tuple[Array, Array]:
        """All numbers in order, and the running sum of what they count."""
        order = np.argsort(self.numbers, kind="stable")
        return self.numbers[order], np.cumsum(self.each[order])

    @cached_property
    def value(self) -> float:
        """The quantile; infinite where too few have a number."""
        return self.at(self.share)

    def at(self, share: float) -> float:
        """Return another quantile of the same numbers; infinite on either side of all of them."""
        numbers, running = self.in_order
        if share <= 0:
            return -math.inf
        place = int(np.searchsorted(running, share - 1e-9))
        return float(numbers[place]) if place < len(numbers) else math.inf

    @cached_property
    def again(self) -> Array:
        """The quantile of the players drawn again, shape (resamples,)."""
        counts = np.concatenate([drawn_again(name, len(own)) for name, own in self.samples.items()], axis=1)
        return quantile_again(self.numbers, self.each, counts, self.share, self._reach)

    @cached_property
    def smooth(self) -> float:
        """The number that `again` is of the players drawn again: the mean of the quantiles around this one."""
        once = np.ones((1, len(self.numbers)), np.uint8)
        return float(quantile_again(self.numbers, self.each, once, self.share, self._reach)[0])

    @property
    def _reach(self) -> float:
        # On a lattice the mean of what lies around a quantile is no number that it can be.
        return 0.0 if self.on_lattice else min(AROUND / math.sqrt(len(self.numbers)), self.share, 1 - self.share)

    @cached_property
    def on_lattice(self) -> bool:
        """Whether numbers repeat so much that nobody's place among the others can be told."""
        return any(len(np.unique(numbers)) < LATTICE * len(numbers) for numbers in self.samples.values())


@dataclass(frozen=True, eq=False)
class Statistic:
    """A smooth number that a goal is about: a sum of quantiles, or a weighted sum of the means of some profiles.

    Attributes:
        value: the number: a logarithm of hours or days, or a share; infinite where too few got there.
        quantiles: the quantiles that it is the sum of; none where it is a sum of means.
        of_each: what each player is to the mean of its profile, by profile, shape (n,) each.
        weights: what the mean of each profile counts.
        counted: whether players are counted: each is 0 or 1.
    """

    value: float
    quantiles: tuple[Quantile, ...] = ()
    of_each: Mapping[str, Array] = field(default_factory=dict)
    weights: Mapping[str, float] = field(default_factory=dict)
    counted: bool = False

    @classmethod
    def of_quantiles(cls, *quantiles: Quantile) -> Statistic:
        """Return the sum of some quantiles."""
        return cls(sum(quantile.sign * quantile.value for quantile in quantiles), quantiles)

    @classmethod
    def of_share(cls, counted: Mapping[str, Array], weights: Mapping[str, float]) -> Statistic:
        """Return the share of players that are counted, of some profiles by their weights."""
        which = {name: own.astype(np.float64) for name, own in counted.items()}
        value = sum(weights[name] * float(own.mean()) for name, own in which.items())
        return cls(value, (), which, weights, counted=True)

    @property
    def known(self) -> bool:
        """Whether enough players got there."""
        return math.isfinite(self.value)

    @cached_property
    def again(self) -> Array:
        """The number for the players drawn again, shape (resamples,)."""
        if self.quantiles:
            with np.errstate(invalid="ignore"):
                return np.asarray(sum(quantile.sign * quantile.again for quantile in self.quantiles))
        moved = np.zeros(RESAMPLES)
        for name, own in self.of_each.items():
            moved += self.weights[name] * (drawn_again(name, len(own)) @ own - own.sum()) / len(own)
        return self.value + moved

    @property
    def players(self) -> int:
        """The least number of players of a profile that it is read off."""
        samples = [*(own for one in self.quantiles for own in one.samples.values()), *self.of_each.values()]
        return min(map(len, samples))

    @cached_property
    def smooth(self) -> float:
        """The number that `again` is of the players drawn again."""
        return sum(quantile.sign * quantile.smooth for quantile in self.quantiles) if self.quantiles else self.value

    @cached_property
    def error(self) -> float:
        """Its standard error; not a number where too few got there to tell."""
        spread = float(self.again.std()) if np.isfinite(self.again).all() else math.nan
        return spread * widening(self.players)
