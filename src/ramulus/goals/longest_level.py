"""Goals on the longest level."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np

from ramulus.design.goal import LongestLevelGoal
from ramulus.goals.kinds import column, in_hours, index_of, measure, of_whom, words_of
from ramulus.goals.measuring import (
    NOTHING_KNOWN,
    Measured,
    arrivals_of,
    groups_of,
    quantile_of,
)
from ramulus.simulation.in_level import InLevel
from ramulus.simulation.samples import Sample

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.simulation.played import PlayedDesign, PlayedProfile


def span_of(goal: LongestLevelGoal, design: Design) -> range:
    """Return the levels that a goal on the longest one is about; the cap has no end."""
    track = design.track(goal.track)
    first = track.start_level if goal.from_level is None else goal.from_level
    return range(first, (track.max_level - 1 if goal.to_level is None else min(goal.to_level, track.max_level - 1)) + 1)


@measure.register(LongestLevelGoal)
def _(goal: LongestLevelGoal, result: PlayedDesign) -> Measured:
    span = span_of(goal, result.design)
    levels = [_in_level(goal, result, index_of(goal, level, result)) for level in span]
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
    return next((level for level in span if _in_level(goal, result, index_of(goal, level, result)).low > most), None)


def _in_level(goal: LongestLevelGoal, result: PlayedDesign, index: int) -> Measured:
    """Return a quantile of the hours within one level, of those who reached it."""
    name = goal.track or result.design.main_track_name
    for group in groups_of(goal, result):
        if not InLevel(arrivals_of(goal, group), group, name).known[index]:
            return NOTHING_KNOWN

    def there(group: PlayedProfile) -> Sample:
        return column(arrivals_of(goal, group).in_level, index)

    return in_hours(quantile_of(goal, goal.quantile, result, there, 0.0))


@words_of.register(LongestLevelGoal)
def _(goal: LongestLevelGoal) -> str:
    first, last = goal.from_level, goal.to_level
    span = f" of {first}–{last}" if first is not None else f" up to {last}"
    if last is None:
        span = f" from {first} on" if first is not None else ""
    return f"no level{span} longer than {goal.longest_level_hours:g} h{of_whom(goal)}"
