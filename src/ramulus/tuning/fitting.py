"""Least squares on the misses of goals: numbers that bring every goal as near to its wish as they can together.

With few players the method is a trust region reflective one (Branch, Coleman and Li, "A subspace, interior, and
conjugate gradient method for large-scale bound-constrained minimization problems", 1999), as SciPy has it; with all of
them it is that of `descent.py`. Every evaluation is a run.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from ramulus.errors import RamulusError
from ramulus.tuning.descent import Descent
from ramulus.tuning.landscape import Fit

if TYPE_CHECKING:
    from ramulus.formula.functions import Array

SCREENED, FEW = 300, 500
OTHER_STARTS, LOOKED_AT = 3, 8
MOST_TURNS, GAINED = 5, 0.02  # Turns of other starts, and the part of the misses by which one has to bring them nearer.
NEARER = (0.0, 0.25, 0.06)  # Of the way between the bounds, on either side of the best; 0 for all of it.
ALIKE = 0.02  # Of the way between the bounds: starts that near to one another end alike.
BESIDE = 0.1  # Of the way between the bounds.


class Fitting(Descent):
    """The search for numbers that meet the goals."""

    def fit(self) -> Fit:
        """Return the best numbers that were found."""
        few = min(FEW, self._players)
        self._trials.doing = "from the numbers as they are"
        values = self._settled(self._start, few)
        for turn in range(MOST_TURNS):
            if not self._fails(values, few):
                break
            self._trials.doing = "from other numbers"
            found = min(
                (self._settled(start, few) for start in self._other_starts(turn, values)),
                key=lambda one: self._cost(one, few),
            )
            better, cost = self._cost(found, few), self._cost(values, few)
            values = found if better < cost else values
            if turn and not better < (1 - GAINED) * cost:
                break
        values = self._homeward(values, few)
        self._trials.doing = "nearer"
        values = self._to_near_bounds(values)
        if self.aims(values, self._players) is None:
            raise RamulusError("no numbers between these bounds make a design that can be played; allowed: others")
        return self._to_the_bottom(values)

    def _to_near_bounds(self, values: Array) -> Array:
        """Return numbers that are at a bound where that is nearer to the goals: the method stays short of bounds."""
        for index in self._free:
            one = self._ranges[index]
            for end in (one.low, one.high):
                short = abs(one.x_of(values[index]) - one.x_of(end))
                if 0 < short < BESIDE * (one.ends[1] - one.ends[0]):
                    tried = values.copy()
                    tried[index] = end
                    if self._cost(tried, self._players) <= self._cost(values, self._players):
                        values = tried
        return values

    def _settled(self, start: Array, players: int) -> Array:
        """Return a solution from one start; whole numbers are tried out one by one."""
        values = self._descend(start, players)
        if not self._whole:
            return values
        widths = [self._ranges[index].high - self._ranges[index].low for index in self._whole]
        step = max(1, *(int(width) // 8 for width in widths))
        while True:
            better = self._one_step_better(values, players, step)
            if better is not None:
                values = better
            elif step == 1:
                return values
            else:
                step = max(1, step // 2)

    def _one_step_better(self, values: Array, players: int, step: int) -> Array | None:
        """Return numbers of which one whole one is a step up or down, and the goals nearer; None where none is."""
        cost = self._cost(values, players)
        for index in self._whole:
            one = self._ranges[index]
            for way in (step, -step):
                tried = values.copy()
                tried[index] = np.clip(values[index] + way, one.low, one.high)
                if tried[index] != values[index]:
                    tried = self._descend(tried, players, most=4)
                    if self._cost(tried, players) < cost:
                        return tried
        return None

    def _fails(self, values: Array, players: int) -> bool:
        aims = self.aims(values, players)
        return aims is None or any(aim.failed for aim in aims)

    def _other_starts(self, turn: int, best: Array) -> list[Array]:
        """Return the best of some numbers spread evenly (Sobol', 1967): all between the bounds, then nearer the best.

        Each turn looks at other ones; who is alike to one that is taken already is passed over.
        """
        from scipy.stats.qmc import Sobol

        points = Sobol(len(self._ranges), rng=turn).random(LOOKED_AT * 2 ** min(len(self._ranges) - 1, 2))
        found, few = [], min(SCREENED, self._players)
        for point in points.tolist():
            xs = []
            for share, one, value in zip(point, self._ranges, best.tolist(), strict=True):
                low, high = one.ends
                if width := NEARER[turn % len(NEARER)] * (high - low):
                    low, high = max(low, one.x_of(value) - width), min(high, one.x_of(value) + width)
                xs.append(low + share * (high - low))
            found.append(np.array([one.value_of(x) for one, x in zip(self._ranges, xs, strict=True)]))
        taken: list[Array] = []
        for values in sorted(found, key=lambda values: self._cost(values, few)):
            if len(taken) < OTHER_STARTS and all(self._apart(values, other) > ALIKE for other in taken):
                taken.append(values)
        return taken

    def _apart(self, one: Array, two: Array) -> float:
        """Return how far numbers are apart, the farthest as a share of the way between its bounds."""
        return max(
            abs(own.x_of(a) - own.x_of(b)) / max(own.ends[1] - own.ends[0], 1e-12)
            for own, a, b in zip(self._ranges, one.tolist(), two.tolist(), strict=True)
        )
