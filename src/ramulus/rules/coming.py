"""When players come: the calendar day of each, by its number, and the play days that it missed."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.rules import schedule as by_schedule
from ramulus.rules.schedule import MICROS, Schedule, days_reached, schedule_of, schedules_of

if TYPE_CHECKING:
    from collections.abc import Sequence

    from ramulus.design import Design
    from ramulus.design.player import Player

GOLDEN = 0.618034


@dataclass(frozen=True, eq=False)
class KnownDays:
    """The calendar day on which each of some players comes, where that is known; `numbers` rise."""

    numbers: NDArray[np.int64]
    days: NDArray[np.int64]


Points = tuple[tuple[int, float], ...] | KnownDays


def points_of(arrives: Sequence[Sequence[float]] | None) -> Points:
    """Return a profile's table of arrivals as plain numbers; nothing where all come on day 1."""
    return tuple((int(day), float(share)) for day, share in arrives or ())


def come_on(points: Points, numbers: NDArray[np.int64]) -> NDArray[np.int64]:
    """Return the calendar days on which some players come, by their numbers, shape (n,)."""
    if isinstance(points, KnownDays):
        return points.days[np.searchsorted(points.numbers, numbers)]
    if not points:
        return np.ones(len(numbers), dtype=np.int64)
    days, shares = zip((0, 0.0), *points, strict=True)
    come = np.interp(np.arange(days[-1] + 1), days, shares)
    quantiles = (numbers * GOLDEN + 0.5) % 1.0
    return np.asarray(np.clip(np.searchsorted(come, quantiles, side="right"), 1, days[-1])).astype(np.int64)


def play_days_before(
    points: Points, numbers: NDArray[np.int64], schedules: tuple[Schedule, ...]
) -> NDArray[np.int64]:  # fmt: skip
    """Return how many play days of its schedule pass before each player comes, shape (n,)."""
    missed = np.zeros(len(numbers), dtype=np.int64)
    if not points:
        return missed
    days = come_on(points, numbers)
    for index, schedule in enumerate(schedules):
        mine = schedule_of(numbers, len(schedules)) == index
        missed[mine] = schedule.play_days_until(days[mine] - 1)
    return missed


def hours_missed(design: Design, player: Player) -> float:
    """Return the most hours that players of a profile would have played before they come, 0 where all come on day 1."""
    if not player.arrives:
        return 0.0
    last = np.asarray(int(player.arrives[-1][0]))
    return max(int(one.play_days_until(last)) * one.day / MICROS / 3600 for one in schedules_of(design, player))


def calendar_days_reached(
    seconds: Array, numbers: NDArray[np.int64], schedules: tuple[Schedule, ...], points: Points = ()
) -> Array:
    """Return the calendar days of played seconds, a row a player; not a number without a schedule.

    Args:
        seconds: played seconds, shape (players, …).
        numbers: the players' numbers in their profile, shape (players,).
        schedules: the profile's schedules.
        points: its table of arrivals.
    """
    return days_reached(_with_days_missed(seconds, numbers, schedules, points), numbers, schedules)


def own_days_reached(
    seconds: Array, numbers: NDArray[np.int64], schedules: tuple[Schedule, ...], points: Points = ()
) -> Array:
    """Return the players' own days of played seconds: the day on which a player comes is its day 1."""
    days = calendar_days_reached(seconds, numbers, schedules, points)
    return days - _beside(come_on(points, numbers) - 1, days) if points else days


def unfloored_days_reached(
    seconds: Array, numbers: NDArray[np.int64], schedules: tuple[Schedule, ...], points: Points = (), *, own: bool
) -> Array:
    """Return days, own or the calendar's, with the part of the way to the next play day that has passed."""
    shifted = _with_days_missed(seconds, numbers, schedules, points)
    days = by_schedule.unfloored_days_reached(shifted, numbers, schedules)
    return days - _beside(come_on(points, numbers) - 1, days) if points and own else days


def last_whole_day(
    played: int, numbers: NDArray[np.int64], schedules: tuple[Schedule, ...], points: Points = (), *, own: bool
) -> int:
    """Return the last day that all of some players have played to its end; 0 without schedules.

    Args:
        played: the played time, millionths of a second.
        numbers: the players' numbers in their profile.
        schedules: the profile's schedules.
        points: its table of arrivals.
        own: whether the day is each player's own, or the calendar's.
    """
    if not schedules:
        return 0
    missed, come = play_days_before(points, numbers, schedules), come_on(points, numbers)
    last = []
    for index, schedule in enumerate(schedules):
        mine = schedule_of(numbers, len(schedules)) == index
        days = schedule.calendar_days(missed[mine] + played // schedule.day) - 1
        last.append(int((days - (come[mine] - 1) * own).min()) if mine.any() else 2**62)
    return min(last)


def most_play_days(day: int, schedule: Schedule, points: Points) -> int:
    """Return the most play days that a player has had by the end of its own day."""
    weekdays = np.arange(7 if points else 1)
    return int((schedule.play_days_until(weekdays + day) - schedule.play_days_until(weekdays)).max())


def _with_days_missed(
    seconds: Array, numbers: NDArray[np.int64], schedules: tuple[Schedule, ...], points: Points
) -> Array:  # fmt: skip
    if not points or not schedules:
        return seconds
    missed = play_days_before(points, numbers, schedules) * (schedules[0].day / MICROS)
    return seconds + _beside(missed, seconds)


def _beside(values: Array, table: Array) -> Array:
    """Return values, one a player, so that they stand beside each row of a table."""
    return values.reshape(-1, *(1,) * (table.ndim - 1))
