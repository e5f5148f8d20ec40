"""Least squares on the misses of goals: numbers that bring every goal as near to its wish as they can together.

The method is a trust region reflective one (Branch, Coleman and Li, "A subspace, interior, and conjugate gradient
method for large-scale bound-constrained minimization problems", 1999), as SciPy has it; every evaluation is a run.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from ramulus.errors import DesignError, RamulusError
from ramulus.simulation.resampling import RESAMPLES
from ramulus.tuning.aims import BOTH, Aim, aims_of
from ramulus.tuning.ranges import Range
from ramulus.tuning.trials import Trials

if TYPE_CHECKING:
    from ramulus.formula.functions import Array

SCREENED, FEW = 300, 500
STEP, STEP_OF_FEW = 0.03, 0.05
WIDE_STEP = 0.15  # Where slopes tell how sure a number is: awards rounded to whole XP make short steps uneven.
MANY = 1000  # Players from which on the smaller step is seen.
NEAR_ENOUGH, NEAR_ENOUGH_OF_FEW = 3e-4, 3e-3
WORTHLESS = 0.01
OFF_LIMITS = 1e3  # How far off, in tolerances, numbers are that the design does not take.
OTHER_STARTS, LOOKED_AT = 3, 8
MOST_TURNS, GAINED = 5, 0.02  # Turns of other starts, and the part of the misses by which one has to bring them nearer.
NEARER = (0.0, 0.25, 0.06)  # Of the way between the bounds, on either side of the best; 0 for all of it.
ALIKE = 0.02  # Of the way between the bounds: starts that near to one another end alike.
NEAR_BY = 0.06  # Of a coordinate: slopes change by no more than chance over so little.
BESIDE = 0.1  # Of the way between the bounds.
MOST_STEPS, PARTS = 6, (1.0, 0.5, 0.25)
ALONG = (-2.0, -1.0, 1.0, 2.0)  # Standard errors.
SEEN = 0.3  # Of a standard error: shorter steps are chance.
LONGEST = 0.3  # Of a coordinate at once: farther off nothing is straight.
FLAT = 1e-6  # Of the steepest direction: nothing is known along a flatter one.
KEPT = 60  # Runs that are remembered, as a search comes back to its last points.


@dataclass(frozen=True, eq=False)
class Fit:
    """Numbers, and how far off the goals are with them.

    Attributes:
        values: the numbers, shape (n,).
        aims: what became of the goals.
        slopes: how much each aim's miss moves with each coordinate, shape (aims, n).
        slopes_again: the same for the players drawn again, shape (resamples, aims, n).
    """

    values: Array
    aims: list[Aim]
    slopes: Array
    slopes_again: Array

    @property
    def cost(self) -> float:
        """The sum of squares of the misses, in tolerances."""
        return cost_of(self.aims)

    def steps(self, which: list[int]) -> Array:
        """Return how far some coordinates are from the best, for the players drawn again, shape (resamples, n).

        The step of Gauss and Newton, with the misses and their slopes as each resample has them: what chance leaves
        open of either is in it.
        """
        misses = np.transpose([aim.again for aim in self.aims])
        inverse = np.linalg.pinv(self.slopes_again[:, :, which], rcond=FLAT)
        return np.asarray(-np.einsum("rna,ra->rn", inverse, misses))


def spread_of(steps: Array) -> Array:
    """Return the standard deviation of each column by its middle two thirds: a few wild rows are no measure of it."""
    low, high = np.quantile(steps, [0.1587, 0.8413], axis=0)
    return np.asarray((high - low) / 2)


def cost_of(aims: Sequence[Aim]) -> float:
    """Return the sum of squares of misses."""
    return float(sum(aim.miss**2 for aim in aims))


class Fitting:
    """The search for numbers that meet the goals.

    Args:
        trials: plays the variants.
        ranges: the numbers with their bounds.
        players: how many players of each profile the result is based on.
    """

    def __init__(self, trials: Trials, ranges: Sequence[Range], players: int) -> None:
        self._trials, self._ranges, self._players = trials, list(ranges), players
        self._free = [index for index, one in enumerate(ranges) if not one.number.whole]
        self._whole = [index for index, one in enumerate(ranges) if one.number.whole]
        self._known: dict[tuple[int, bytes], list[Aim] | None] = {}
        self._sloped: tuple[Array, list[float], list[bool], Array] | None = None
        self.best: tuple[int, float, Array] | None = None

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
        for _ in range(MOST_STEPS):
            if not (inside := self._movable(fit.values)):
                return fit
            better = self._by_steps(fit, inside) or self._along_the_valley(fit, inside)
            if better is None:
                return fit
            fit = better
        return fit

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
        """Return the fit some way on, where that is nearer to the goals; else None."""
        values = self._stepped(fit, which, step)
        aims = self.aims(values, self._players)
        if aims is None or cost_of(aims) >= fit.cost:
            return None
        return Fit(values, aims, *self._slopes(values, self._players, aims))

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

    def aims(self, values: Array, players: int) -> list[Aim] | None:
        """Return what becomes of the goals with some numbers; None where the design does not take them."""
        key = players, values.tobytes()
        if key not in self._known:
            self._known[key] = self._played(values, players)
            if len(self._known) > KEPT:
                del self._known[next(iter(self._known))]
        return self._known[key]

    def _played(self, values: Array, players: int) -> list[Aim] | None:
        try:
            design = self._trials.variant(self.named(values))
            result = self._trials.play(design, players)
        except DesignError:
            return None
        aims = [aim for goal in self._trials.goals for aim in aims_of(goal, result)]
        cost = cost_of(aims)
        if self.best is None or (players, -cost) > (self.best[0], -self.best[1]):
            self.best = players, cost, values
        return aims

    def named(self, values: Array) -> dict[str, float]:
        """Return numbers by place."""
        return {
            one.number.place: one.number.settled(value)
            for one, value in zip(self._ranges, values.tolist(), strict=True)
        }

    def _cost(self, values: Array, players: int) -> float:
        aims = self.aims(values, players)
        return math.inf if aims is None else cost_of(aims)

    def _misses(self, values: Array, players: int, width: int) -> Array:
        aims = self.aims(values, players)
        return np.full(width, OFF_LIMITS) if aims is None else np.array([aim.miss for aim in aims])

    def _with(self, values: Array, x: Array) -> Array:
        changed = values.copy()
        for index, coordinate in zip(self._free, x.tolist(), strict=True):
            changed[index] = self._ranges[index].value_of(coordinate)
        return changed

    def _descend(self, values: Array, players: int, most: int = 25) -> Array:
        """Return numbers from which no small step leads nearer to the goals; whole ones stay."""
        first = self.aims(values, players)
        if not self._free or first is None or cost_of(first) == 0:
            return values
        from scipy.optimize import least_squares

        # What the misses gain by less than a hundredth of a squared tolerance is not worth a run.
        width, near = len(first), NEAR_ENOUGH if players >= MANY else NEAR_ENOUGH_OF_FEW
        enough = min(max(WORTHLESS / cost_of(first), near), 0.1)
        ends = np.array([self._ranges[index].ends for index in self._free]).T
        start = np.array([self._ranges[index].x_of(values[index]) for index in self._free])
        found = least_squares(
            lambda x: self._misses(self._with(values, x), players, width),
            np.clip(start, ends[0], ends[1]),
            jac=lambda x: self._slopes_near(values, x, players, width),
            bounds=(ends[0], ends[1]), method="trf", xtol=near, ftol=enough, max_nfev=most,
            x_scale="jac",
        )  # fmt: skip
        return self._with(values, found.x)

    def _slopes_near(self, values: Array, x: Array, players: int, width: int) -> Array:
        """Return the slopes at a point, or those of a point so near that they are the same but for chance."""
        aims = self.aims(self._with(values, x), players) or []
        slack = [aim.slack for aim in aims]
        whole = [float(values[index]) for index in self._whole]
        if self._sloped is not None:
            at, others, pattern, slopes = self._sloped
            if others == [players, *whole] and pattern == slack and bool((np.abs(x - at) < NEAR_BY).all()):
                return slopes
        slopes = self._slopes_at(values, x, players, width)
        self._sloped = x.copy(), [players, *whole], slack, slopes
        return slopes

    def _slopes_at(self, values: Array, x: Array, players: int, width: int) -> Array:
        slopes = np.zeros((width, len(x)))
        for column, index in enumerate(self._free):
            one = self._ranges[index]
            step = max(STEP if players >= MANY else STEP_OF_FEW, one.least_step(one.value_of(x[column])))
            ends, moved = [], []
            for direction in (1, -1):
                at = x.copy()
                at[column] = np.clip(x[column] + direction * step, *one.ends)
                if self.aims(self._with(values, at), players) is None:
                    at = x  # Beyond what the design takes: the slope is that of the other side.
                ends.append(at[column])
                moved.append(self._misses(self._with(values, at), players, width))
            if ends[0] > ends[1]:
                slopes[:, column] = (moved[0] - moved[1]) / (ends[0] - ends[1])
        return slopes

    def _slopes(self, values: Array, players: int, aims: list[Aim]) -> tuple[Array, Array]:
        """Return how much each miss moves with the coordinate of every number, and the same for players drawn again.

        Of whole numbers it is over a step of one.
        """
        slopes = np.zeros((len(aims), len(self._ranges)))
        again = np.zeros((RESAMPLES, *slopes.shape))
        for index, one in enumerate(self._ranges):
            ends, moved = [], []
            for direction in (1, -1):
                at = values.copy()
                at[index] = self._beside(one, float(values[index]), direction)
                there = self.aims(at, players)
                ends.append(one.x_of(at[index] if there is not None else values[index]))
                moved.append(there if there is not None else aims)
            if ends[0] != ends[1]:
                apart = ends[0] - ends[1]
                slopes[:, index] = [(up.miss - down.miss) / apart for up, down in zip(*moved, strict=True)]
                again[:, :, index] = np.transpose(
                    [(up.again - down.again) / apart for up, down in zip(*moved, strict=True)]
                )
        # A goal that is met with room says nothing here, whatever a wide step would make of it.
        slopes[[aim.slack for aim in aims]] = 0.0
        for row, aim in enumerate(aims):
            if aim.side != BOTH:
                again[:, row] *= (aim.again != 0)[:, None]
        return slopes, again

    @staticmethod
    def _beside(one: Range, value: float, direction: int) -> float:
        """Return a number a step up or down, within its bounds."""
        if one.number.whole:
            return float(np.clip(value + direction, one.low, one.high))
        step = max(WIDE_STEP, one.least_step(value))
        return one.value_of(float(np.clip(one.x_of(value) + direction * step, *one.ends)))
