"""The smoothest rising costs that take given hours, where each level's XP per hour is known. Nothing is played here."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

if TYPE_CHECKING:
    from ramulus.formula.functions import Array

WISH_WEIGHT = 300.0  # Of a wish's relative miss, against a bend of the curve of 1.
ROUNDS = 12
SETTLED = 1e-7
LONGEST_STEP = 1.0  # In logarithms: as far as the sums may be taken to be straight.


@dataclass(frozen=True, eq=False)
class TimeWishes:
    """Hours at which levels are to be reached.

    Attributes:
        levels: how many levels lie below each wished one, rising, shape (k,).
        hours: the hours, rising, shape (k,).
    """

    levels: tuple[int, ...]
    hours: tuple[float, ...]


def smooth_costs(costs: Array, rates: Array, wishes: TimeWishes, grain: float, least: float) -> Array:
    """Return costs that keep the wishes at some XP per hour, as straight against the level as they can be.

    In logarithms, with second differences against the logarithm of the level, as small as they get; every cost is at
    least a grain above the one before. Least squares within bounds (Stark and Parker, "Bounded-variable
    least-squares", 1995), repeated as the sums of hours are not linear.

    Args:
        costs: where to start, XP, shape (n,): those below the last wished level.
        rates: XP per hour within each level, shape (n,).
        wishes: the hours.
        grain: what costs are multiples of.
        least: the least first cost.
    """
    from scipy.optimize import lsq_linear

    logs = np.log(costs)
    bends, targets = _bends(len(costs)), np.log(np.array(wishes.hours))
    for _ in range(ROUNDS):
        hours = np.exp(logs) / rates
        sums = np.cumsum(hours)[np.array(wishes.levels) - 1]
        pulls = (
            np.array([np.where(np.arange(len(costs)) < level, hours, 0.0) for level in wishes.levels]) / sums[:, None]
        )
        # In steps from level to level, so that "rising" is a bound.
        rows = np.concatenate([WISH_WEIGHT * _summed(pulls), _summed(bends)])
        wanted = np.concatenate([WISH_WEIGHT * (targets - np.log(sums) + pulls @ logs), np.zeros(len(bends))])
        lowest = np.concatenate([[np.log(least)], np.log1p(grain / np.exp(logs[:-1]))])
        found = np.cumsum(lsq_linear(rows, wanted, (lowest, np.inf), method="bvls" if len(costs) < 60 else "trf").x)
        step = np.clip(found - logs, -LONGEST_STEP, LONGEST_STEP)
        logs = logs + step
        if np.abs(step).max() < SETTLED:
            break
    return np.asarray(np.exp(logs))


def _bends(count: int) -> Array:
    """Return what takes second differences against the logarithm of the level, shape (count - 2, count)."""
    if count < 3:
        return np.zeros((0, count))
    place = np.log(np.arange(count) + 2.0)
    rows = np.zeros((count - 2, count))
    for row in range(count - 2):
        before, after = place[row + 1] - place[row], place[row + 2] - place[row + 1]
        rows[row, row : row + 3] = 1 / before, -1 / before - 1 / after, 1 / after
    return rows


def _summed(rows: Array) -> Array:
    """Return rows over levels as rows over steps from level to level."""
    return np.asarray(np.cumsum(rows[:, ::-1], axis=1)[:, ::-1])


def in_grains(costs: Array, grain: float, least: float) -> Array:
    """Return costs as multiples of a grain, each above the one before."""
    rounded = np.maximum(np.rint(costs / grain), np.ceil(least / grain)).astype(np.int64)
    steps = np.arange(len(rounded))
    # Each one more than the one before: what is left without these steps may not fall.
    return np.asarray((np.maximum.accumulate(rounded - steps) + steps) * grain)


def carried_on(costs: Array, count: int, grain: float) -> Array:
    """Return costs for more levels, which rise on as the last ones do: straight in logarithms of cost and level."""
    known = len(costs)
    if count <= known:
        return costs
    span = min(known, 6)
    place = np.log(np.arange(count) + 2.0)
    slope = np.log(costs[-1] / costs[-span]) / (place[known - 1] - place[known - span]) if span > 1 else 1.0
    rest = costs[-1] * np.exp(slope * (place[known:] - place[known - 1]))
    return np.concatenate([costs, np.maximum(rest, costs[-1] + grain * np.arange(1, count - known + 1))])
