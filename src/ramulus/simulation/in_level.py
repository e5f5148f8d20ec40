"""How long players stay within each level."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.simulation.played import Arrivals, Group
from ramulus.simulation.samples import Sample, quantile, quantile_interval

HOUR = 3600.0
MOST_CUT_OFF = 0.1


class InLevel:
    """How long players stay within each level of one track: those who reached it.

    A player who has not finished a level counts as longer than all who did. There is no number where fewer than
    half finished, nor where the end of the run cut off more than a tenth of the profile's players before the end of
    the level: those are the slow ones, and the rest would look like all.
    """

    def __init__(self, arrivals: Arrivals, profile: Group, track: str) -> None:
        self._sample: Sample = arrivals.in_level
        self._at_gate = arrivals.at_gate
        self._reached: NDArray[np.int64] = arrivals.seconds.reached()
        finished = self._sample.reached()
        self.known: NDArray[np.bool_] = (2 * finished >= self._reached) & (finished > 0)
        self.known &= profile.cut_off[track] <= MOST_CUT_OFF * profile.players

    def hours(self, percent: int) -> Array:
        """Return a quantile of the hours within each level."""
        hours = quantile(self._sample, percent / 100, np.maximum(self._reached, 1)) / HOUR
        return np.where(self.known, hours, np.nan)

    def hours_at_gate(self, percent: int) -> Array:
        """Return a quantile of the hours before the gate of each level, which are not within it; 0 without gates."""
        if self._at_gate is None:
            return np.where(self.known, 0.0, np.nan)
        hours = quantile(self._at_gate, percent / 100, np.maximum(self._reached, 1)) / HOUR
        return np.where(self.known, hours, np.nan)

    def interval(self, percent: int, confidence: float) -> tuple[Array, Array]:
        """Return the interval of a quantile of the hours within each level."""
        ends = quantile_interval(self._sample, percent / 100, np.maximum(self._reached, 1), confidence)
        low, high = (np.where(self.known, end / HOUR, np.nan) for end in ends)
        return low, high
