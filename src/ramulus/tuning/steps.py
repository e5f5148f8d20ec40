"""By which steps a number is moved, to see what it does where it stands."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

from ramulus.tuning.numbers import NamedNumber

SHARE = 0.03  # Far enough to see past rounding to whole XP, near enough to be local.
SMALLEST_FELT, LARGEST_FELT = 0.005, 0.05
MOST_TENFOLDS = 6


@dataclass(frozen=True)
class Steps:
    """How a number is moved, a step or two up or down.

    Attributes:
        number: the number.
        size: how far one step goes; of numbers that move by shares, the share.
        relative: whether it moves by shares.
    """

    number: NamedNumber
    size: float
    relative: bool

    def at(self, steps: int) -> float:
        """Return the number some steps up, or down."""
        value = self.number.value
        return self.number.settled(value * (1 + self.size * steps) if self.relative else value + self.size * steps)

    def apart(self, one: float, two: float) -> float:
        """Return how far one value is from another: the logarithm of their ratio, or in steps."""
        return math.log(two / one) if self.by_percent else (two - one) / self.size

    @property
    def by_percent(self) -> bool:
        """Whether effects are told per percent of the number, not per step."""
        room = self.relative or abs(self.number.value) > 2 * self.size
        return self.number.value != 0 and not self.number.whole and room

    @property
    def words(self) -> str:
        """The step in words."""
        return f"±{self.size:.0%}" if self.relative else f"±{self.size:g}"


def steps_of(number: NamedNumber, felt: Callable[[float], float]) -> Steps:
    """Return the steps of a number.

    Args:
        number: the number.
        felt: tells how much the most moved goal moves for a value of the number; only asked where it is 0.
    """
    if number.whole:
        wide = 1 if number.threshold else max(1, round(SHARE * abs(number.value)))
        return Steps(number, float(wide), relative=False)
    if number.value == 0:
        return Steps(number, _absolute(felt), relative=False)
    if number.rounded:
        return Steps(number, float(max(1, round(SHARE * abs(number.value)))), relative=False)
    return Steps(number, SHARE, relative=True)


def _absolute(felt: Callable[[float], float]) -> float:
    """Return a power of ten that moves some goal, and none by much; 1 where none does."""
    size = 1.0
    effect = felt(size)
    if effect > LARGEST_FELT:
        while effect > LARGEST_FELT and size > 10.0**-MOST_TENFOLDS:
            size /= 10
            effect = felt(size)
        return size
    while effect < SMALLEST_FELT and size < 10.0**MOST_TENFOLDS:
        size *= 10
        effect = felt(size)
    return size if effect > 0 else 1.0
