"""Each kind of goal: how it is measured, what it is called, and how long has to be played for it."""

from __future__ import annotations

import math
from functools import singledispatch
from typing import TYPE_CHECKING

import numpy as np

from ramulus.design.goal import (
    DaysGoal,
    Goal,
    HoursGoal,
    LongestLevelGoal,
    PaceGoal,
    RatioGoal,
    ReachedGoal,
    StillPlayingGoal,
    WastedGoal,
)
from ramulus.goals.measuring import (
    CONFIDENCE,
    NOTHING_KNOWN,
    Measured,
    Z,
    arrivals_of,
    groups_of,
    quantile_of,
    share_of,
    weights_of,
)
from ramulus.rules.schedule import MICROS, in_micros, schedules_of
from ramulus.simulation.in_level import HOUR, InLevel
from ramulus.simulation.quits import STAYED
from ramulus.simulation.samples import Sample, WholeSample
from ramulus.simulation.still_playing import before_level, still_by_level

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.simulation.played import PlayedDesign, PlayedProfile


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


# --- hours and days to a level ---------------------------------------------------------------------------------


def _index(goal: Goal, level: int, result: PlayedDesign) -> int:
    return level - int(result.design.track(goal.track).start_level)


def _column(sample: Sample, index: int) -> Sample:
    return sample.over(slice(index, index + 1))


@measure.register(HoursGoal)
def _(goal: HoursGoal, result: PlayedDesign) -> Measured:
    if goal.level is None:
        return _hours_between(goal, result)
    index = _index(goal, goal.level, result)
    return _in_hours(
        quantile_of(
            goal, goal.quantile, result, lambda group: _column(arrivals_of(goal, group).seconds, index),
            result.hours * HOUR,
        )
    )  # fmt: skip


def _in_hours(seconds: Measured) -> Measured:
    return Measured(seconds.found / HOUR, seconds.low / HOUR, seconds.high / HOUR)


def _hours_between(goal: HoursGoal, result: PlayedDesign) -> Measured:
    first, last = (_index(goal, level or 0, result) for level in (goal.from_level, goal.to_level))
    if not result.keeps_players:
        return NOTHING_KNOWN

    def between(group: PlayedProfile, missing: float) -> Sample:
        seconds = arrivals_of(goal, group).seconds
        assert isinstance(seconds, WholeSample)
        start, end = seconds.values[:, [first]], seconds.values[:, [last]]
        return WholeSample(np.where(np.isnan(end), missing, end) - np.where(np.isnan(start), missing, start))

    end = result.hours * HOUR
    return _in_hours(
        quantile_of(
            goal, goal.quantile, result, lambda group: between(group, math.nan), 0.0, lambda group: between(group, end)
        )
    )


@words_of.register(HoursGoal)
def _(goal: HoursGoal) -> str:
    way = f"level {goal.level}" if goal.level is not None else f"level {goal.from_level} to {goal.to_level}"
    return f"{way} in {goal.hours:g} h{_of_whom(goal)}"


def _of_whom(goal: PaceGoal) -> str:
    """Return which player a goal is about, where it is not the median one."""
    return "" if goal.quantile == 0.5 else f", p{100 * goal.quantile:g}"


@hours_needed.register(HoursGoal)
def _(goal: HoursGoal, design: Design) -> float:
    return float(goal.hours) * (1 + goal.allowance) * (1 + 1e-9)


@measure.register(DaysGoal)
def _(goal: DaysGoal, result: PlayedDesign) -> Measured:
    index, last = _index(goal, goal.level, result), _last_day(goal, result)
    days = quantile_of(
        goal, goal.quantile, result, lambda group: _column(arrivals_of(goal, group).days, index), last + 1
    )
    if result.keeps_players:
        return days
    # Bins lie about a day.
    return Measured(np.rint(days.found), np.floor(days.low + 1e-9), np.ceil(days.high - 1e-9))


def _last_day(goal: Goal, result: PlayedDesign) -> int:
    """Return the last calendar day that all of the goal's players have played to its end; 0 without schedules."""
    last = []
    for group in groups_of(goal, result):
        schedules = schedules_of(result.design, result.design.profile(group.profile))
        played = [int(in_micros(result.hours * HOUR)) // schedule.day for schedule in schedules]
        ends = zip(schedules, played, strict=True)
        last.append(min((int(s.calendar_days(np.asarray(days))) - 1 for s, days in ends), default=0))
    return min(last)


def _hours_by(goal: Goal, design: Design, day: int) -> float:
    """Return the most hours that players of a goal have played by the end of a calendar day, and one play day more."""
    names = [goal.player] if goal.player in design.players else list(design.players)
    hours = [
        (int(schedule.play_days_until(np.asarray(day))) + 1) * schedule.day / MICROS / HOUR
        for name in names
        for schedule in schedules_of(design, design.players[name])
    ]
    return max(hours, default=0.0)


@words_of.register(DaysGoal)
def _(goal: DaysGoal) -> str:
    return f"level {goal.level} on day {goal.days}{_of_whom(goal)}"


@hours_needed.register(DaysGoal)
def _(goal: DaysGoal, design: Design) -> float:
    return _hours_by(goal, design, math.ceil(goal.days * (1 + goal.allowance)) + 1)


@measure.register(RatioGoal)
def _(goal: RatioGoal, result: PlayedDesign) -> Measured:
    index, parts = _index(goal, goal.level, result), []
    for player in (goal.player, goal.compared_with):
        one = goal.model_copy(update={"player": player})
        parts.append(
            quantile_of(
                one, goal.quantile, result, lambda group: _column(arrivals_of(goal, group).seconds, index),
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
    return f"level {goal.level} in {goal.ratio:g} times the hours of {goal.compared_with}{_of_whom(goal)}"


# --- hours within levels ---------------------------------------------------------------------------------------


def span_of(goal: LongestLevelGoal, design: Design) -> range:
    """Return the levels that a goal on the longest one is about; the cap has no end."""
    track = design.track(goal.track)
    first = track.start_level if goal.from_level is None else goal.from_level
    return range(first, (track.max_level - 1 if goal.to_level is None else min(goal.to_level, track.max_level - 1)) + 1)


@measure.register(LongestLevelGoal)
def _(goal: LongestLevelGoal, result: PlayedDesign) -> Measured:
    span = span_of(goal, result.design)
    levels = [_in_level(goal, result, _index(goal, level, result)) for level in span]
    known = [measured.found for measured in levels]
    if not known or np.isnan(known).all():
        return NOTHING_KNOWN
    worst = int(np.nanargmax(known))
    # A level that is not known may take longer than all that are: the cut-off ones are the slow ones.
    high = math.inf if np.isnan(known).any() else max(measured.high for measured in levels)
    return Measured(known[worst], max(measured.low for measured in levels), high, span[worst])


def first_over(goal: LongestLevelGoal, result: PlayedDesign, most: float) -> int | None:
    """Return the first level that takes longer than so many hours, by more than chance."""
    span = span_of(goal, result.design)
    return next((level for level in span if _in_level(goal, result, _index(goal, level, result)).low > most), None)


def _in_level(goal: LongestLevelGoal, result: PlayedDesign, index: int) -> Measured:
    """Return a quantile of the hours within one level, of those who reached it."""
    name = goal.track or result.design.main_track_name
    for group in groups_of(goal, result):
        if not InLevel(arrivals_of(goal, group), group, name).known[index]:
            return NOTHING_KNOWN

    def there(group: PlayedProfile) -> Sample:
        return _column(arrivals_of(goal, group).in_level, index)

    return _in_hours(quantile_of(goal, goal.quantile, result, there, 0.0))


@words_of.register(LongestLevelGoal)
def _(goal: LongestLevelGoal) -> str:
    first, last = goal.from_level, goal.to_level
    span = f" of {first}–{last}" if first is not None else f" up to {last}"
    if last is None:
        span = f" from {first} on" if first is not None else ""
    return f"no level{span} longer than {goal.longest_level_hours:g} h{_of_whom(goal)}"


# --- shares ----------------------------------------------------------------------------------------------------


@measure.register(ReachedGoal)
def _(goal: ReachedGoal, result: PlayedDesign) -> Measured:
    index = _index(goal, goal.level, result)
    if goal.by_hours is not None:
        seconds = float(goal.by_hours) * HOUR
        known = goal.by_hours <= result.hours
        return (
            share_of(goal, result, lambda group: arrivals_of(goal, group).seconds.below(index, seconds))
            if known
            else NOTHING_KNOWN
        )
    day = goal.by_day or 0
    if day > _last_day(goal, result):
        return NOTHING_KNOWN
    # Half a day more, for runs that keep days in bins.
    return share_of(goal, result, lambda group: arrivals_of(goal, group).days.below(index, day + 0.5))


@words_of.register(ReachedGoal)
def _(goal: ReachedGoal) -> str:
    by = f"{goal.by_hours:g} h" if goal.by_hours is not None else f"day {goal.by_day}"
    return f"{goal.reached:.0%} at level {goal.level} by {by}"


@hours_needed.register(ReachedGoal)
def _(goal: ReachedGoal, design: Design) -> float:
    return float(goal.by_hours) if goal.by_hours is not None else _hours_by(goal, design, goal.by_day or 0)


@measure.register(StillPlayingGoal)
def _(goal: StillPlayingGoal, result: PlayedDesign) -> Measured:
    levels = result.design.track().max_level - result.design.track().start_level + 1
    if goal.by_day is not None:
        if goal.by_day > _last_day(goal, result):
            return NOTHING_KNOWN
        return share_of(goal, result, lambda group: group.players - _gone_by_day(group, goal.by_day or 0))
    index = _index(goal, goal.level or 0, result)
    for group in groups_of(goal, result):
        if group.quits is not None and np.isnan(still_by_level(group, levels, CONFIDENCE)[0][index]):
            return NOTHING_KNOWN

    def still(group: PlayedProfile) -> int:
        return group.players - (0 if group.quits is None else int(before_level(group.quits, levels)[index]))

    # Whoever neither quit nor got there when play ended may still quit.
    def sure(group: PlayedProfile) -> int:
        quits = group.quits
        return still(group) - (0 if quits is None else int(((quits.level < index) & (quits.reason == STAYED)).sum()))

    most = share_of(goal, result, still)
    return Measured(most.found, share_of(goal, result, sure).low, most.high)


def _gone_by_day(group: PlayedProfile, day: int) -> int:
    if group.quits is None:
        return 0
    return int((group.quits.day[group.quits.reason != STAYED] <= day).sum())


@words_of.register(StillPlayingGoal)
def _(goal: StillPlayingGoal) -> str:
    until = f"after day {goal.by_day}" if goal.by_day is not None else f"at level {goal.level}"
    return f"{goal.still_playing:.0%} still playing {until}"


@hours_needed.register(StillPlayingGoal)
def _(goal: StillPlayingGoal, design: Design) -> float:
    return 0.0 if goal.by_day is None else _hours_by(goal, design, goal.by_day)


@measure.register(WastedGoal)
def _(goal: WastedGoal, result: PlayedDesign) -> Measured:
    groups, weights = groups_of(goal, result), weights_of(goal, result).tolist()
    parts = list(zip(groups, weights, strict=True))
    earned = sum(weight * group.totals.earned / group.players for group, weight in parts)
    wasted = sum(weight * group.totals.wasted / group.players for group, weight in parts)
    ratio = wasted / earned if earned else 0.0
    variance = 0.0
    for group, weight in parts:
        if group.each is None:
            return Measured(ratio, 0.0, math.inf)
        # Of the ratio of two means, by the delta method (Cochran, "Sampling Techniques", 1977, section 2.11).
        apart = (group.each.wasted - ratio * group.each.earned) / max(float(group.each.earned.mean()), 1e-9)
        part = weight * group.totals.earned / group.players / earned if earned else 0.0
        variance += part**2 * float(apart.var()) / group.players
    error = Z * variance**0.5
    return Measured(ratio, max(ratio - error, 0.0), min(ratio + error, 1.0))


@words_of.register(WastedGoal)
def _(goal: WastedGoal) -> str:
    return f"at most {goal.wasted:.2%} of the XP wasted"
