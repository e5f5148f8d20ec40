"""A design's goals judged on recorded play, by the verdicts that simulated players are judged by."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import TYPE_CHECKING

import numpy as np

from ramulus.design.goal import HoursGoal
from ramulus.goals import Judged, limits
from ramulus.goals.judging import verdict_of
from ramulus.goals.measuring import Measured
from ramulus.recorded.sampling import HOUR
from ramulus.recorded.seen import Seen
from ramulus.recorded.survival import median_of

if TYPE_CHECKING:
    from ramulus.design import Design


def goals_met(design: Design, track: str, seen: Mapping[str, Seen]) -> list[Judged]:
    """Return what became of the goals that a log can tell: of hours to a level, or from one level to another.

    Hours are those within sittings, and players who were not seen to the end are not left out.

    Args:
        design: the design.
        track: the track that was looked at.
        seen: the recorded players of each profile.
    """
    start, judged = design.track(track).start_level, []
    for goal in design.goals:
        on = goal.track or design.main_track_name
        if isinstance(goal, HoursGoal) and goal.player in seen and on == track:
            measured = _measured(goal, seen[goal.player], start)
            judged.append(Judged(goal, measured, verdict_of(measured, *limits(goal)), math.nan))
    return judged


def _measured(goal: HoursGoal, seen: Seen, start: int) -> Measured:
    first, last = (goal.from_level or start) - start, (goal.level or goal.to_level or start) - start
    there = np.isfinite(seen.arrival[:, first]) & ~seen.midway
    begun, done = seen.arrival[there, first], seen.arrival[there, last]
    reached = np.isfinite(done)
    hours = np.where(reached, done, seen.end[there]) - begun
    value, low, high = (end / HOUR for end in median_of(hours, reached, quantile=goal.quantile))
    return Measured(value, 0.0 if math.isnan(low) else low, math.inf if math.isnan(high) else high)
