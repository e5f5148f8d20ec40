"""Exact XP: every amount is a whole number of units, the coarsest decimal part of an XP that the track allows.

Adding 0.7 XP ten times in binary floating point gives a little less than 7 and misses a threshold at 7; in tenths it
gives 7. Where costs, starts and awards are whole, so is the unit. It is no finer than what keeps totals below 2**50,
so every amount also fits a float64.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ramulus.design.base import MOST_AMOUNT
from ramulus.errors import AwardError, shortly
from ramulus.formula.functions import Array
from ramulus.rules.costs import CostCurve
from ramulus.rules.evaluating import fault
from ramulus.rules.overflow import nearest_whole

FINEST = 6
MOST_SUM = 2**62  # What whole numbers of 63 bits hold, with room for one more addition.
MOST_BOOKED = 10**120  # Of what a ledger has added up.
MOST_UNITS = 2**50  # So that the sum over a chunk of a thousand players still fits 63 bits.


def units_per_xp(curve: CostCurve, amounts: Sequence[float], *, parts: bool) -> int:
    """Return how many units one XP has on a track: the least power of ten that writes all that is counted on it.

    Args:
        curve: what the levels cost.
        amounts: what XP at the start and awards are made of, in XP.
        parts: whether awards or shares may be any part of an XP, so that only the finest unit will do.
    """
    total = float(curve.totals[-1])
    most = next((k for k in range(FINEST, 0, -1) if total * 10**k <= MOST_UNITS), 0)
    known = np.concatenate([curve.costs, np.asarray(amounts, dtype=np.float64)])
    wanted = FINEST if parts else next((k for k in range(FINEST) if _written_by(known, k)), FINEST)
    return int(10 ** min(wanted, most))


def _written_by(amounts: Array, places: int) -> bool:
    """Return whether so many decimal places write every amount."""
    return bool((np.round(amounts, places) == amounts).all())


def to_units(xp: Array, scale: int) -> NDArray[np.int64]:
    """Return XP amounts as whole numbers of units, the nearest (halves up) where an amount is finer than that."""
    units = np.asarray(xp, dtype=np.float64) * scale
    whole = np.floor(units)
    return np.asarray(np.where(units - whole >= 0.5, whole + 1, whole).astype(np.int64))


def cost_units(curve: CostCurve, scale: int) -> list[int]:
    """Return a track's costs in units; one finer than a unit is a whole one, so that no level is free.

    Raises:
        DesignError: the totals are larger than whole numbers of 63 bits.
    """
    if curve.totals[-1] * scale > 2.0**62:
        found = f"{curve.totals[-1]:.6g} XP in all"
        raise fault(f"tracks.{curve.track}.cost", found, "at most 2**62 XP to award", "total-beyond-exact")
    return [int(cost) for cost in np.maximum(to_units(curve.costs, scale), 1)]


def from_units(units: int, scale: int) -> float:
    """Return units as XP: an `int` where the XP is whole."""
    whole, rest = divmod(units, scale)
    return whole if not rest else units / scale


def plain_number(value: float) -> float:
    """Return a number as an `int` where it is whole."""
    return int(value) if float(value).is_integer() else value


def as_units(amount: object, scale: int, what: str, most: int = MOST_AMOUNT) -> int:
    """Return an amount of XP in units.

    Raises:
        AwardError: the amount is no finite number of 0 or more, or above the most, or finer than a unit.
    """
    if isinstance(amount, int | np.integer) and not isinstance(amount, bool) and 0 <= amount <= most:
        return int(amount) * scale
    try:
        number = float(amount) if not isinstance(amount, bool | str | bytes) else math.nan  # type: ignore[arg-type]
    except (TypeError, ValueError, OverflowError):
        number = math.nan
    if not 0 <= number <= most:
        raise AwardError(f"{what} of {shortly(amount)}; allowed: a finite number of 0 or more, at most {most:.0e}")
    if number.is_integer():
        return int(number) * scale
    units = nearest_whole(number * scale)
    if units / scale != number and scale < 10**FINEST:
        unit = "whole XP" if scale == 1 else f"{1 / scale:g} XP"
        raise AwardError(
            f"{what} of {shortly(amount)}, and this track counts in {unit}, the finest of its costs and awards; "
            'allowed: a multiple of that, or awards.rounding = "none" to count parts'
        )
    return units


def units_of(xp: float, scale: int) -> int:
    """Return one amount of XP in units, the nearest (halves up); plain numbers only, so that a kernel compiles it."""
    return nearest_whole(xp * scale)


def fitting(numbers: list[int]) -> NDArray[Any]:
    """Return whole numbers as int64 where they and their sum fit, else as Python's own."""
    return np.array(numbers, dtype=np.int64 if sum(numbers) < MOST_SUM else object)


def whole_where_whole(values: NDArray[Any]) -> NDArray[Any]:
    """Return numbers as whole ones where all of them are, else as float64."""
    if values.dtype.kind in "iu":
        return values
    if values.dtype.kind == "f":
        whole = np.isfinite(values).all() and (values == np.floor(values)).all() and (np.abs(values) < 2**53).all()
        return values.astype(np.int64) if whole else values
    numbers = values.tolist()
    whole = all(isinstance(n, int) or n.is_integer() for n in numbers)
    return fitting([int(n) for n in numbers]) if whole else values.astype(np.float64)


def in_xp(units: NDArray[Any], scale: int) -> NDArray[Any]:
    """Return units as XP: whole numbers where all are whole."""
    return (units / scale).astype(np.float64) if (units % scale).any() else whole_where_whole(units // scale)
