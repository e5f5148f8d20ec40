"""Schedules: on which calendar days a player plays, and on which of them a played second falls.

Play days are counted from 0, calendar days from 1. Played time is counted in whole millionths of a second, so that
2.4 h at 0.8 h a day is the third border exactly, however the hours were added up.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from ramulus.design.calendar import WEEKDAYS
from ramulus.formula.functions import Array

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.design.player import Player

MICROS = 1_000_000

Micros = NDArray[np.int64]


@dataclass(frozen=True)
class Schedule:
    """When a player plays.

    Attributes:
        day: the played time of one play day, millionths of a second.
        days: the play days of a week, counted from the weekday of day 1 as 0, rising.
        starts_on: the weekday of day 1, counted from Monday as 0.
    """

    day: int
    days: tuple[int, ...]
    starts_on: int = 0

    def calendar_days(self, play_days: Micros) -> Micros:
        """Return the calendar days of play days."""
        weeks, rest = np.divmod(play_days, len(self.days))
        return np.asarray(7 * weeks + np.array(self.days, dtype=np.int64)[rest] + 1)

    def days_at(self, seconds: Array) -> Array:
        """Return the calendar day of played seconds; not a number where there is none."""
        known = np.isfinite(seconds)
        play_days = in_micros(np.where(known, seconds, 0.0)) // self.day
        return np.where(known, self.calendar_days(play_days), np.nan)

    def unfloored_days_at(self, seconds: Array) -> Array:
        """Return `days_at` with the part of the way to the next play day that has passed; it rises smoothly."""
        known = np.isfinite(seconds)
        play_days, rest = np.divmod(np.where(known, seconds, 0.0) * MICROS / self.day, 1.0)
        now, after = (self.calendar_days(play_days.astype(np.int64) + ahead) for ahead in (0, 1))
        return np.where(known, now + rest * (after - now), np.nan)

    def first_play_day(self, calendar: int) -> int:
        """Return the first play day that is not before a calendar day."""
        return int(self.play_days_until(np.asarray(calendar - 1)))

    def play_days_until(self, calendar_days: Micros) -> Micros:
        """Return how many play days there are up to the ends of calendar days."""
        weeks, rest = np.divmod(calendar_days, 7)
        return np.asarray(weeks * len(self.days) + np.searchsorted(np.array(self.days), rest))

    def weekdays(self, calendar_days: Micros) -> Micros:
        """Return the weekdays of calendar days, counted from Monday as 0."""
        return np.asarray((calendar_days - 1 + self.starts_on) % 7)


def in_micros(seconds: Array | float) -> Micros:
    """Return seconds as whole millionths, the nearest."""
    return np.asarray(np.floor(np.asarray(seconds, dtype=np.float64) * MICROS + 0.5)).astype(np.int64)


def schedules_of(design: Design, player: Player) -> tuple[Schedule, ...]:
    """Return the schedules that players of a profile have, none where the profile says nothing of hours.

    Where the author names the weekdays there is one; a number of days a week is spread evenly over the week, and
    shifted by a day for every next one of seven schedules, so that no weekday is everyone's.
    """
    if not player.has_schedule:
        return ()
    day = round(Fraction(repr(float(player.hours_per_day or 24))) * 3600 * MICROS)
    starts_on = WEEKDAYS.index(design.starts_on)
    if player.plays_on is not None:
        days = sorted((WEEKDAYS.index(name) - starts_on) % 7 for name in player.plays_on)
        return (Schedule(day, tuple(days), starts_on),)
    count = player.days_per_week or 7
    if count == 7:
        return (Schedule(day, tuple(range(7)), starts_on),)
    spread = [7 * k // count for k in range(count)]
    return tuple(Schedule(day, tuple(sorted((d + shift) % 7 for d in spread)), starts_on) for shift in range(7))


def schedule_of(number: Any, schedules: int) -> Any:
    """Return which of some schedules a player of a profile has, or several players, by their numbers."""
    return number % schedules


def days_reached(seconds: Array, numbers: NDArray[np.int64], schedules: tuple[Schedule, ...]) -> Array:
    """Return the calendar days of played seconds, a row a player; not a number without a schedule.

    Args:
        seconds: played seconds, shape (players, …).
        numbers: the players' numbers in their profile, shape (players,).
        schedules: the profile's schedules.
    """
    return _by_schedule(seconds, numbers, schedules, Schedule.days_at)


def unfloored_days_reached(seconds: Array, numbers: NDArray[np.int64], schedules: tuple[Schedule, ...]) -> Array:
    """Return `days_reached` with the part of the way to the next play day that has passed."""
    return _by_schedule(seconds, numbers, schedules, Schedule.unfloored_days_at)


def _by_schedule(
    seconds: Array, numbers: NDArray[np.int64], schedules: tuple[Schedule, ...],
    days_at: Callable[[Schedule, Array], Array],
) -> Array:  # fmt: skip
    days = np.full(seconds.shape, np.nan)
    for index, schedule in enumerate(schedules):
        mine = schedule_of(numbers, len(schedules)) == index
        days[mine] = days_at(schedule, seconds[mine])
    return days
