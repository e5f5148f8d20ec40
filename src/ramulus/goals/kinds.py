"""What every kind of goal says of itself: how it is measured, what it is called, how long has to be played for it."""

from __future__ import annotations

from functools import singledispatch
from typing import TYPE_CHECKING

import numpy as np

from ramulus.design.goal import (
    Goal,
    PaceGoal,
)
from ramulus.goals.measuring import (
    Measured,
    groups_of,
)
from ramulus.rules.coming import last_whole_day, most_play_days, points_of
from ramulus.rules.schedule import MICROS, in_micros, schedules_of
from ramulus.simulation.in_level import HOUR
from ramulus.simulation.samples import Sample

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.simulation.played import PlayedDesign


@singledispatch
def measure(goal: Goal, result: PlayedDesign) -> Measured:
    """Return what was found of a goal."""
    raise NotImplementedError(type(goal).__name__)


@singledispatch
def words_of(goal: Goal) -> str:
    """Return a goal in words, without its player."""
    raise NotImplementedError(type(goal).__name__)


@singledispatch
def hours_needed(goal: Goal, design: Design) -> float:
    """Return the played hours without which a goal cannot be judged."""
    return 0.0


def index_of(goal: Goal, level: int, result: PlayedDesign) -> int:
    """Return the place of a level of a goal among those of its track."""
    return level - int(result.design.track(goal.track).start_level)


def column(sample: Sample, index: int) -> Sample:
    """Return the numbers of one level."""
    return sample.over(slice(index, index + 1))


def of_whom(goal: PaceGoal) -> str:
    """Return which player a goal is about, where it is not the median one."""
    return "" if goal.quantile == 0.5 else f", p{100 * goal.quantile:g}"


def in_hours(seconds: Measured) -> Measured:
    """Return what was measured in seconds, in hours."""
    return Measured(seconds.found / HOUR, seconds.low / HOUR, seconds.high / HOUR)


def last_day(goal: Goal, result: PlayedDesign, *, own: bool = True) -> int:
    """Return the last day, own or of the calendar, that all of the goal's players have played to its end.

    It is 0 without schedules.
    """
    last, played = [], int(in_micros(result.hours * HOUR))
    for group in groups_of(goal, result):
        player, numbers = result.design.profile(group.profile), np.arange(group.players, dtype=np.int64)
        schedules = schedules_of(result.design, player)
        last.append(last_whole_day(played, numbers, schedules, points_of(player.arrives), own=own))
    return min(last)


def hours_by(goal: Goal, design: Design, day: int) -> float:
    """Return the most hours that players of a goal have played by the end of a day of theirs, and one play day more."""
    names = [goal.player] if goal.player in design.players else list(design.players)
    hours = [
        (most_play_days(day, schedule, points_of(design.players[name].arrives)) + 1) * schedule.day / MICROS / HOUR
        for name in names
        for schedule in schedules_of(design, design.players[name])
    ]
    return max(hours, default=0.0)
