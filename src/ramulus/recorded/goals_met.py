"""A design's goals judged on recorded play, by the verdicts that simulated players are judged by."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping
from functools import singledispatch
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ramulus.design.goal import (
    EVERYONE,
    DaysGoal,
    Goal,
    HoursGoal,
    LongestLevelGoal,
    RatioGoal,
    ReachedGoal,
    StillPlayingGoal,
)
from ramulus.formula.functions import Array
from ramulus.goals import OPEN, Judged, limits
from ramulus.goals.judging import players_needed, verdict_of
from ramulus.goals.longest_level import span_of as levels_of
from ramulus.goals.measuring import NOTHING_KNOWN, Measured
from ramulus.recorded.agreement import time_in_levels
from ramulus.recorded.estimates import FEWEST, share_of
from ramulus.recorded.forecast import GONE_AFTER, Span
from ramulus.recorded.log import Log
from ramulus.recorded.log_seen import seen_of_log, span_of_log
from ramulus.recorded.sampling import HOUR
from ramulus.recorded.seen import Seen
from ramulus.recorded.staying import gone_from
from ramulus.recorded.survival import Median, Ratio, left_of, median_of, ratio_of
from ramulus.simulation.in_level import MOST_CUT_OFF

if TYPE_CHECKING:
    from ramulus.design import Design

WOULD_TELL = "a longer log, or one of more players, would tell"


class OnTrack(NamedTuple):
    """Recorded players, by profile, on one track."""

    design: Design
    track: str
    seen: Mapping[str, Seen]
    span: Span

    def of(self, player: str) -> Seen | None:
        """Return the players of a goal whose log does not start midway; None where there are fewer than are shown."""
        every = list(self.seen.values()) if player == EVERYONE else [self.seen[player]] if player in self.seen else []
        if not every:
            return None
        seen = Seen.joined([one.of(~one.midway) for one in every]).with_first_encounters()
        return seen if len(seen) >= FEWEST else None

    def index_of(self, level: int) -> int:
        """Return the place of a level among those of the track."""
        return level - self.design.track(self.track).start_level


def goals_met(design: Design, track: str, seen: Mapping[str, Seen], span: Span) -> list[Judged]:
    """Return what became of the goals on a track that a log can tell: of all but those on wasted XP.

    Hours are those within sittings, whose first encounter takes as long as the player's others in the mean. Players who
    were not seen to the end are not left out.

    Args:
        design: the design.
        track: the track that was looked at.
        seen: the recorded players of each profile.
        span: what the log spans.
    """
    judged, there = [], OnTrack(design, track, seen, span)
    for goal in design.goals:
        if (goal.track or design.main_track_name) != track or there.of(goal.player) is None:
            continue
        measured = on_log(goal, there)
        if measured is not None:
            verdict, players = verdict_of(measured, *limits(goal)), len(_players(goal, there))
            needed = players_needed(measured, limits(goal), players) if verdict == OPEN else math.nan
            judged.append(Judged(goal, measured, verdict, needed, WOULD_TELL))
    return judged


def judged_on(design: Design, log: Log) -> Iterator[Judged]:
    """Yield what became of the goals on every track that a log can tell."""
    for place, track in enumerate(design.track_order):
        if not any((goal.track or design.main_track_name) == track for goal in design.goals):
            continue
        every = seen_of_log(design, log, place)
        kinds = {name: every.of(every.profiles == number) for number, name in enumerate(design.profiles)}
        unknown = every.of(every.profiles < 0)
        whose = {name: seen for name, seen in {**kinds, EVERYONE: unknown}.items() if len(seen)}
        yield from goals_met(design, track, whose, span_of_log(log))


@singledispatch
def on_log(goal: Goal, there: OnTrack) -> Measured | None:
    """Return what recorded players say of a goal; None where no log can."""
    return None


def _players(goal: Goal, there: OnTrack) -> Seen:
    seen = there.of(goal.player)
    assert seen is not None
    return seen


def _measured(found: Median | Ratio, unit: float = 1.0) -> Measured:
    """Return a number whose ends are as far as is known where nobody knows them."""
    value, low, high = (end / unit for end in found)
    return Measured(value, 0.0 if math.isnan(low) else low, math.inf if math.isnan(high) else high)


@on_log.register(HoursGoal)
def _(goal: HoursGoal, there: OnTrack) -> Measured | None:
    return _measured(_time_between(_players(goal, there), goal, there, goal.from_level, goal.to_level), HOUR)


def _time_between(
    seen: Seen, goal: HoursGoal | RatioGoal, there: OnTrack, from_level: int | None, to_level: int | None
) -> Median:
    """Return the quantile of played seconds between two levels, of those who reached the first."""
    start = there.design.track(there.track).start_level
    first, last = there.index_of(from_level or start), there.index_of(goal.level or to_level or start)
    begun = np.isfinite(seen.arrival[:, first])
    done = seen.arrival[begun, last]
    seconds = np.where(np.isfinite(done), done, seen.end[begun]) - seen.arrival[begun, first]
    return median_of(seconds, np.isfinite(done), quantile=goal.quantile)


@on_log.register(RatioGoal)
def _(goal: RatioGoal, there: OnTrack) -> Measured | None:
    other = there.of(goal.compared_with)
    if other is None:
        return NOTHING_KNOWN
    parts = [_time_between(seen, goal, there, None, None) for seen in (_players(goal, there), other)]
    return _measured(ratio_of(*parts))


@on_log.register(LongestLevelGoal)
def _(goal: LongestLevelGoal, there: OnTrack) -> Measured | None:
    (times, done), levels = time_in_levels(_players(goal, there)), levels_of(goal, there.design)
    found = []
    for level in levels:
        here = np.isfinite(times[:, there.index_of(level)])
        at = there.index_of(level)
        enough = here.sum() >= FEWEST
        known = median_of(times[here, at], done[here, at], quantile=goal.quantile) if enough else NOTHING_KNOWN[:3]
        found.append(_measured(Median(*known), HOUR))
    hours = np.array([one.found for one in found])
    if np.isnan(hours).all():
        return NOTHING_KNOWN
    worst = int(np.nanargmax(hours))
    # A level that is not known may take longer than all that are.
    high = math.inf if np.isnan(hours).any() else max(one.high for one in found)
    return Measured(float(hours[worst]), max(one.low for one in found), high, levels[worst])


@on_log.register(ReachedGoal)
def _(goal: ReachedGoal, there: OnTrack) -> Measured | None:
    seen, level = _players(goal, there), there.index_of(goal.level)
    if goal.by_hours is not None:
        arrival = seen.arrival[:, level]
        reached = np.isfinite(arrival)
        return _share_by(float(goal.by_hours) * HOUR, np.where(reached, arrival, seen.end), reached)
    # Days of the calendar count from the first day of all: where players come over weeks, one that has not come yet
    # is not in the log.
    if any(there.design.profile(name).arrives for name in _profiles_of(goal, there)):
        return NOTHING_KNOWN
    days = _days_to(seen, seen.arrived_at[:, level], there.span)
    return NOTHING_KNOWN if days is None else _share_by(float(goal.by_day or 0), *days)


def _profiles_of(goal: Goal, there: OnTrack) -> list[str]:
    return list(there.design.profiles) if goal.player == EVERYONE else [goal.player]


def _share_by(time: float, times: Array, happened: NDArray[np.bool_]) -> Measured:
    """Return the share to whom something has happened by a time."""
    if time > times.max() and not happened.all():
        return NOTHING_KNOWN
    left, low, high = left_of(times, happened).after(time)
    return Measured(1 - left, 1 - high, 1 - low)


def _days_to(seen: Seen, at: Array, span: Span) -> tuple[Array, NDArray[np.bool_]] | None:
    """Return on which day of their own something happened to players who came early enough, or who were last looked at.

    Who is gone was last looked at on its last day; all others two weeks before the log's end, as of later days nobody
    knows who is gone. None where a log is too short for that.

    Args:
        seen: the players.
        at: the time when it happened to each, not a number where it did not.
        span: what the log spans.
    """
    if span.ends - span.begins < 2 * GONE_AFTER:
        return None
    there, gone = gone_from(seen, span)
    if there.sum() < FEWEST:
        return None
    until, at = span.ends - GONE_AFTER, at[there]
    happened = at < until
    last = np.where(gone[there], seen.last[there], until)
    day = span.day_of(np.where(happened, at, last)) - span.day_of(seen.first[there]) + 1
    return day.astype(np.float64), happened


@on_log.register(DaysGoal)
def _(goal: DaysGoal, there: OnTrack) -> Measured | None:
    seen = _players(goal, there)
    days = _days_to(seen, seen.arrived_at[:, there.index_of(goal.level)], there.span)
    return NOTHING_KNOWN if days is None else _measured(median_of(*days, quantile=goal.quantile))


@on_log.register(StillPlayingGoal)
def _(goal: StillPlayingGoal, there: OnTrack) -> Measured | None:
    seen, span = _players(goal, there), there.span
    if goal.level is not None:
        return _still_before(seen, there.index_of(goal.level), span)
    _, gone = gone_from(seen, span)
    days = _days_to(seen, np.where(gone, seen.last, np.nan), span)
    if days is None:
        return NOTHING_KNOWN
    left = _share_by(float(goal.by_day or 0), *days)
    return Measured(1 - left.found, 1 - left.high, 1 - left.low) if math.isfinite(left.found) else NOTHING_KNOWN


def _still_before(seen: Seen, level: int, span: Span) -> Measured:
    """Return the share that was not gone before a level; nothing where it is not known yet of more than a tenth."""
    there, gone = gone_from(seen, span)
    if span.ends - span.begins < 2 * GONE_AFTER or there.sum() < FEWEST:
        return NOTHING_KNOWN
    reached, players = np.isfinite(seen.arrival[there, level]), int(there.sum())
    before = int((gone[there] & ~reached).sum())
    under_way = players - int(reached.sum()) - before
    if under_way > MOST_CUT_OFF * players:
        return NOTHING_KNOWN
    share, low, _ = share_of(before, players)
    return Measured(1 - share, 1 - share_of(before + under_way, players)[2], 1 - low)
