"""The bar: how a level and its XP read, as numbers and as text."""

from __future__ import annotations

import math
from dataclasses import dataclass

from ramulus.rules.xp_units import from_units


@dataclass(frozen=True)
class Bar:
    """What is needed to read a state off: the costs of a track in units, and what its cap does."""

    costs: tuple[int, ...]
    scale: int
    start_level: int
    at_cap: str

    def xp(self, units: int) -> float:
        """Return units as XP, an `int` where the XP is whole."""
        return from_units(units, self.scale)

    def is_cap(self, level: int) -> bool:
        """Whether a level is the cap."""
        return level - self.start_level == len(self.costs)

    def cost(self, level: int) -> float:
        """Return the XP from a level to the next; not a number at the cap."""
        return math.nan if self.is_cap(level) else self.xp(self.costs[level - self.start_level])

    def progress(self, level: int, units: int) -> float:
        """Return XP over cost, 0 … 1. At a cap that discards, the bar is full."""
        if not self.is_cap(level):
            return min(units / self.costs[level - self.start_level], 1.0)
        return 1.0 if self.at_cap == "discard" else min(units / self.costs[-1], 1.0)

    def label(self, level: int, units: int) -> str:
        """Return the bar's text, such as ``Level 7 · 218 / 640``."""
        xp = f"{self.xp(units):,}"
        if not self.is_cap(level):
            cost = self.costs[level - self.start_level]
            # Where one award raises one level at most, more than the cost waits for the next award.
            waits = f" ({self.xp(units - cost):,} waiting)" if units > cost else ""
            return f"Level {level} · {xp} / {self.xp(cost):,}{waits}"
        ends = {"discard": "", "fill": f" · {xp} / {self.xp(self.costs[-1]):,}", "bank": f" · {xp} banked"}
        return f"Level {level} · cap{ends[self.at_cap]}"
