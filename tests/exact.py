"""An exact judge for the simulation: the Markov chain over (level, XP), encounter by encounter.

Independent of the kernel: one step is what `Ledger` does, and chances are multiplied out on paper.
"""

from __future__ import annotations

import copy
import dataclasses
import itertools
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np
from scipy.sparse import coo_array
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

    def steps(at: int, units: int) -> Iterator[tuple[int, int, float, bool]]:
        """Where one encounter leads from a state: level, XP units, chance, and whether it failed."""
        met = chances(at).items() if chances is not None else [(only, 1.0)]
        outcomes = [(amount, p * q) for name, p in met if p for amount, q in known[name]]
        for (amount, p), (won, q) in itertools.product(outcomes, ways):
            ledger = copy.copy(start)
            ledger.account = dataclasses.replace(start.account, level=at, peak=at, xp=units)
            if not won:
                ledger.lose(int(float(failure.loss) * ledger.cost))
            ledger.award(amount if won else int(amount * failure.xp_share))
            yield ledger.account.level, ledger.account.xp, p * q, not won

    # States are numbered as they are found: (level, XP units). 0 is the level asked for, which nobody leaves.
    number = {(start.account.level, start.account.xp): 1}
    moves: list[tuple[int, int, float, bool]] = []
    for at, units in (waiting := list(number)):
        for reached, then, p, lost in steps(at, units):
            arrived = reached + start.start_level >= level
            if not arrived and (reached, then) not in number:
                number[reached, then] = len(number) + 1
                waiting.append((reached, then))
            moves.append((0 if arrived else number[reached, then], number[at, units], p, lost))
    to, out, p, lost = (np.array(column) for column in zip(*moves, strict=True))
    size = (len(number) + 1, len(number) + 1)
    leads, fails = coo_array((p, (to, out)), size).tocsr(), coo_array((p * lost, (to, out)), size).tocsr()

    mass, failed = np.zeros(size[0]), np.zeros(size[0])  # Probability, and probability x failures so far.
    mass[1] = 1.0
    chance, failures = np.zeros(most + 1), np.zeros(most + 1)
    for n in range(1, most + 1):
        mass, failed = leads @ mass, leads @ failed + fails @ mass
        chance[n], failures[n] = mass[0], failed[0]
        mass[0] = failed[0] = 0.0
        if mass.sum() < 1e-12:
            break
    assert chance.sum() > 1 - 1e-9
    return Exact(chance, failures)
