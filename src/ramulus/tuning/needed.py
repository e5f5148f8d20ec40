"""The value of one number that alone would meet a goal, found by playing."""

from __future__ import annotations

import itertools
import math
from collections.abc import Iterator, Mapping

from ramulus.comparing.statistic import Statistic
from ramulus.errors import DesignError
from ramulus.tuning.aims import met_between, target_of
from ramulus.tuning.base import Base
from ramulus.tuning.numbers import NamedNumber
from ramulus.tuning.trials import Trials

REACH = 10.0  # Times the number, or a part of it.
WIDER = (1.2, 2.0, REACH)
DIGITS = 4
OFF_THE_SCALE = 20.0
NEARLY = 0.003


class Needed:
    """Looks for the value of a number at which a goal is met."""

    def __init__(self, trials: Trials, number: NamedNumber, base: Base, players: int) -> None:
        self._trials, self._number, self._base, self._players = trials, number, base, players
        self._target = target_of(base.goal)
        self._known: dict[float, float] = {}

    def value(self, known: Mapping[float, Statistic]) -> float:
        """Return the value; not a number where none in reach meets the goal.

        Args:
            known: what is known already, by value.
        """
        self._known = {value: self._apart(found) for value, found in known.items()}
        bracket = self._bracket()
        if bracket is None:
            return math.nan
        if self._number.whole:
            return self._whole_between(*bracket)
        from scipy.optimize import brentq

        root = brentq(self._off, *bracket, xtol=3e-4 * max(map(abs, bracket)), rtol=3e-4, maxiter=30)
        value = self._number.settled(float(f"{root:.{DIGITS}g}"))
        # Where it jumps past the wish, the place of the jump meets nothing.
        return value if self._meets(value) else math.nan

    def _meets(self, value: float) -> bool:
        """Whether the goal is met at a value, but for what the digits leave."""
        least, most = met_between(self._base.goal)
        return least - NEARLY <= self._off(value) + self._target <= most + NEARLY

    def _off(self, value: float) -> float:
        """Return how far above the wish the goal is at a value; not a number where that cannot be played."""
        value = self._number.settled(value)
        if value not in self._known:
            self._known[value] = self._played(value)
        return self._known[value]

    def _played(self, value: float) -> float:
        try:
            design = self._trials.variant({self._number.place: value})
            result = self._trials.play(design, self._players, [self._base.goal])
        except DesignError:
            return math.nan
        return self._apart(self._base.hardest(result))

    def _apart(self, found: Statistic) -> float:
        # A level that too few reach is later than any wish.
        return min(found.value - self._target, OFF_THE_SCALE)

    def _bracket(self) -> tuple[float, float] | None:
        """Return two values between which the goal passes its wish: the nearest ones that are known or in reach."""
        if (found := self._sign_change()) is not None:
            return found
        for outward in self._outward():
            for value in outward:
                off = self._off(value)
                if math.isnan(off):
                    break
                if (found := self._sign_change()) is not None:
                    return found
        return None

    def _sign_change(self) -> tuple[float, float] | None:
        points = sorted((value, off) for value, off in self._known.items() if not math.isnan(off))
        middle = self._number.value
        crossings = [(one[0], two[0]) for one, two in itertools.pairwise(points) if (one[1] <= 0) != (two[1] <= 0)]
        return min(crossings, key=lambda pair: abs(sum(pair) / 2 - middle), default=None)

    def _outward(self) -> Iterator[list[float]]:
        """Yield values farther and farther out, the side that leads to the wish first."""
        low, high = min(self._known, default=0.0), max(self._known, default=0.0)
        falls = self._known.get(high, math.nan) < self._known.get(low, math.nan)
        up_first = falls == (self._known.get(self._number.value, 1.0) > 0)
        ends = (high, low) if up_first else (low, high)
        yield self._from(ends[0])
        yield self._from(ends[1])[-1:]  # The wrong way, as far as it goes: it may turn.

    def _from(self, end: float) -> list[float]:
        value, up = self._number.value, end > self._number.value
        if value == 0 or self._number.whole:
            room = max(REACH * abs(value), 1000 * abs(end)) if value == 0 else (REACH - 1) * abs(value)
            sizes = [abs(end - value) * 2**k for k in range(1, 12)]
            sizes = [size for size in sizes if size < room] + [room]
            found = [value + (size if up else -size) for size in sizes]
            return [one for one in found if one >= 0 or value <= 0]
        return [value * ratio if up == (value > 0) else value / ratio for ratio in WIDER]

    def _whole_between(self, low: float, high: float) -> float:
        """Return the whole number nearest to the design's own that meets the goal, between two that do not agree."""
        while high - low > 1:
            middle = (low + high) // 2
            off = self._off(middle)
            if math.isnan(off):
                return math.nan
            if (off <= 0) == (self._off(low) <= 0):
                low = middle
            else:
                high = middle
        least, most = met_between(self._base.goal)
        fitting = [value for value in (low, high) if least <= self._off(value) + self._target <= most]
        return min(fitting, key=lambda value: abs(value - self._number.value), default=math.nan)
