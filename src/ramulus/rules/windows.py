"""Windows in time: calendar days and first minutes of a day, as intervals of played time.

Time is counted in whole millionths of a second, so that 2.4 h at 0.8 h a day is the third border exactly, however the
hours were added up.
"""

from __future__ import annotations

from dataclasses import dataclass
from fractions import Fraction
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.rules.evaluating import fault
from ramulus.rules.multipliers import always_on

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.design.multiplier import Multiplier
    from ramulus.design.player import Player

MICROS = 1_000_000
MOST_DAYS = 1_000_000
NEVER = 2**62

Micros = NDArray[np.int64]
Spans = tuple[Micros, Micros]


@dataclass(frozen=True, eq=False)
class Timeline:
    """Which rules are on at each moment of one profile's played time.

    Attributes:
        borders: where the set of active rules changes, played millionths of a second, rising, the first is 0,
            shape (B,).
        state: the index into `states` from each border on, shape (B,).
        states: the sets of rules that are ever on together.
    """

    borders: Micros
    state: NDArray[np.int64]
    states: tuple[frozenset[int], ...]

    def rules_on(self, seconds: float) -> frozenset[int]:
        """Return the rules that are on at a played second; a border belongs to what begins there."""
        return self.states[int(self.state[np.searchsorted(self.borders, in_micros(seconds), side="right") - 1])]

    @property
    def border_seconds(self) -> Array:
        """The least played seconds that count as each border, shape (B,)."""
        return np.asarray((self.borders - 0.5) / MICROS)


def in_micros(seconds: Array | float) -> Micros:
    """Return seconds as whole millionths, the nearest."""
    return np.asarray(np.floor(np.asarray(seconds, dtype=np.float64) * MICROS + 0.5)).astype(np.int64)


def micros_per_day(player: Player) -> int:
    """Return the played millionths of a second of one play day."""
    return round(Fraction(repr(float(player.hours_per_day or 24))) * 3600 * MICROS)


def calendar_day(player: Player, seconds: Array) -> Array:
    """Return the calendar day (the first is 1) of played seconds; not a number without a schedule or a time."""
    known = np.isfinite(seconds) & player.has_schedule
    day = in_micros(np.where(known, seconds, 0.0)) // micros_per_day(player)
    return np.where(known, 7 * (day // player.week) + day % player.week + 1, np.nan)


def timeline(design: Design, player: Player, hours: float) -> Timeline:
    """Return which multipliers are on when, for a profile over some played hours.

    Raises:
        DesignError: a rule goes on and off too often to be counted.
    """
    always = always_on(design)
    timed = [index for index, rule in enumerate(design.multipliers) if rule.timed and player.has_schedule]
    if not timed:
        return Timeline(np.zeros(1, np.int64), np.zeros(1, np.int64), (always,))
    spans = [_spans(design.multipliers[index], f"multipliers[{index}]", player, hours) for index in timed]
    edges = [edge[edge < NEVER] for span in spans for edge in span]
    borders = np.unique(np.concatenate([np.zeros(1, np.int64), *edges]))
    # A rule is on where more of its spans have started than have ended.
    on = np.array([np.searchsorted(a, borders, "right") > np.searchsorted(b, borders, "right") for a, b in spans])
    columns, state = np.unique(on, axis=1, return_inverse=True)
    states = tuple(always | {timed[i] for i in np.nonzero(column)[0].tolist()} for column in columns.T)
    return Timeline(borders, state.reshape(-1).astype(np.int64), states)


def _spans(rule: Multiplier, place: str, player: Player, hours: float) -> Spans:
    """Return the starts and ends of the played time [start, end) in which a timed rule is on."""
    day = micros_per_day(player)
    first = _first_play_day(player, rule.from_day or 1)
    last = None if rule.to_day is None else _first_play_day(player, rule.to_day + 1)
    if rule.first_minutes_of_day is None:
        ends = np.array([NEVER if last is None else day * last], dtype=np.int64)
        starts = np.array([day * first], dtype=np.int64)
        return starts[starts < ends], ends[starts < ends]
    played = int(hours * 3600 * MICROS / day) + 2
    days = range(first, played if last is None else min(last, played))
    if len(days) > MOST_DAYS:
        found = f"it goes on and off {len(days):,} times within {hours:g} h of {player.hours_per_day:g} h a day"
        raise fault(f"{place}.first_minutes_of_day", found, f"at most {MOST_DAYS:,} play days", "design-too-large")
    minutes = min(round(Fraction(repr(float(rule.first_minutes_of_day))) * 60 * MICROS), day)
    starts = day * np.arange(days.start, days.stop, dtype=np.int64)
    return starts, starts + minutes


def meets(rule: Multiplier, player: Player) -> bool:
    """Whether any play day of a profile lies within the days of a rule."""
    if rule.to_day is None:
        return True
    return _first_play_day(player, rule.from_day or 1) < _first_play_day(player, rule.to_day + 1)


def _first_play_day(player: Player, calendar: int) -> int:
    """Return the first play day (from 0) that is not before a calendar day (from 1)."""
    weeks, rest = divmod(calendar - 1, 7)
    return weeks * player.week + min(rest, player.week)
