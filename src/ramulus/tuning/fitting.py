"""Least squares on the misses of goals: numbers that bring every goal as near to its wish as they can together.

The method is a trust region reflective one (Branch, Coleman and Li, "A subspace, interior, and conjugate gradient
method for large-scale bound-constrained minimization problems", 1999), as SciPy has it; every evaluation is a run.
"""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING

import numpy as np

from ramulus.errors import RamulusError
from ramulus.tuning.landscape import FLAT, NEAR_BY, Fit, Landscape, cost_of, spread_of

if TYPE_CHECKING:
    from ramulus.formula.functions import Array

SCREENED, FEW = 300, 500
OTHER_STARTS, LOOKED_AT = 3, 8
MOST_TURNS, GAINED = 5, 0.02  # Turns of other starts, and the part of the misses by which one has to bring them nearer.
NEARER = (0.0, 0.25, 0.06)  # Of the way between the bounds, on either side of the best; 0 for all of it.
ALIKE = 0.02  # Of the way between the bounds: starts that near to one another end alike.
BESIDE = 0.1  # Of the way between the bounds.
MOST_STEPS, PARTS = 6, (1.0, 0.5, 0.25)
ALONG = (-2.0, -1.0, 1.0, 2.0)  # Standard errors.
SEEN = 0.3  # Of a standard error: shorter steps are chance.
LONGEST = 0.3  # Of a coordinate at once: farther off nothing is straight.


class Fitting(Landscape):
    """The search for numbers that meet the goals."""

    @property
    def _start(self) -> Array:
        return np.array([one.start for one in self._ranges], dtype=np.float64)

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
        self._trials.doing = "nearer"
        values = self._descend(values, self._players, most=4)
        values = self._to_near_bounds(values)
        aims = self.aims(values, self._players)
        if aims is None:
            raise RamulusError("no numbers between these bounds make a design that can be played; allowed: others")
        return self._to_the_bottom(Fit(values, aims, *self._slopes(values, self._players, aims)))

    def _to_the_bottom(self, fit: Fit) -> Fit:
        """Return a fit from which no step leads nearer by more than chance tells: along a valley least squares stops.

        Steps are those of Gauss and Newton, with what chance leaves open of them, and then along the valley itself:
        awards rounded to whole XP make its floor uneven.
        """
        sloped = fit
        for _ in range(MOST_STEPS):
            if not (inside := self._movable(fit.values)):
                break
            better = self._by_steps(fit, inside) or self._along_the_valley(fit, inside)
            if better is not None:
                fit = better
            elif self._alike(fit, sloped):
                return fit
            else:  # What no step by the slopes where it began leads nearer, one by its own may.
                fit = sloped = self._sloped_anew(fit)
        return fit if self._alike(fit, sloped) else self._sloped_anew(fit)

    def _alike(self, fit: Fit, other: Fit) -> bool:
        """Whether slopes are the same but for chance: numbers near to one another, and the same goals with room."""
        if [aim.slack for aim in fit.aims] != [aim.slack for aim in other.aims]:
            return False
        return all(
            one == two if own.number.whole else abs(own.x_of(one) - own.x_of(two)) < NEAR_BY
            for own, one, two in zip(self._ranges, fit.values.tolist(), other.values.tolist(), strict=True)
        )

    def _sloped_anew(self, fit: Fit) -> Fit:
        """Return a fit with the slopes where it is."""
        slopes, again = self._slopes(fit.values, self._players, fit.aims)
        return replace(fit, slopes=slopes, slopes_again=again)

    def _by_steps(self, fit: Fit, inside: list[int]) -> Fit | None:
        """Return the fit one step on, or a part of it, where that is nearer to the goals; else None."""
        steps = fit.steps(inside)
        size, sure = np.median(steps, axis=0), spread_of(steps)
        size = np.where(sure < LONGEST, size, 0.0)  # What the goals say nothing of stays where it is.
        if not (np.abs(size) > SEEN * sure).any():
            return None
        return next((one for part in PARTS if (one := self._moved(fit, inside, part * size)) is not None), None)

    def _along_the_valley(self, fit: Fit, inside: list[int]) -> Fit | None:
        """Return the nearest fit along the way that moves the goals least, where it is nearer; else None."""
        if len(inside) < 2:
            return None
        slopes = fit.slopes[:, inside]
        flat = np.linalg.svd(slopes)[2][-1]
        length = float(spread_of(fit.steps(inside) @ flat))
        if not length < LONGEST:  # A way of which the goals say nothing leads nowhere.
            return None
        across = np.eye(len(inside)) - np.outer(flat, flat)
        found, least = None, fit.cost
        for times in ALONG:
            step = times * length * flat
            aims = self.aims(self._stepped(fit, inside, step), self._players)
            if aims is None:
                continue
            back = across @ -np.linalg.pinv(slopes, rcond=FLAT) @ np.array([aim.miss for aim in aims])
            cost = self._cost(self._stepped(fit, inside, step + back), self._players)
            if cost < least:
                found, least = step + back, cost
        return None if found is None else self._moved(fit, inside, found)

    def _stepped(self, fit: Fit, which: list[int], step: Array) -> Array:
        values = fit.values.copy()
        for index, own in zip(which, step.tolist(), strict=True):
            one = self._ranges[index]
            values[index] = one.value_of(one.x_of(values[index]) + min(max(own, -LONGEST), LONGEST))
        return values

    def _movable(self, values: Array) -> list[int]:
        return [i for i in self._free if self._ranges[i].low < values[i] < self._ranges[i].high]

    def _moved(self, fit: Fit, which: list[int], step: Array) -> Fit | None:
        """Return the fit some way on, with the slopes it has, where that is nearer to the goals; else None."""
        values = self._stepped(fit, which, step)
        aims = self.aims(values, self._players)
        if aims is None or cost_of(aims) >= fit.cost:
            return None
        return replace(fit, values=values, aims=aims)

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
