"""Goals on shares: of players who got there, of players who still play, of XP that is wasted."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from ramulus.design.goal import (
    ReachedGoal,
    StillPlayingGoal,
    WastedGoal,
)
from ramulus.goals.kinds import hours_by, hours_needed, index_of, last_day, measure, words_of
from ramulus.goals.measuring import (
    CONFIDENCE,
    NOTHING_KNOWN,
    Measured,
    Z,
    arrivals_of,
    groups_of,
    share_of,
    weights_of,
)
from ramulus.simulation.in_level import HOUR
from ramulus.simulation.quits import STAYED
from ramulus.simulation.still_playing import before_level, still_by_level

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.simulation.played import PlayedDesign, PlayedProfile


@measure.register(ReachedGoal)
def _(goal: ReachedGoal, result: PlayedDesign) -> Measured:
    index = index_of(goal, goal.level, result)
    if goal.by_hours is not None:
        seconds = float(goal.by_hours) * HOUR
        known = goal.by_hours <= result.hours
        return (
            share_of(goal, result, lambda group: arrivals_of(goal, group).seconds.below(index, seconds))
            if known
            else NOTHING_KNOWN
        )
    day = goal.by_day or 0
    if day > last_day(goal, result, own=False):
        return NOTHING_KNOWN
    # Half a day more, for runs that keep days in bins.
    return share_of(goal, result, lambda group: arrivals_of(goal, group).calendar.below(index, day + 0.5))


@words_of.register(ReachedGoal)
def _(goal: ReachedGoal) -> str:
    by = f"{goal.by_hours:g} h" if goal.by_hours is not None else f"day {goal.by_day}"
    return f"{goal.reached:.0%} at level {goal.level} by {by}"


@hours_needed.register(ReachedGoal)
def _(goal: ReachedGoal, design: Design) -> float:
    return float(goal.by_hours) if goal.by_hours is not None else hours_by(goal, design, goal.by_day or 0)


@measure.register(StillPlayingGoal)
def _(goal: StillPlayingGoal, result: PlayedDesign) -> Measured:
    levels = result.design.track().max_level - result.design.track().start_level + 1
    if (day := goal.by_day) is not None:
        if day > last_day(goal, result):
            return NOTHING_KNOWN
        return share_of(goal, result, lambda group: group.players - _gone_by_day(group, day))
    index = index_of(goal, goal.level or 0, result)
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
    return 0.0 if goal.by_day is None else hours_by(goal, design, goal.by_day)


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
