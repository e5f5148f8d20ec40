"""Goals on how fast players get to a level: in hours, by calendar days, and as a ratio."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import TYPE_CHECKING

import numpy as np

from ramulus.design.goal import (
    DaysGoal,
    HoursGoal,
    RatioGoal,
)
from ramulus.goals.kinds import column, hours_by, hours_needed, in_hours, index_of, last_day, measure, of_whom, words_of
from ramulus.goals.measuring import (
    NOTHING_KNOWN,
    Measured,
    arrivals_of,
    quantile_of,
)
from ramulus.simulation.in_level import HOUR
from ramulus.simulation.samples import Sample, WholeSample

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.simulation.played import PlayedDesign, PlayedProfile

MOST_DAYS_SURE = 400.0  # A bin is a thousandth of its day wide.


@measure.register(HoursGoal)
def _(goal: HoursGoal, result: PlayedDesign) -> Measured:
    if goal.level is None:
        return _hours_between(goal, result)
    index = index_of(goal, goal.level, result)
    return in_hours(
        quantile_of(
            goal, goal.quantile, result, lambda group: column(arrivals_of(goal, group).seconds, index),
            result.hours * HOUR,
        )
    )  # fmt: skip


def _hours_between(goal: HoursGoal, result: PlayedDesign) -> Measured:
    first, last = (index_of(goal, level or 0, result) for level in (goal.from_level, goal.to_level))
    if not result.keeps_players:
        return NOTHING_KNOWN

    def between(group: PlayedProfile, missing: float) -> Sample:
        seconds = arrivals_of(goal, group).seconds
        assert isinstance(seconds, WholeSample)
        start, end = seconds.values[:, [first]], seconds.values[:, [last]]
        return WholeSample(np.where(np.isnan(end), missing, end) - np.where(np.isnan(start), missing, start))

    end = result.hours * HOUR
    return in_hours(
        quantile_of(
            goal, goal.quantile, result, lambda group: between(group, math.nan), 0.0, lambda group: between(group, end)
        )
    )


@words_of.register(HoursGoal)
def _(goal: HoursGoal) -> str:
    way = f"level {goal.level}" if goal.level is not None else f"level {goal.from_level} to {goal.to_level}"
    return f"{way} in {goal.hours:g} h{of_whom(goal)}"


@hours_needed.register(HoursGoal)
def _(goal: HoursGoal, design: Design) -> float:
    return float(goal.hours) * (1 + goal.allowance) * (1 + 1e-9)


@measure.register(DaysGoal)
def _(goal: DaysGoal, result: PlayedDesign) -> Measured:
    index, last = index_of(goal, goal.level, result), last_day(goal, result)
    days = quantile_of(
        goal, goal.quantile, result, lambda group: column(arrivals_of(goal, group).days, index), last + 1
    )
    if result.keeps_players:
        return days
    return Measured(np.rint(days.found), _day(days.low, np.floor), _day(days.high, np.ceil))


def _day(end: float, outward: Callable[[float], float]) -> float:
    """Return the day that a bin is about: the nearest, and the next one outward where bins are as wide as days."""
    return float(np.rint(end) if end < MOST_DAYS_SURE else outward(end))


@words_of.register(DaysGoal)
def _(goal: DaysGoal) -> str:
    return f"level {goal.level} on day {goal.days}{of_whom(goal)}"


@hours_needed.register(DaysGoal)
def _(goal: DaysGoal, design: Design) -> float:
    return hours_by(goal, design, math.ceil(goal.days * (1 + goal.allowance)) + 1)


@measure.register(RatioGoal)
def _(goal: RatioGoal, result: PlayedDesign) -> Measured:
    index, parts = index_of(goal, goal.level, result), []
    for player in (goal.player, goal.compared_with):
        one = goal.model_copy(update={"player": player})
        parts.append(
            quantile_of(
                one, goal.quantile, result, lambda group: column(arrivals_of(goal, group).seconds, index),
                result.hours * HOUR,
            )
        )  # fmt: skip
    if any(not (part.low > 0 and math.isfinite(part.high) and part.found > 0) for part in parts):
        return NOTHING_KNOWN
    # The interval of a difference from those of its two parts, in logs (Zou and Donner, 2008).
    (a, a_low, a_high), (b, b_low, b_high) = ([math.log(end) for end in part[:3]] for part in parts)
    steps = (0.0, -math.hypot(a - a_low, b_high - b), math.hypot(a_high - a, b - b_low))
    found, low, high = (math.exp(a - b + step) for step in steps)
    return Measured(found, low, high)


@words_of.register(RatioGoal)
def _(goal: RatioGoal) -> str:
    return f"level {goal.level} in {goal.ratio:g} times the hours of {goal.compared_with}{of_whom(goal)}"
