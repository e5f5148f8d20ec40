"""How well the goals pin numbers down: standard errors of a fit, its intervals, and the way that stays open.

They are read off the players drawn again: the step that each resample would take from the fit.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from ramulus.goals.measuring import CONFIDENCE, Z
from ramulus.simulation.resampling import RESAMPLES
from ramulus.tuning.landscape import Fit, spread_of
from ramulus.tuning.one_sided import FLAT
from ramulus.tuning.ranges import Range

if TYPE_CHECKING:
    from ramulus.formula.functions import Array

DETERMINED = 0.01  # A standard error below it, as a share of the number.
STRAIGHT = 0.02  # Coordinates over which misses are straight: of intervals with larger errors 87 in 100 held.
NO_MISS = 0.25  # Of a tolerance.
AT_BOUND = 1e-3  # Of the way between the bounds.


@dataclass(frozen=True, eq=False)
class Certainty:
    """What can be said of the numbers of a fit.

    Attributes:
        fit: the fit.
        ranges: the numbers with their bounds.
    """

    fit: Fit
    ranges: Sequence[Range]

    @cached_property
    def at_bound(self) -> list[str]:
        """For each number, "low" or "high" where it stands at that bound, else nothing."""
        return [_bound(one, value) for one, value in zip(self.ranges, self.fit.values.tolist(), strict=True)]

    @cached_property
    def inside(self) -> list[int]:
        """The numbers that stand at no bound."""
        return [index for index, bound in enumerate(self.at_bound) if not bound]

    @cached_property
    def _steps(self) -> Array:
        """How far each number's coordinate is from the best for the players drawn again, (resamples, n)."""
        steps = np.full((RESAMPLES, len(self.ranges)), np.inf)
        slopes = self.fit.slopes[:, self.inside]
        if slopes.any() and np.isfinite(wider := self._misfit):
            # A number that has a part in a direction of which nothing is known is not known itself.
            _, sizes, directions = np.linalg.svd(slopes)
            known = np.zeros(len(directions), dtype=np.bool_)
            known[: len(sizes)] = sizes > FLAT * sizes[0]
            loose = (np.abs(directions[~known]) > FLAT).any(axis=0)
            found = self.fit.steps(self.inside)
            middle = np.median(found, axis=0)
            steps[:, self.inside] = np.where(loose, np.inf, middle + (found - middle) * wider)
        return steps

    @property
    def _misfit(self) -> float:
        """By how much more than chance the goals are missed: numbers that meet no goal are not pinned down by it.

        The root of chi-squared over its degrees of freedom, at least 1 (Birge, 1932). Part of a tolerance is no miss:
        goals are known far better than they are wished for, and hardly ever fit together that well.
        """
        known = [aim for aim in self.fit.aims if not aim.slack]
        free = len(known) - len(self.inside)
        if free < 0 or any(aim.found is None for aim in self.fit.aims):
            return np.inf
        if free == 0:
            return 1.0
        noise = np.cov([aim.again for aim in known]) + np.diag([(NO_MISS * aim.counts) ** 2 for aim in known])
        off = np.array([aim.miss for aim in known])
        return max(1.0, float(np.sqrt(off @ np.linalg.pinv(noise, rcond=1e-9, hermitian=True) @ off / free)))

    @cached_property
    def errors(self) -> Array:
        """The standard error of each number's coordinate from chance in what was played; infinite where unknown."""
        known = np.isfinite(self._steps).all(axis=0)
        return np.where(known, spread_of(np.where(known, self._steps, 0.0)), np.inf)

    @property
    def determined(self) -> list[bool]:
        """Whether the goals pin each number down to a percent."""
        spans = [
            1.0 if one.in_logs else (one.high - one.low) / max(abs(value), (one.high - one.low) / 10)
            for one, value in zip(self.ranges, self.fit.values.tolist(), strict=True)
        ]
        return [bool(error * span < DETERMINED) for error, span in zip(self.errors.tolist(), spans, strict=True)]

    def interval(self, index: int) -> tuple[float, float]:
        """Return the 95 % interval of a number, within its bounds; not a number where little or nothing is known.

        It takes the goals to move straight with the number, which they do not over wide intervals.
        """
        one, value, error = self.ranges[index], float(self.fit.values[index]), float(self.errors[index])
        if not error < STRAIGHT:
            return np.nan, np.nan
        tail = (1 - CONFIDENCE) / 2
        down, up = np.quantile(self._steps[:, index], [tail, 1 - tail]).tolist()
        low, high = sorted(one.value_of(one.x_of(value) + step) for step in (min(down, -Z * error), max(up, Z * error)))
        return low, high

    @property
    def open_way(self) -> dict[int, float]:
        """How the numbers inside their bounds could move together with the least effect, in coordinates."""
        _, _, directions = np.linalg.svd(self.fit.slopes[:, self.inside])
        return dict(zip(self.inside, directions[-1].tolist(), strict=True))


def _bound(one: Range, value: float) -> str:
    room = AT_BOUND * (one.ends[1] - one.ends[0])
    x, low, high = one.x_of(value), one.x_of(one.low), one.x_of(one.high)
    if abs(x - low) <= room:
        return "low"
    return "high" if abs(x - high) <= room else ""
