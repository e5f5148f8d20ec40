"""Exact XP: every amount is a whole number of units, millionths of an XP where the totals leave room.

Adding 0.7 XP ten times in binary floating point gives a little less than 7 and misses a threshold at 7; in
millionths it gives 7. The unit grows to a whole XP as totals near 2**50, so every amount also fits a float64.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.rules.costs import CostCurve
from ramulus.rules.evaluating import fault

FINEST = 6
MOST_UNITS = 2**50  # So that the sum over a chunk of a thousand players still fits 63 bits.


def units_per_xp(curve: CostCurve) -> int:
    """Return how many units one XP has on a track: the largest power of ten up to a million that fits."""
    total = float(curve.totals[-1])
    return int(10 ** next((k for k in range(FINEST, 0, -1) if total * 10**k <= MOST_UNITS), 0))


def to_units(xp: Array, scale: int) -> NDArray[np.int64]:
    """Return XP amounts as whole numbers of units, the nearest where an amount is finer than that."""
    return np.rint(np.asarray(xp, dtype=np.float64) * scale).astype(np.int64)


def cost_units(curve: CostCurve, scale: int) -> NDArray[np.int64]:
    """Return a track's costs in units; one finer than a unit is a whole one, so that no level is free.

    Raises:
        DesignError: the totals are larger than whole numbers of 63 bits.
    """
    if curve.totals[-1] * scale > 2.0**62:
        found = f"{curve.totals[-1]:.6g} XP in all"
        raise fault(f"tracks.{curve.track}.cost", found, "at most 2**62 XP to award", "total-beyond-exact")
    return np.maximum(to_units(curve.costs, scale), 1)


def from_units(units: int, scale: int) -> float:
    """Return units as XP: an `int` where the XP is whole."""
    whole, rest = divmod(units, scale)
    return whole if not rest else units / scale


def plain_number(value: float) -> float:
    """Return a number as an `int` where it is whole."""
    return int(value) if float(value).is_integer() else value
