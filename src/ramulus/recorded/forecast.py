"""The forecast of one profile as a log would have recorded it, whole and cut as the log is cut."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import UTC, datetime
from typing import TYPE_CHECKING, NamedTuple
from zoneinfo import ZoneInfo

import numpy as np
from numpy.typing import NDArray

from ramulus.design.calendar import WEEKDAYS
from ramulus.formula.functions import Array
from ramulus.recorded.following import follow
from ramulus.recorded.rows import Batch, Ints
from ramulus.recorded.sample_files import hours_in
from ramulus.recorded.sampling import DAY, Habits, Sampled, first_midnight, sampled
from ramulus.recorded.seen import Cells, Seen, cells_of, seen_in
from ramulus.results.simulate import DEFAULT_HOURS
from ramulus.rules.ability import CLASSES
from ramulus.rules.quitting import quit_rules
from ramulus.rules.schedule import schedules_of

if TYPE_CHECKING:
    from ramulus.design import Design

GONE_AFTER = 14 * DAY
APART = 7_919  # So that a log that was made up from some seed is not held against its own players.


class Span(NamedTuple):
    """What a log spans: midnight before its first award and its last award, seconds since 1970, and its pauses.

    Attributes:
        begins, ends: the times.
        starts_on: the weekday of its first day, counted from Monday as 0.
        longest_pause: seconds within a sitting.
        timezone: of days.
    """

    begins: float
    ends: float
    starts_on: int
    longest_pause: float
    timezone: str = "UTC"

    @property
    def days(self) -> int:
        """Calendar days that it touches, one more in case."""
        return int(np.ceil((self.ends - self.begins) / DAY)) + 1

    def day_of(self, times: Array) -> Ints:
        """Return the calendar day of some times, the log's first being day 1."""
        return (np.floor((times - self.begins) / DAY)).astype(np.int64) + 1


def span_of(first: float, last: float, longest_pause: float, timezone: str) -> Span:
    """Return what a log spans whose first and last award are known."""
    local = datetime.fromtimestamp(first, UTC).astimezone(ZoneInfo(timezone))
    midnight = local.replace(hour=0, minute=0, second=0, microsecond=0)
    return Span(midnight.timestamp(), last, midnight.weekday(), longest_pause, timezone)


class Forecast:
    """Players of one profile, played to be held against a log.

    Args:
        design: the design.
        profile: the profile.
        players: how many are played.
        seed: the seed of every draw.
        span: what the log spans. Its first day is the design's day 1, and has the weekday that it has.
        track: the track's place.
        hours: played hours at most, for players who are only cut; default: as many as whole ones take.
    """

    def __init__(
        self, design: Design, profile: str, players: int, seed: int, span: Span, track: int, hours: float | None = None
    ) -> None:
        self._profile, self._players, self._seed, self._span, self._track = profile, players, seed, span, track
        self._scheduled = design.profile(profile).has_schedule
        self._design = _on_weekday(design, span.starts_on) if self._scheduled else design
        self._quits = quit_rules(design, profile) is not None
        self._hours = DEFAULT_HOURS if hours is None else hours
        if self._scheduled:
            in_span = hours_in(design, profile, span.days, Habits())
            self._hours = max(DEFAULT_HOURS, in_span) if hours is None else min(hours, in_span)
        numbers = np.arange(players if hours is None else 0, dtype=np.int64)
        self._whole = [part.batch for part in self._sampled(numbers)]

    def _sampled(self, numbers: Ints, days: Ints | None = None) -> Iterable[Sampled]:
        seed, hours = self._seed + APART + (days is not None), self._hours
        return sampled(self._design, self._profile, numbers, seed, hours, Habits(), days)

    def cells(self, *, of_successes: bool = True) -> Cells:
        """Return what encounters are like at each level and source; seconds those of successes, where a log tells."""
        return cells_of(self._design, self._whole, self._span.longest_pause, of_successes=of_successes)

    def whole(self) -> Seen:
        """Return the players as they would be seen to the end."""
        return seen_in(self._design, self._whole, self._track, self._span.longest_pause)

    def cut_like(self, recorded: Seen, cells: dict[int, Cells] | None = None) -> Seen:
        """Return players who come on the days of recorded ones, and whose log ends with that of the recorded.

        A player who can quit by the design quits by its own rules; where the design has none, who is gone from the log
        long before its end, and not for having reached the cap, lends the played time after which it was gone.
        """
        chance = np.random.default_rng([self._seed, 0xC07])
        times = self._players // len(recorded) + 1
        lender = np.concatenate([chance.permutation(len(recorded)) for _ in range(times)])[: self._players]
        at_cap = np.isfinite(recorded.arrival[lender, -1])
        gone = (recorded.last[lender] < self._span.ends - GONE_AFTER) & ~at_cap
        played = np.where(gone & (not self._quits), recorded.end[lender], np.inf)
        if not self._scheduled:
            played = np.where(at_cap, np.inf, recorded.end[lender])
        days = self._span.day_of(recorded.first[lender])
        numbers = self._numbers_for(days, self._weeks_of(recorded.of(lender), days), chance)
        order = np.argsort(numbers)
        numbers, played, days = numbers[order], played[order], days[order]
        cut, first = [], 0
        for part in self._sampled(numbers, days if self._scheduled else None):
            mine = slice(first, first + part.batch.players)
            cut.append(self._cut(part, played[mine]))
            first = mine.stop
        return seen_in(self._design, cut, self._track, self._span.longest_pause, cells)

    def _weeks_of(self, recorded: Seen, first: Ints) -> Array:
        """Return on which weekdays players play, from that of day 1 on: 1; −1 on which they did not; else 0."""
        week = len(WEEKDAYS)
        played = np.roll(recorded.weekdays, -self._span.starts_on, axis=1)
        since = (np.arange(week)[None, :] - (first - 1)[:, None]) % week
        passed = since <= (self._span.day_of(recorded.last) - first)[:, None]
        return np.where(played, 1.0, np.where(passed, -1.0, 0.0))

    def _numbers_for(self, days: Ints, weeks: Array, chance: np.random.Generator) -> Ints:
        """Return numbers of players of every ability whose weeks are those of recorded ones."""
        schedules = schedules_of(self._design, self._design.profile(self._profile))
        count = len(days)
        ability = chance.permutation(np.arange(count) % CLASSES)
        if len(schedules) < 2:
            return np.asarray(np.arange(count, dtype=np.int64) * CLASSES + ability)
        allowed = np.array([[day in one.days for one in schedules] for day in range(len(WEEKDAYS))])
        # A timed rule may hold on some weekdays only, so who lends its first day lends those of its week, too.
        scores = chance.random((count, len(schedules))) + weeks @ allowed
        scores += len(WEEKDAYS) * allowed[(days - 1) % len(WEEKDAYS)]
        week = np.argmax(scores, axis=1)
        return np.asarray(np.arange(count, dtype=np.int64) * CLASSES * len(WEEKDAYS) + _in_step(ability, week))

    def _cut(self, part: Sampled, played: Array) -> Batch:
        """Return the rows up to the end of each player's log."""
        batch = part.batch
        clock, owner = follow(self._design, batch, self._span.longest_pause).clock, batch.owner
        stays = (clock <= played[owner]) & (part.clock <= part.quit_clock[owner])
        if self._scheduled:
            stays &= batch.rows.time - first_midnight(self._span.starts_on) <= self._span.ends - self._span.begins
        return part_of(batch, stays)


def _in_step(ability: Ints, week: Ints) -> Ints:
    """Return the number below 105 that has a class of ability, by fifteens, and a week, by sevens."""
    return np.asarray((ability * 91 + week * 15) % 105)  # 91 is 1 by fifteens and 0 by sevens; 15 the other way round.


def _on_weekday(design: Design, starts_on: int) -> Design:
    if design.starts_on == WEEKDAYS[starts_on]:
        return design
    data = design.to_dict()
    return type(design).from_dict(
        {**data, "calendar": {"starts_on": WEEKDAYS[starts_on]}}, file=design.file, also_from=None
    )


def part_of(batch: Batch, stays: NDArray[np.bool_]) -> Batch:
    """Return a batch with some of its rows; who has none left is gone."""
    count: Ints = np.bincount(batch.owner[stays], minlength=batch.players).astype(np.int64)
    there = count > 0
    starts = np.concatenate([[0], np.cumsum(count[there])]).astype(np.int64)
    return Batch(batch.rows.of(stays), starts, batch.keys[there], batch.profiles[there])
