"""Windows in time: calendar days, weekdays and first minutes of a day, as intervals of played time."""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ramulus.design.calendar import WEEKDAYS
from ramulus.formula.functions import Array
from ramulus.rules.evaluating import fault
from ramulus.rules.multipliers import hold_at_any_hour
from ramulus.rules.schedule import MICROS, Micros, Schedule, in_micros, schedule_of, schedules_of

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.design.multiplier import Multiplier
    from ramulus.design.player import Player

MOST_DAYS = 1_000_000
NEVER = 2**62

Spans = tuple[Micros, Micros]


@dataclass(frozen=True, eq=False)
class Timeline:
    """Which rules are on at each moment of a profile's played time, for each of its schedules, one after the other.

    Attributes:
        borders: where the set of active rules changes, played millionths of a second, rising within a schedule, the
            first of each is 0; shape (B,).
        state: the index into `states` from each border on, shape (B,).
        first: where the borders of each schedule start, and one past the last, shape (schedules + 1,).
        states: the sets of rules that are ever on together, those that look at what was done in whatever band.
    """

    borders: Micros
    state: NDArray[np.int64]
    first: NDArray[np.int64]
    states: tuple[frozenset[int], ...]

    def rules_on(self, seconds: float, number: int = 0) -> frozenset[int]:
        """Return the rules that are on at a played second of a player; a border belongs to what begins there."""
        which = schedule_of(number, len(self.first) - 1)
        low, high = int(self.first[which]), int(self.first[which + 1])
        after = np.searchsorted(self.borders[low:high], in_micros(seconds), side="right")
        return self.states[int(self.state[low + after - 1])]

    @property
    def border_seconds(self) -> Array:
        """The least played seconds that count as each border, shape (B,)."""
        return np.asarray((self.borders - 0.5) / MICROS)


def timeline(design: Design, player: Player, hours: float) -> Timeline:
    """Return which multipliers are on when, for a profile over some played hours.

    Raises:
        DesignError: a rule goes on and off too often to be counted.
    """
    always, schedules = hold_at_any_hour(design), schedules_of(design, player)
    timed = [index for index, rule in enumerate(design.multipliers) if rule.timed]
    if not timed or not schedules:
        one_each = np.zeros(max(len(schedules), 1), np.int64)
        return Timeline(one_each, one_each, np.arange(len(one_each) + 1), (always,))
    parts = [_of_schedule(design, timed, schedule, hours) for schedule in schedules]
    states = tuple(dict.fromkeys(on for _, sets in parts for on in sets))
    return Timeline(
        borders=np.concatenate([borders for borders, _ in parts]),
        state=np.array([states.index(on) for _, sets in parts for on in sets], dtype=np.int64),
        first=np.concatenate([[0], np.cumsum([len(borders) for borders, _ in parts])]).astype(np.int64),
        states=tuple(always | on for on in states),
    )


def _of_schedule(
    design: Design, timed: list[int], schedule: Schedule, hours: float
) -> tuple[Micros, list[frozenset[int]]]:
    """Return the borders of one schedule, and the timed rules that are on from each border on."""
    spans = [_spans(design.multipliers[index], f"multipliers[{index}]", schedule, hours) for index in timed]
    edges = [edge[edge < NEVER] for span in spans for edge in span]
    borders = np.unique(np.concatenate([np.zeros(1, np.int64), *edges]))
    # A rule is on where more of its spans have started than have ended.
    on = np.array([np.searchsorted(a, borders, "right") > np.searchsorted(b, borders, "right") for a, b in spans])
    columns, which = np.unique(on, axis=1, return_inverse=True)
    sets = [frozenset(timed[i] for i in np.nonzero(column)[0].tolist()) for column in columns.T]
    return borders, [sets[i] for i in which.reshape(-1).tolist()]


def _spans(rule: Multiplier, place: str, schedule: Schedule, hours: float) -> Spans:
    """Return the starts and ends of the played time [start, end) in which a timed rule is on."""
    day = schedule.day
    first = schedule.first_play_day(rule.from_day or 1)
    last = None if rule.to_day is None or rule.every else schedule.first_play_day(rule.to_day + 1)
    if rule.first_minutes_of_day is None and rule.weekdays is None and rule.every is None:
        ends = np.array([NEVER if last is None else day * last], dtype=np.int64)
        starts = np.array([day * first], dtype=np.int64)
        return starts[starts < ends], ends[starts < ends]
    played = int(hours * 3600 * MICROS / day) + 2
    days = range(first, played if last is None else min(last, played))
    if len(days) > MOST_DAYS:
        key = next(key for key in ("first_minutes_of_day", "weekdays", "every") if getattr(rule, key) is not None)
        found = f"it goes on and off {len(days):,} times within {hours:g} h of {day / 3600 / MICROS:g} h a day"
        raise fault(f"{place}.{key}", found, f"at most {MOST_DAYS:,} play days", "design-too-large")
    on = np.arange(days.start, max(days.stop, days.start), dtype=np.int64)
    on = on[_has_day(rule, schedule, schedule.calendar_days(on))]
    minutes = day
    if rule.first_minutes_of_day is not None:
        minutes = min(round(Fraction(repr(float(rule.first_minutes_of_day))) * 60 * MICROS), day)
    return day * on, day * on + minutes


def _has_day(rule: Multiplier, schedule: Schedule, calendar_days: Micros) -> NDArray[np.bool_]:
    """Return which calendar days, from the first of a rule on, are days of it, by weekday and by coming again."""
    has = np.ones(len(calendar_days), dtype=np.bool_)
    if rule.weekdays is not None:
        has &= np.isin(schedule.weekdays(calendar_days), [WEEKDAYS.index(name) for name in rule.weekdays])
    if rule.every is not None:
        from_day, to_day = rule.from_day or 1, rule.to_day or 1
        has &= (calendar_days - from_day) % rule.every <= to_day - from_day
    return has


def meets(rule: Multiplier, schedule: Schedule) -> bool:
    """Whether any play day of a schedule lies within the days of a rule."""
    first = schedule.first_play_day(rule.from_day or 1)
    # After so many days weekdays and what comes again fall together as before.
    days = schedule.calendar_days(first + np.arange(7 * (rule.every or 1), dtype=np.int64))
    within = days <= ((None if rule.every else rule.to_day) or np.inf)
    return bool((within & _has_day(rule, schedule, days)).any())
