"""Book many awards one after the other with the compiled overflow rule."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ramulus.rules.overflow import Overflow, book_award
from ramulus.simulation.compiled import Kernel


def book_many(rule: Overflow, level: int, xp: int, units: NDArray[np.int64]) -> NDArray[np.int64]:
    """Return level, XP and wasted units after each award, shape (3, n).

    Args:
        rule: the overflow rule.
        level: the level to start at, from 0.
        xp: units inside it.
        units: the awards; their sum has to fit 63 bits.
    """
    out = np.zeros((3, len(units)), np.int64)
    _book(rule._replace(costs=np.array(rule.costs, dtype=np.int64)), level, xp, units, out)
    return out


@Kernel
def _book(rule, level, xp, units, out):  # type: ignore[no-untyped-def]
    for i in range(len(units)):
        level, xp, wasted = book_award(rule, level, xp, units[i])
        out[0, i], out[1, i], out[2, i] = level, xp, wasted
