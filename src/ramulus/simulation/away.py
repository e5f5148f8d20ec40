"""Time away inside a kernel: a store that fills between play days, and is paid out on top of awards."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.rules.away import away_tables
from ramulus.simulation.jitted import part

if TYPE_CHECKING:
    from collections.abc import Sequence

    from ramulus.design import Design
    from ramulus.rules.schedule import Schedule

Ints = NDArray[np.int64]


class Away(NamedTuple):
    """A store of XP: L levels.

    Attributes:
        per_day: XP that a day away puts into it, shape (L,); no levels where there is none.
        most: XP that it is filled up to, shape (L,).
        more: what is paid on top of an award, as a share of it.
        whole: whether XP is whole.
        gaps: calendar days from each play day of a week to the next, for each schedule, shape (schedules, 7).
    """

    per_day: Array
    most: Array
    more: float
    whole: bool
    gaps: Ints


def make_away(design: Design, schedules: Sequence[Schedule | None]) -> Away:
    """Return the store of a design, for players who have one of some schedules, or None for none.

    Raises:
        DesignError: a formula fails at some level, or gives less than 0.
    """
    if design.away_bonus is None:
        return Away(np.zeros(0), np.zeros(0), 0.0, True, np.zeros((1, 7), np.int64))
    per_day, most = away_tables(design)
    gaps = [np.resize(np.diff([*one.days, one.days[0] + 7]), 7) if one else np.zeros(7) for one in schedules]
    whole = design.track().overflow.whole_xp
    return Away(per_day, most, float(design.away_bonus.factor) - 1.0, whole, np.array(gaps, dtype=np.int64))


@part
def fill(away: Away, store: int, today: Any, day: int, level: int, scale: int) -> int:
    """Return the units in a store after the borders from a play day to today, at a level below the cap."""
    for border in range(day, today.day):
        days = away.gaps[today.schedule, border % today.per_week]
        store = max(store, min(store + in_units(away.per_day[level] * days, away.whole, scale),
                               in_units(away.most[level], away.whole, scale)))  # fmt: skip
    return store


@part
def paid_on_top(away: Away, store: int, units: int, scale: int) -> int:
    """Return the units that a store adds to an award."""
    return min(in_units(units / scale * away.more, away.whole, scale), store)


@part
def in_units(xp: float, whole: bool, scale: int) -> int:
    """Return XP in units, rounded down: to whole XP where it is whole."""
    return math.floor(xp) * scale if whole else math.floor(xp * scale)
