"""An exact judge for the simulation: the Markov chain over (level, XP), encounter by encounter.

Independent of the kernel: one step is what `Ledger` does, and chances are multiplied out on paper.
"""

from __future__ import annotations

import copy
import dataclasses
import itertools
from collections import defaultdict
from collections.abc import Callable
from dataclasses import dataclass
from functools import cache
from typing import Any

import numpy as np
from scipy.stats import gamma

import ramulus as rm


@dataclass
class Exact:
    """P(first at `level` after n encounters) for n = 0, 1, …, and the mean number of failures by then."""

    chance: np.ndarray
    failures: np.ndarray

    @property
    def mean(self) -> float:
        return float((np.arange(len(self.chance)) * self.chance).sum())

    @property
    def deviation(self) -> float:
        n = np.arange(len(self.chance))
        return float(np.sqrt((n**2 * self.chance).sum() - self.mean**2))

    def time_below(self, seconds: float, each: float, shape: float) -> float:
        """P(time ≤ seconds) where every encounter takes a gamma time of mean `each`: a sum of gammas is one."""
        n = np.arange(1, len(self.chance))
        return float(self.chance[0] + (self.chance[1:] * gamma.cdf(seconds, shape * n, scale=each / shape)).sum())


def _outcomes(xp: Any) -> list[tuple[float, float]]:
    if hasattr(xp, "low"):
        return [(x, 1 / (xp.high - xp.low + 1)) for x in range(xp.low, xp.high + 1)]
    return [tuple(pair) for pair in xp.one_of] if hasattr(xp, "one_of") else [(xp, 1.0)]


def exact_arrival(
    design: rm.Design, level: int, most: int = 400, chances: Callable[[int], dict[str, float]] | None = None
) -> Exact:
    """The exact distribution of encounters to a level, for sources that are always open.

    `chances` gives the chance of each source at a level, from 0; without it there is one source.
    """
    (only, *_), known = design.sources, {name: _outcomes(source.xp) for name, source in design.sources.items()}
    assert design.encounter is not None
    success, failure = float(design.encounter.success), design.encounter.failure
    start = rm.Ledger(design)
    ways = [(True, success), (False, 1 - success)] if success < 1 else [(True, 1.0)]

    @cache
    def steps(at: int, units: int) -> list[tuple[int, int, float, bool]]:
        """Where one encounter leads from a state: level, XP units, chance, and whether it failed."""
        found = []
        met = chances(at).items() if chances is not None else [(only, 1.0)]
        outcomes = [(amount, p * q) for name, p in met if p for amount, q in known[name]]
        for (amount, p), (won, q) in itertools.product(outcomes, ways):
            ledger = copy.copy(start)
            ledger.account = dataclasses.replace(start.account, level=at, peak=at, xp=units)
            if not won:
                ledger.lose(int(float(failure.loss) * ledger.cost))
            ledger.award(amount if won else int(amount * failure.xp_share))
            found.append((ledger.account.level, ledger.account.xp, p * q, not won))
        return found

    # State: (level, XP units) → [probability, probability × failures so far].
    states = {(start.account.level, start.account.xp): np.array([1.0, 0.0])}
    chance, failures = np.zeros(most + 1), np.zeros(most + 1)
    for n in range(1, most + 1):
        following: dict[tuple[int, int], np.ndarray] = defaultdict(lambda: np.zeros(2))
        for (at, units), (mass, failed) in states.items():
            for reached, then, p, lost in steps(at, units):
                share = np.array([mass * p, (failed + mass * lost) * p])
                if reached + start.start_level >= level:
                    chance[n] += share[0]
                    failures[n] += share[1]
                else:
                    following[reached, then] += share
        states = following
        if sum(mass for mass, _ in states.values()) < 1e-12:
            break
    assert chance.sum() > 1 - 1e-9
    return Exact(chance, failures)
