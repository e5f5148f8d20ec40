"""The shape of a cost curve: about how it grows, and where it jumps or falls."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ramulus.formula.functions import Array
from ramulus.rules.costs import CostCurve

ABOVE_NEXT = 1.2
RAMP = 4
JUMP = 1.5  # A cost this many times what its neighbours lead one to expect is called a jump.


@dataclass(frozen=True)
class Jump:
    """A level that costs far more than the levels around it lead one to expect.

    Attributes:
        level: the level.
        cost: XP.
        expected: XP, the mean of the levels on both sides of it.
        before: XP, the cost of the level before.
    """

    level: int
    cost: float
    expected: float
    before: float

    @property
    def times(self) -> float:
        """The cost over the expected one."""
        return self.cost / self.expected


@dataclass(frozen=True)
class CostShape:
    """How a cost curve grows.

    Attributes:
        early, middle, late: median growth a level in each third of the levels, as a share.
        jumps: levels far above their neighbours.
        falls: levels that cost less than the level before.
    """

    early: float
    middle: float
    late: float
    jumps: tuple[Jump, ...]
    falls: tuple[int, ...]

    def in_words(self) -> str:
        """Return the shape in a sentence or two."""
        if np.isnan(self.middle):
            return "Too few levels to speak of a shape."
        if max(self.early, self.middle, self.late) - min(self.early, self.middle, self.late) < 0.005:
            words = f"Grows about {self.middle:.1%} a level throughout."
        else:
            words = (
                f"Grows about {self.early:.1%} a level early on, {self.middle:.1%} in the middle "
                f"and {self.late:.1%} towards the cap."
            )
        for jump in self.jumps[:3]:
            words += f" Jumps at level {jump.level}: {jump.cost:,.0f} XP, "
            words += f"{jump.times:.1f} times what its neighbours suggest."
        if self.falls:
            words += (
                " Falls at level " + ", ".join(map(str, self.falls[:5])) + ("…" if len(self.falls) > 5 else "") + "."
            )
        return words


def cost_shape(curve: CostCurve) -> CostShape:
    """Return the shape of a cost curve."""
    costs = curve.costs
    if len(costs) < 3:
        return CostShape(np.nan, np.nan, np.nan, (), _falls(curve))
    growth = costs[1:] / costs[:-1] - 1
    thirds = [float(np.median(part)) for part in np.array_split(growth, 3) if len(part)]
    early, middle, late = thirds if len(thirds) == 3 else (thirds * 3)[:3]
    return CostShape(early, middle, late, jumps(curve), _falls(curve))


def _falls(curve: CostCurve) -> tuple[int, ...]:
    at_walls = {jump.level + 1 for jump in jumps(curve)}
    falling = np.nonzero(np.diff(curve.costs) < 0)[0]
    # The way down from a jump is the jump's doing.
    return tuple(level for i in falling if (level := int(curve.levels[i + 1])) not in at_walls)


def jumps(curve: CostCurve) -> tuple[Jump, ...]:
    """Return the levels far above what the levels around them lead one to expect, dearest first."""
    costs = curve.costs
    expected = _expected(costs)
    rise = np.concatenate([[1.0], costs[1:] / costs[:-1]])
    usual = np.median(rise[1:]) if len(rise) > 1 else 1.0
    # A wall stands above what comes after it; where costs stay high it is a step, or how a ramp begins.
    after = np.append(costs[1:], 0.0)
    high = (costs > JUMP * expected) & (rise > JUMP * usual) & (costs > ABOVE_NEXT * after)
    found = [
        Jump(int(curve.levels[i]), float(costs[i]), float(expected[i]), float(costs[i - 1]))
        for i in np.nonzero(high)[0]
    ]
    return tuple(sorted(found, key=lambda jump: -jump.times))


def steps_up(curve: CostCurve) -> tuple[int, ...]:
    """Return the levels at which costs rise far more than around them, and stay there; the first few are a ramp."""
    rise = curve.costs[1:] / curve.costs[:-1]
    walls = {jump.level for jump in jumps(curve)}
    found = []
    for i in range(max(RAMP, len(rise) // 10), len(rise)):
        around = np.concatenate([rise[max(i - 3, 0) : i], rise[i + 1 : i + 4]])
        level = int(curve.levels[i + 1])
        if rise[i] > JUMP * max(float(around.max()), 1.0) and not walls & {level, level - 1}:
            found.append(level)
    return tuple(found)


def _expected(costs: Array) -> Array:
    """What neighbours suggest: the mean of both sides; at the end, the last growth carried on."""
    expected = costs.copy()
    if len(costs) >= 3:
        # Not the geometric mean: the first levels of a cube would stand above it.
        expected[1:-1] = (costs[:-2] + costs[2:]) / 2
        expected[-1] = costs[-2] * max(costs[-2] / costs[-3], 1.0)
    return expected
