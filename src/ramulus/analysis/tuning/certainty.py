"""How well the goals pin numbers down: standard errors of a fit, its intervals, and the way that stays open."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from ramulus.analysis.comparing.statistic import covariances
from ramulus.analysis.goals.measuring import Z
from ramulus.analysis.tuning.fitting import Fit
from ramulus.analysis.tuning.ranges import Range

if TYPE_CHECKING:
    from ramulus.formula.functions import Array

DETERMINED = 0.01  # A standard error below it, as a share of the number.
STRAIGHT = 0.1  # Coordinates over which the misses are taken to be straight.
FLAT = 1e-6  # Of the steepest direction: nothing is known along a flatter one.
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
    def errors(self) -> Array:
        """The standard error of each number's coordinate from chance in what was played; infinite where unknown.

        Of least squares with misses that vary together: the sandwich (White, "Maximum likelihood estimation of
        misspecified models", 1982).
        """
        errors = np.full(len(self.ranges), np.inf)
        slopes = self.fit.slopes[:, self.inside]
        if slopes.any():
            inverse = np.linalg.pinv(slopes, rcond=FLAT)
            found = np.sqrt(np.maximum(np.diag(inverse @ self._noise @ inverse.T), 0.0))
            # A number that has a part in a direction of which nothing is known is not known itself.
            _, sizes, directions = np.linalg.svd(slopes)
            known = np.zeros(len(directions), dtype=np.bool_)
            known[: len(sizes)] = sizes > FLAT * sizes[0]
            loose = (np.abs(directions[~known]) > FLAT).any(axis=0)
            errors[self.inside] = np.where(loose | np.isnan(found), np.inf, found)
        return errors

    @cached_property
    def _noise(self) -> Array:
        """The covariance of the misses that have a say, shape (aims, aims)."""
        aims = self.fit.aims
        noise = np.zeros((len(aims), len(aims)))
        known = [i for i, aim in enumerate(aims) if aim.found is not None and self.fit.slopes[i].any()]
        found = [one for one in (aims[i].found for i in known) if one is not None]
        if found:
            units = np.array([aims[i].unit for i in known])
            noise[np.ix_(known, known)] = covariances(found) / units[:, None] / units[None, :]
        return noise

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
        low, high = sorted(one.value_of(one.x_of(value) + side * Z * error) for side in (-1, 1))
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
