"""Days and timed rules inside a kernel: when a play day ends, which uses come back then, what goes on or off."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from ramulus.formula.functions import Array
from ramulus.rules.schedule import MICROS
from ramulus.simulation.jitted import part
from ramulus.simulation.world import Ints

# Where a player, or a party, is in time.
#   length, per_week: millionths of a second in a play day, or 0 without a schedule; play days in a week.
#   day, ends: which play day of the calendar it is, from 0, and the least played seconds that count as past it.
#   schedule: which schedule it has.
#   come: the play day of the calendar on which it came, from 0; shift: played seconds that these days would have taken.
#   window, last_window: between which borders of timed rules it is, and one past the last.
#   turn: the played seconds at which the day is over or timed rules change, whichever comes first.
TODAY = np.dtype(
    [(name, np.int64) for name in ("length", "per_week", "day", "schedule", "come", "window", "last_window")]
    + [(name, np.float64) for name in ("shift", "ends", "turn")]
)


@part
def begin(
    today: Any, length: int, per_week: int, borders: Array, window: int, last_window: int, schedule: int, come: int,
    shift: float,
) -> None:  # fmt: skip
    """Begin the first day, or all days anew, on the play day of the calendar on which somebody comes."""
    today.length, today.per_week, today.window, today.last_window = length, per_week, window, last_window
    today.schedule, today.come, today.shift = schedule, come, shift
    today.window = window_at(borders, window, last_window, shift)
    _be_on(today, come, borders)


@part
def go_on(today: Any, length: int, per_week: int, clock: float, borders: Array) -> None:
    """Go by the days of somebody else from now on."""
    today.length, today.per_week = length, per_week
    _be_on(today, day_at(length, clock), borders)


@part
def take_over(today: Any, length: int, per_week: int, clock: float, borders: Array, used: Ints) -> None:
    """Go by the days of somebody else from now on; where these are another day or week, uses come back."""
    first, day, week = today.length == 0, today.day, today.day // today.per_week
    go_on(today, length, per_week, clock, borders)
    if not first and today.day != day:
        used[1, :] = 0
    if not first and today.day // today.per_week != week:
        used[2, :] = 0


@part
def turn(today: Any, clock: float, borders: Array, used: Ints) -> bool:
    """Pass all borders up to some played seconds; uses of days and weeks that are over come back.

    Returns:
        Whether the play day is another one.
    """
    today.window = window_at(borders, today.window, today.last_window, clock + today.shift)
    # Without a schedule there is no other day.
    over = today.length > 0 and clock >= today.ends
    day = today.day
    if over:
        # At least the next one: the border was passed, whatever rounding says of a clock on it.
        day = max(today.come + day_at(today.length, clock), day + 1)
        used[1, :] = 0
        if day // today.per_week != today.day // today.per_week:
            used[2, :] = 0
    _be_on(today, day, borders)
    return over


@part
def window_at(borders: Array, window: int, last_window: int, clock: float) -> int:
    """Return between which borders of timed rules some played seconds are, from an earlier one on."""
    while window + 1 < last_window and clock >= borders[window + 1]:
        window += 1
    return window


@part
def end_of(today: Any) -> float:
    """Return the played seconds at which the next play day begins."""
    return today.length * (today.day - today.come + 1) / MICROS


@part
def day_at(length: int, clock: float) -> int:
    """Return the play day of some played seconds."""
    return math.floor(clock * MICROS + 0.5) // length


@part
def _be_on(today: Any, day: int, borders: Array) -> None:
    today.day = day
    # As `Timeline.border_seconds` has it.
    today.ends = (today.length * (day - today.come + 1) - 0.5) / MICROS if today.length > 0 else np.inf
    today.turn = today.ends
    if today.window + 1 < today.last_window:
        today.turn = min(today.ends, borders[today.window + 1] - today.shift)
