"""What becomes of the goals at any numbers, and how that moves with each of them."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from ramulus.errors import DesignError
from ramulus.simulation.resampling import RESAMPLES
from ramulus.tuning.aims import SURELY, Aim, aims_of
from ramulus.tuning.one_sided import nearest_steps
from ramulus.tuning.ranges import Range
from ramulus.tuning.trials import Trials

if TYPE_CHECKING:
    from ramulus.formula.functions import Array

STEP = 0.05
WIDE_STEP = 0.15  # Where slopes tell how sure a number is: awards rounded to whole XP make short steps uneven.
NEAR_ENOUGH = 3e-3
WORTHLESS = 0.01
OFF_LIMITS = 1e3  # How far off, in tolerances, numbers are that the design does not take.
NEAR_BY = 0.06  # Of a coordinate: slopes change by no more than chance over so little.
KEPT = 60  # Runs that are remembered, as a search comes back to its last points.


@dataclass(frozen=True, eq=False)
class Fit:
    """Numbers, and how far off the goals are with them.

    Attributes:
        values: the numbers, shape (n,).
        aims: what became of the goals.
        moves: how much each aim's lead moves with each coordinate, shape (aims, n).
        moves_again: the same for the players drawn again, shape (resamples, aims, n).
    """

    values: Array
    aims: list[Aim]
    moves: Array
    moves_again: Array

    @property
    def slopes(self) -> Array:
        """How much each aim's miss moves with each coordinate, shape (aims, n): one met with room says nothing."""
        slack = np.array([aim.slack for aim in self.aims])
        return np.where(slack[:, None], 0.0, self.moves)

    @property
    def cost(self) -> float:
        """The sum of squares of the misses, in tolerances."""
        return cost_of(self.aims)

    @property
    def leads(self) -> Array:
        """How far each aim is from its target on either side, shape (aims,)."""
        return leads_of(self.aims)

    def steps(self, which: list[int]) -> Array:
        """Return how far some coordinates are from the best, for the players drawn again, shape (resamples, n).

        The step of Gauss and Newton, with the misses and their slopes as each resample has them: what chance leaves
        open of either is in it. A goal that is met with room counts where the step would miss it.
        """
        leads = np.transpose([aim.lead_again for aim in self.aims])
        return nearest_steps(leads, self.moves_again[:, :, which], np.array([aim.side for aim in self.aims]))


def spread_of(steps: Array) -> Array:
    """Return the standard deviation of each column by its middle two thirds: a few wild rows are no measure of it."""
    low, high = np.quantile(steps, [0.1587, 0.8413], axis=0)
    return np.asarray((high - low) / 2)


def leads_of(aims: Sequence[Aim]) -> Array:
    """Return how far each aim is from its target on either side, shape (aims,)."""
    return np.array([aim.lead for aim in aims])


def cost_of(aims: Sequence[Aim]) -> float:
    """Return the sum of squares of misses."""
    return float(sum(aim.miss**2 for aim in aims))


class Landscape:
    """What becomes of the goals at any numbers, and how that moves with each of them.

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
        self._last_slopes: tuple[Array, list[float], list[bool], Array] | None = None
        self.best: tuple[int, float, Array] | None = None

    @property
    def _start(self) -> Array:
        return np.array([one.start for one in self._ranges], dtype=np.float64)

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
        # One-sided goals keep as clear of chance as all players will have to, not as few would.
        surely = SURELY * math.sqrt(min(players / self._players, 1.0))
        aims = [aim for goal in self._trials.goals for aim in aims_of(goal, result, surely)]
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
        width, enough = len(first), min(max(WORTHLESS / cost_of(first), NEAR_ENOUGH), 0.1)

        def misses(x: Array) -> Array:
            return self._misses(self._with(values, x), players, width)

        ends = np.array([self._ranges[index].ends for index in self._free]).T
        start = np.array([self._ranges[index].x_of(values[index]) for index in self._free])
        found = least_squares(
            misses,
            np.clip(start, ends[0], ends[1]),
            jac=lambda x: self._slopes_near(values, x, players, misses),
            bounds=(ends[0], ends[1]), method="trf", xtol=NEAR_ENOUGH, ftol=enough, max_nfev=most,
            x_scale="jac",
        )  # fmt: skip
        return self._with(values, found.x)

    def _slopes_near(self, values: Array, x: Array, players: int, misses: Callable[[Array], Array]) -> Array:
        """Return the slopes at a point, or those of a point so near that they are the same but for chance."""
        aims = self.aims(self._with(values, x), players) or []
        slack = [aim.slack for aim in aims]
        whole = [float(values[index]) for index in self._whole]
        if self._last_slopes is not None:
            at, others, pattern, slopes = self._last_slopes
            if others == [players, *whole] and pattern == slack and bool((np.abs(x - at) < NEAR_BY).all()):
                return slopes
        slopes = self._slopes_at(values, x, players, misses)
        self._last_slopes = x.copy(), [players, *whole], slack, slopes
        return slopes

    def _slopes_at(self, values: Array, x: Array, players: int, read: Callable[[Array], Array]) -> Array:
        """Return the slopes of what is read at a point, over a step to one side; shape (aims, n).

        All runs share their draws, so chance hardly bends them.
        """
        here = read(x)
        slopes = np.zeros((len(here), len(x)))
        for column in range(len(x)):
            if (at := self._beside(values, x, column, players)) is not None:
                slopes[:, column] = (read(at) - here) / (at[column] - x[column])
        return slopes

    def _beside(self, values: Array, x: Array, column: int, players: int) -> Array | None:
        """Return the point a step beside one along a coordinate, where it can be played; else None.

        It is on the side with more room before a bound, or the other one where the design does not take that.
        """
        one = self._ranges[self._free[column]]
        step = max(STEP, one.least_step(one.value_of(x[column])))
        sides = [float(np.clip(x[column] + way * step, *one.ends)) for way in (1, -1)]
        for end in sorted(sides, key=lambda end: -abs(end - x[column])):
            at = x.copy()
            at[column] = end
            if end != x[column] and self.aims(self._with(values, at), players) is not None:
                return at
        return None

    def _coordinates(self, values: Array) -> Array:
        return np.array([one.x_of(value) for one, value in zip(self._ranges, values.tolist(), strict=True)])

    def _sloped(self, values: Array) -> Fit:
        """Return the fit at some numbers that can be played, with the slopes there."""
        aims = self.aims(values, self._players)
        assert aims is not None
        return Fit(values, aims, *self._slopes(values, self._players, aims))

    def _slopes(self, values: Array, players: int, aims: list[Aim]) -> tuple[Array, Array]:
        """Return how much each lead moves with the coordinate of every number, and the same for players drawn again.

        Of whole numbers it is over a step of one.
        """
        slopes = np.zeros((len(aims), len(self._ranges)))
        again = np.zeros((RESAMPLES, *slopes.shape))
        for index, one in enumerate(self._ranges):
            ends, moved = [], []
            for direction in (1, -1):
                at = values.copy()
                at[index] = self._stepped_aside(one, float(values[index]), direction)
                there = self.aims(at, players)
                ends.append(one.x_of(at[index] if there is not None else values[index]))
                moved.append(there if there is not None else aims)
            if ends[0] != ends[1]:
                apart = ends[0] - ends[1]
                slopes[:, index] = [(up.lead - down.lead) / apart for up, down in zip(*moved, strict=True)]
                again[:, :, index] = np.transpose(
                    [(up.lead_again - down.lead_again) / apart for up, down in zip(*moved, strict=True)]
                )
        return slopes, again

    @staticmethod
    def _stepped_aside(one: Range, value: float, direction: int) -> float:
        """Return a number a step up or down, within its bounds."""
        if one.number.whole:
            return float(np.clip(value + direction, one.low, one.high))
        step = max(WIDE_STEP, one.least_step(value))
        return one.value_of(float(np.clip(one.x_of(value) + direction * step, *one.ends)))
