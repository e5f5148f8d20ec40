"""Each kind of goal as smooth numbers: what `sensitivity` compares, and what `tune` brings to the wish."""

from __future__ import annotations

import math
from collections.abc import Callable
from functools import singledispatch
from typing import TYPE_CHECKING

import numpy as np

from ramulus.comparing.statistic import Quantile, Statistic
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
from ramulus.goals.longest_level import span_of
from ramulus.goals.measuring import arrivals_of, groups_of, weights_of
from ramulus.rules.coming import points_of, unfloored_days_reached
from ramulus.rules.schedule import schedules_of
from ramulus.rules.tabulation import tabulated
from ramulus.simulation.in_level import HOUR
from ramulus.simulation.quits import STAYED
from ramulus.simulation.samples import Sample, WholeSample

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.formula.functions import Array
    from ramulus.results.result import SimulationResult
    from ramulus.simulation.played import PlayedProfile

MOST_EATEN, FARTHEST = 0.9, 25.0  # Of what is won; and the exponent beyond which it is all the same.
NEVER_HOURS = 1e9
NO_TIME = 1e-9  # Of a level that is passed together with the one before it.
Found = dict[int | None, Statistic]


@singledispatch
def statistics_of(goal: Goal, result: SimulationResult) -> Found:
    """Return what a goal is about, by the level where it is about each of several.

    Hours and days are in logarithms, days unfloored, so that they go on smoothly; shares are as they are.
    """
    raise NotImplementedError(type(goal).__name__)


def values_of(sample: Sample) -> Array:
    """Return every player's numbers, infinite where there is none."""
    assert isinstance(sample, WholeSample)
    return np.where(np.isnan(sample.values), np.inf, sample.values)


def seconds_at(goal: Goal, level: int, result: SimulationResult) -> Callable[[PlayedProfile], Array]:
    """Return what gives each player's seconds to a level."""
    index = level - int(result.design.track(goal.track).start_level)
    return lambda group: values_of(arrivals_of(goal, group).seconds)[:, index]


def days_at(goal: Goal, level: int, result: SimulationResult, *, own: bool = True) -> Callable[[PlayedProfile], Array]:
    """Return what gives each player's days to a level, own or the calendar's, with the passed part of the last."""
    index = level - int(result.design.track(goal.track).start_level)

    def days(group: PlayedProfile) -> Array:
        sample = arrivals_of(goal, group).seconds
        assert isinstance(sample, WholeSample)
        player = result.design.profile(group.profile)
        when = (schedules_of(result.design, player), points_of(player.arrives))
        found = unfloored_days_reached(sample.values[:, index], np.arange(group.players), *when, own=own)
        return np.where(np.isnan(found), np.inf, found)

    return days


def in_logs(
    goal: Goal, share: float, result: SimulationResult, numbers: Callable[[PlayedProfile], Array], unit: float = 1.0,
    sign: int = 1,
) -> Quantile:  # fmt: skip
    """Return the quantile of the logarithms of players' numbers."""
    groups = groups_of(goal, result)
    weights = {group.profile: weight for group, weight in zip(groups, weights_of(goal, result).tolist(), strict=True)}
    samples = {group.profile: np.log(np.maximum(numbers(group) / unit, NO_TIME)) for group in groups}
    return Quantile(samples, weights, share, sign)


@statistics_of.register(HoursGoal)
def _(goal: HoursGoal, result: SimulationResult) -> Found:
    if goal.level is not None:
        way = seconds_at(goal, goal.level, result)
    else:
        first, last = (seconds_at(goal, level or 0, result) for level in (goal.from_level, goal.to_level))

        def way(group: PlayedProfile) -> Array:
            end = last(group)
            return np.where(np.isfinite(end), end - np.where(np.isfinite(end), first(group), 0.0), np.inf)

    return {None: Statistic.of_quantiles(in_logs(goal, goal.quantile, result, way, HOUR))}


@statistics_of.register(DaysGoal)
def _(goal: DaysGoal, result: SimulationResult) -> Found:
    days = days_at(goal, goal.level, result)
    return {None: Statistic.of_quantiles(in_logs(goal, goal.quantile, result, days))}


@statistics_of.register(RatioGoal)
def _(goal: RatioGoal, result: SimulationResult) -> Found:
    way, other = seconds_at(goal, goal.level, result), goal.model_copy(update={"player": goal.compared_with})
    own = in_logs(goal, goal.quantile, result, way, HOUR)
    return {None: Statistic.of_quantiles(own, in_logs(other, goal.quantile, result, way, HOUR, sign=-1))}


@statistics_of.register(LongestLevelGoal)
def _(goal: LongestLevelGoal, result: SimulationResult) -> Found:
    start = int(result.design.track(goal.track).start_level)

    def within(level: int) -> Callable[[PlayedProfile], Array]:
        return lambda group: values_of(arrivals_of(goal, group).in_level)[:, level - start]

    return {
        level: Statistic.of_quantiles(in_logs(goal, _share(goal), result, within(level), HOUR))
        for level in span_of(goal, result.design)
    }


def _share(goal: PaceGoal) -> float:
    return float(goal.quantile)


def _share_of(goal: Goal, result: SimulationResult, counted: Callable[[PlayedProfile], Array]) -> Statistic:
    """Return the share of players that are counted."""
    groups = groups_of(goal, result)
    names = [group.profile for group in groups]
    weights = dict(zip(names, weights_of(goal, result).tolist(), strict=True))
    return Statistic.of_share({group.profile: counted(group) for group in groups}, weights)


@statistics_of.register(ReachedGoal)
def _(goal: ReachedGoal, result: SimulationResult) -> Found:
    if goal.by_hours is not None:
        way, end = seconds_at(goal, goal.level, result), float(goal.by_hours) * HOUR
        return {None: _share_of(goal, result, lambda group: way(group) <= end)}
    days, last = days_at(goal, goal.level, result, own=False), (goal.by_day or 0) + 1
    return {None: _share_of(goal, result, lambda group: days(group) < last)}


@statistics_of.register(StillPlayingGoal)
def _(goal: StillPlayingGoal, result: SimulationResult) -> Found:
    def still(group: PlayedProfile) -> Array:
        if group.quits is None:
            return np.ones(group.players)
        if goal.by_day is not None:
            gone = group.quits.day <= goal.by_day
        else:
            gone = group.quits.level < (goal.level or 0) - int(result.design.track().start_level)
        return np.asarray(~(gone & (group.quits.reason != STAYED)))

    return {None: _share_of(goal, result, still)}


@statistics_of.register(WastedGoal)
def _(goal: WastedGoal, result: SimulationResult) -> Found:
    parts = list(zip(groups_of(goal, result), weights_of(goal, result).tolist(), strict=True))
    each = [group.each for group, _ in parts if group.each is not None]
    earned, wasted = (
        sum(weight * float(getattr(own, key).mean()) for own, (_, weight) in zip(each, parts, strict=True))
        for key in ("earned", "wasted")
    )
    ratio = wasted / earned if earned else 0.0
    # Of the ratio of two means, by the delta method (Cochran, "Sampling Techniques", 1977, section 2.11).
    moves = {
        group.profile: (own.wasted - ratio * own.earned) / max(earned, 1e-9)
        for own, (group, _) in zip(each, parts, strict=True)
    }
    return {None: Statistic(ratio, (), moves, {group.profile: weight for group, weight in parts})}


def unreached(goal: Goal, level: int, share: float, result: SimulationResult) -> float:
    """Return hours that stand for a level which too few reach: those played, and what the rest of the way would take.

    It says which way to go, and how far, where "never" says nothing; it is no number to show. On the main track the
    rest goes by what encounters pay less what failures take; on a skill's by the XP an hour they had.
    """
    tables, name = tabulated(result.design).track(goal.track), goal.track or result.design.main_track_name
    far, start = level - tables.curve.start_level, tables.curve.start_level
    at = [in_logs(goal, share, result, seconds_at(goal, start + n, result)).value < math.inf for n in range(far + 1)]
    reached = max(sum(at) - 1, 0)
    if name != result.design.main_track_name:
        totals = tables.curve.totals
        return float(result.hours) * max(1.0, float(totals[far]) / max(float(totals[reached]), 1.0))
    rest = 0.0
    for group, weight in zip(groups_of(goal, result), weights_of(goal, result).tolist(), strict=True):
        hours = hours_by_drift(result.design, group.profile)[reached:far].copy()
        if len(hours) and not result.design.encounters.failure.loss and group.each is not None:
            # Without losses the XP inside the level is known.
            held = earned_by(group, share) / tables.scale - float(tables.curve.totals[reached])
            hours[0] *= 1 - min(max(held / float(tables.curve.costs[reached]), 0.0), 0.99)
        rest += weight * float(hours.sum())
    return float(result.hours) + rest


def hours_by_drift(design: Design, profile: str) -> Array:
    """Return about how long each level takes a profile, by the mean of what is met there, shape (levels − 1,).

    Where failures take nine tenths of what is won and more, nobody gets on for long, and the hours soon pass all
    measure; they go on rising with what is lost, so that a search knows the way back.
    """
    tabulation = tabulated(design)
    tables, main = tabulation.profile(profile), tabulation.main
    at = tabulation.columns.first_column
    chance = tables.lasting_chance(at)
    xp, seconds = tables.mix(at)
    lost = (chance * (1 - tables.encounters.success[:, at])).sum(axis=1) * tabulation.lost / main.scale
    by_hour = 3600 * xp[:-1] / np.maximum(seconds[:-1], 1e-9)
    eaten = np.divide(lost[:-1], xp[:-1], out=np.zeros(len(by_hour)), where=xp[:-1] > 0)
    slower = np.where(
        eaten < MOST_EATEN,
        1 / (1 - np.minimum(eaten, MOST_EATEN)),
        np.exp(np.minimum((eaten - MOST_EATEN) / (1 - MOST_EATEN), FARTHEST)) / (1 - MOST_EATEN),
    )
    hours = np.divide(main.curve.costs, by_hour, out=np.full(len(by_hour), NEVER_HOURS), where=by_hour > 0)
    return np.asarray(np.minimum(hours * slower, NEVER_HOURS))


def earned_by(group: PlayedProfile, share: float) -> float:
    """Return the XP units that a player has earned and kept who is as slow as a share of all are."""
    assert group.each is not None
    return float(np.quantile(group.each.earned - group.each.wasted, 1 - share))
