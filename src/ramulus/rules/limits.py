"""Limits: a lower and an upper end, either of which may be missing. Clamps and spans of levels are made of them."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ramulus.formula import Step, number_text
from ramulus.formula.functions import Array

if TYPE_CHECKING:
    from ramulus.design.multiplier import Multiplier
    from ramulus.design.source import Source


@dataclass(frozen=True)
class Limits:
    """Two ends, both included; an infinite one is none."""

    low: float = -math.inf
    high: float = math.inf

    @classmethod
    def of(cls, low: float | None, high: float | None) -> Limits:
        """Return limits from keys that may be missing."""
        return cls(-math.inf if low is None else low, math.inf if high is None else high)

    @property
    def given(self) -> bool:
        """Whether either end is there."""
        return math.isfinite(self.low) or math.isfinite(self.high)

    def clip(self, values: Array) -> Array:
        """Return the values, each moved to the nearer end where it lies outside."""
        return np.clip(values, self.low, self.high)

    def clip_one(self, value: float) -> float:
        """Return one value, moved to the nearer end where it lies outside."""
        return min(max(value, self.low), self.high)

    def hold(self, values: Array) -> NDArray[np.bool_]:
        """Return which values lie inside."""
        return np.asarray((values >= self.low) & (values <= self.high))

    def steps(self, value: float) -> list[Step]:
        """Return the working of the clamp of a value: one line where it changes anything, else none."""
        if self.low <= value <= self.high:
            return []
        key, function, end = ("at_least", "max", self.low) if value < self.low else ("at_most", "min", self.high)
        text = number_text(end)
        return [Step(f"{key} {text}", f"{function}({number_text(value)}, {text})", float(end))]


def open_levels(part: Source | Multiplier) -> Limits:
    """Return the player levels at which a source is open, or a multiplier applies."""
    return Limits.of(part.from_level, part.to_level)
