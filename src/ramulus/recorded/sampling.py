"""Players as a game would record them: awards with the time of day at which each came."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ramulus.design.calendar import WEEKDAYS
from ramulus.formula.functions import Array
from ramulus.recorded.rows import Batch, Ints, Rows
from ramulus.rules.ability import CLASSES
from ramulus.rules.coming import KnownDays, play_days_before
from ramulus.rules.schedule import MICROS, Schedule, in_micros, schedule_of
from ramulus.simulation.award_log import LOGGED, NOT_TOLD
from ramulus.simulation.chunks import quits_in, refuse_fault, tally_for
from ramulus.simulation.draws import GOLDEN, mix, own_draws, own_factors, player_keys
from ramulus.simulation.kernel import play_players
from ramulus.simulation.times import time_table
from ramulus.simulation.world import Stage, make_stage

if TYPE_CHECKING:
    from ramulus.design import Design

DAY, HOUR = 86_400.0, 3_600.0
EPOCH = 1_767_571_200.0  # Monday, 5 January 2026, 00:00 UTC: day 1 where the calendar starts on a Monday.
MOST_ENCOUNTERS = 1_000_000
UNPLANNED = 2.0  # Hours a day of who has no schedule.
_CHUNK = 256
_FIRST_ROOM = 400_000
_BEGINS, _EATS, _WHEN, _LONG = (np.uint64(number) for number in (0x51A7E, 0xEA75, 0x3E11, 0x10A6))


@dataclass(frozen=True)
class Habits:
    """What players do that the design says nothing of.

    Attributes:
        meals: the share of play days that a pause of 40 to 80 minutes breaks.
        hours_a_day: played hours a day of who has no schedule.
    """

    meals: float = 0.0
    hours_a_day: float = UNPLANNED


class Sampled(NamedTuple):
    """Some players of one profile.

    Attributes:
        batch: their awards.
        clock: played seconds of each row, as the simulation counts them.
        quit_clock: played seconds after which each would have quit; infinity where it would not.
    """

    batch: Batch
    clock: Array
    quit_clock: Array


def people(count: int, profile: str, seed: int) -> Ints:
    """Return the numbers of some players, rising: each of an ability and with a week of its own, as chance has it.

    The first numbers take abilities and weeks in turn, which a forecast likes; who plays a game does not come in turn.
    """
    of_each = CLASSES * len(WEEKDAYS)
    drawn = np.random.default_rng([seed, *profile.encode()]).integers(of_each, size=count)
    return np.asarray(np.arange(count, dtype=np.int64) * of_each + drawn)


def sampled(
    design: Design, profile: str, numbers: Ints, seed: int, hours: float, habits: Habits, days: Ints | None = None
) -> Iterator[Sampled]:
    """Play players of a profile, and yield their awards, some players at a time.

    Args:
        design: the design.
        profile: the profile's name.
        numbers: their numbers in the profile, rising.
        seed: the seed of every draw.
        hours: played hours at most.
        habits: what they do beyond the design.
        days: the calendar day on which each comes (default: as the design has it).
    """
    stage, place = make_stage(design, profile, hours, MOST_ENCOUNTERS), list(design.profiles).index(profile)
    if days is not None:
        stage = replace(stage, comes=KnownDays(numbers, days))
    room = _FIRST_ROOM
    for start in range(0, len(numbers), _CHUNK):
        some = numbers[start : start + _CHUNK]
        logged, quit_clock, room = _played(stage, some, seed, room)
        keys = player_keys(seed, profile, some)
        yield Sampled(_batch(stage, logged, some, keys, place, habits), logged["clock"].copy(), quit_clock)


def first_midnight(starts_on: int) -> float:
    """Return when day 1 begins, seconds since 1970, where it is a weekday, counted from Monday as 0."""
    return EPOCH + starts_on * DAY


def _played(stage: Stage, numbers: Ints, seed: int, room: int) -> tuple[NDArray[np.void], Array, int]:
    """Return the awards of some players, when each would quit, and how many rows there was room for."""
    keys = player_keys(seed, stage.profile, numbers)
    while True:
        tally = tally_for(stage, len(numbers), np.zeros(1, np.int8))
        own = own_factors(keys, stage.spread)
        log, count = play_players(stage, keys, own, numbers, time_table(stage.shape), tally, room)
        if count <= room:
            break
        room = int(count * 1.2)
    refuse_fault(tally.fault, stage.first_level)
    quits = quits_in(stage, keys, numbers, tally)
    quit_clock = np.full(len(numbers), np.inf) if quits is None else np.nan_to_num(quits.seconds, nan=np.inf)
    return log[:count], quit_clock, room


def _batch(
    stage: Stage, logged: NDArray[np.void], numbers: Ints, keys: NDArray[np.uint64], profile: int, habits: Habits
) -> Batch:
    assert logged.dtype == LOGGED
    owner = logged["player"].astype(np.int64)
    starts = np.searchsorted(owner, np.arange(len(numbers) + 1)).astype(np.int64)
    known = logged["level"] != NOT_TOLD
    rows = Rows(
        time=_times(stage, logged["clock"], owner, numbers, keys, habits),
        units=logged["units"].copy(),
        track=logged["track"].copy(),
        source=logged["source"].copy(),
        success=logged["won"].copy(),
        level=np.where(known, logged["level"], -1).astype(np.int32),
        xp=np.where(known, logged["xp"], -1),
        seconds=logged["seconds"] - stage.settings.seconds_between * own_factors(keys, stage.spread)[owner],
    )
    return Batch(rows, starts, keys, np.full(len(numbers), profile, np.int16))


def _times(
    stage: Stage, clock: Array, owner: Ints, numbers: Ints, keys: NDArray[np.uint64], habits: Habits
) -> Array:  # fmt: skip
    """Return the time of each row: its calendar day, when its player begins on each day, and how far it is into it."""
    schedules = stage.schedules or (Schedule(round(habits.hours_a_day * HOUR * MICROS), tuple(range(7))),)
    length = schedules[0].day
    days, rest = np.divmod(in_micros(clock), length)
    missed = play_days_before(stage.comes, numbers, schedules)
    mine = schedule_of(numbers, len(schedules))
    calendar = np.zeros(len(clock), np.int64)
    for index, schedule in enumerate(schedules):
        here = mine[owner] == index
        calendar[here] = schedule.calendar_days(missed[owner[here]] + days[here])
    within = rest / MICROS
    free = max(DAY - length / MICROS - (1.5 * HOUR if habits.meals else 0.0), 0.0)
    begins = np.minimum(16 * HOUR + 4 * HOUR * own_draws(keys, _BEGINS), free)
    time = first_midnight(schedules[0].starts_on) + (calendar - 1) * DAY + begins[owner] + within
    return time + (_meals(keys[owner], days, within, length / MICROS, habits.meals) if habits.meals else 0.0)


def _meals(keys: NDArray[np.uint64], days: Ints, within: Array, length: float, share: float) -> Array:
    """Return the seconds that a meal has taken of each row's day so far."""
    with np.errstate(over="ignore"):
        day = np.asarray(mix(keys + (days.astype(np.uint64) + np.uint64(1)) * GOLDEN))
    eats = own_draws(day, _EATS) < share
    return np.where(eats & (within > own_draws(day, _WHEN) * length), (40 + 40 * own_draws(day, _LONG)) * 60.0, 0.0)
