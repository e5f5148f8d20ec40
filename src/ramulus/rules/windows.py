"""Windows in time: calendar days and first minutes of a day, as intervals of played seconds."""

from __future__ import annotations

import math
from dataclasses import dataclass
from fractions import Fraction
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.rules.multipliers import always_on

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.design.multiplier import Multiplier
    from ramulus.design.player import Player

MOST_DAYS = 200_000


@dataclass(frozen=True, eq=False)
class Timeline:
    """Which rules are on at each played second of one profile.

    Attributes:
        borders: where the set of active rules changes, played seconds, rising, the first is 0; shape (B,).
        state: the index into `states` from each border on, shape (B,).
        states: the sets of rules that are ever on together.
    """

    borders: Array
    state: NDArray[np.int64]
    states: tuple[frozenset[int], ...]

    def rules_on(self, seconds: float) -> frozenset[int]:
        """Return the rules that are on at a played second; a border belongs to what begins there."""
        return self.states[int(self.state[np.searchsorted(self.borders, seconds, side="right") - 1])]


def seconds_per_day(player: Player) -> float:
    """Return the played seconds of one play day, exact for hours such as 0.8."""
    return float(_exact_day(player))


def _exact_day(player: Player) -> Fraction:
    return Fraction(repr(float(player.hours_per_day or 24))) * 3600


def calendar_day(player: Player, seconds: Array) -> Array:
    """Return the calendar day (the first is 1) of played seconds; not a number without a schedule."""
    if not player.has_schedule:
        return np.full(np.shape(seconds), np.nan)
    day = np.floor(np.asarray(seconds, dtype=np.float64) / seconds_per_day(player))
    return np.asarray(7 * (day // player.week) + day % player.week + 1)


def timeline(design: Design, player: Player, hours: float) -> Timeline:
    """Return which multipliers are on when, for a profile over some played hours."""
    always = always_on(design)
    spans: list[tuple[int, float, float]] = []
    for index, rule in enumerate(design.multipliers):
        if rule.timed and player.has_schedule:
            spans += [(index, start, end) for start, end in _spans(rule, player, hours * 3600)]
    borders = np.unique([0.0, *(edge for _, start, end in spans for edge in (start, end))])
    active: list[set[int]] = [set(always) for _ in borders]
    for index, start, end in spans:
        first, last = np.searchsorted(borders, [start, end])
        for i in range(int(first), int(last)):
            active[i].add(index)
    sets = [frozenset(rules) for rules in active]
    states = tuple(dict.fromkeys(sets))
    return Timeline(borders, np.array([states.index(rules) for rules in sets], dtype=np.int64), states)


def _spans(rule: Multiplier, player: Player, horizon: float) -> list[tuple[float, float]]:
    """Return the played seconds [start, end) at which a timed rule is on."""
    day = _exact_day(player)
    first = _first_play_day(player, rule.from_day or 1)
    last = None if rule.to_day is None else _first_play_day(player, rule.to_day + 1)
    if rule.first_minutes_of_day is None:
        end = math.inf if last is None else float(day * last)
        return [(float(day * first), end)] if end > float(day * first) else []
    played = min(int(horizon / day) + 2, MOST_DAYS)
    minutes = min(Fraction(repr(float(rule.first_minutes_of_day))) * 60, day)
    days = range(first, played if last is None else min(last, played))
    return [(float(day * d), float(day * d + minutes)) for d in days]


def _first_play_day(player: Player, calendar: int) -> int:
    """Return the first play day (from 0) that is not before a calendar day (from 1)."""
    weeks, rest = divmod(calendar - 1, 7)
    return weeks * player.week + min(rest, player.week)
