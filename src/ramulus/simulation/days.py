"""Play days inside a kernel: when one ends, and which uses come back with the next."""

from __future__ import annotations

import math

from numba.extending import register_jitable

from ramulus.rules.schedule import MICROS
from ramulus.simulation.world import Ints


@register_jitable
def end_of(day: int, play_day: int) -> float:
    """Return the least played seconds that count as past a play day, as `Timeline.border_seconds` does.

    Args:
        day: millionths of a second in a play day.
        play_day: which one, from 0.
    """
    return (day * (play_day + 1) - 0.5) / MICROS


@register_jitable
def day_at(day: int, clock: float) -> int:
    """Return the play day of some played seconds."""
    return math.floor(clock * MICROS + 0.5) // day


@register_jitable
def next_day(day: int, days_per_week: int, play_day: int, clock: float, used: Ints) -> int:
    """Return the play day at some played seconds past another one; uses of days and weeks that are over come back."""
    # At least the next one: the border was passed, whatever rounding says of a clock on it.
    later = max(day_at(day, clock), play_day + 1)
    used[1, :] = 0
    if later // days_per_week != play_day // days_per_week:
        used[2, :] = 0
    return later
