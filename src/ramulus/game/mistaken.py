"""A game that makes mistakes: the rule at a threshold, with some of them put in. Without any it is the design's own.

It is written apart from `rules/overflow.py`, and held against it, so that what vectors are chosen by is not the very
code they are to test.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import NamedTuple

import numpy as np

from ramulus.game.mistakes import OLDER_COST
from ramulus.game.pack import TrackPack

BILLION = 10**9
AWARD, LOSE, RELOAD, OPEN = "award", "lose", "reload", "open_gate"
_AT_CAP = {"discards-at-cap": "discard", "fills-at-cap": "fill", "banks-at-cap": "bank"}
Step = tuple[str, int]


def opened(track: TrackPack) -> tuple[Step, ...]:
    """Return the steps that open every gate of a track."""
    return tuple((OPEN, gate.at_level) for gate in track.gates)


def _in_parts(units: float, share: int) -> float:
    """Return a share of some units that is not rounded: whole numbers stay exact, whatever their size."""
    if units != int(units):
        return units * share / BILLION
    whole, part = divmod(int(units) * share, BILLION)
    return whole + part / BILLION if part else whole


class State(NamedTuple):
    """What a game can tell after a step; XP in units, a fraction where it keeps one."""

    level: int
    xp: float
    points: float
    level_ups: int
    wasted: float = 0


class Game:
    """One character of a game that makes some mistakes."""

    def __init__(self, track: TrackPack, mistakes: Iterable[str] = ()) -> None:
        self.track, self.mistakes = track, frozenset(mistakes)
        self.costs = self._costs()
        # A search asks these a million times: what does not change is looked up once.
        makes = self.mistakes.__contains__
        self.cap = len(self.costs) + makes("cap-one-high") - makes("cap-one-low")  # The last level, from 0.
        self._keeps_cost = makes("old-cost-goes-on")
        self._one = makes("one-level-an-award") or (track.one and not makes("any-for-one"))
        self._above = (track.exceeded or makes("above-for-reached")) and not makes("reached-for-above")
        self._sums_exactly = not (makes("sums-of-32-bits") or makes("sums-in-single-precision"))
        self._books_twice, self._loses_rest = makes("booked-twice"), makes("rest-lost")
        self._at_cap = next((way for code, way in _AT_CAP.items() if makes(code)), track.at_cap)
        self._grows_past_cap = makes("grows-past-cap")
        self._subtracts_new = makes("new-cost-subtracted")
        self.level = 0
        self.xp: float = track.start_units
        self.peak, self.points = 0, track.start_points
        self.level_ups = 1 if "level-up-at-start" in self.mistakes else 0
        self.wasted = 0.0
        self.shut = {gate.at_level - track.start_level: gate.fills for gate in track.gates}

    def _costs(self) -> list[int]:
        costs = list(self.track.costs)
        if "table-shifted-up" in self.mistakes:
            costs = [*costs[1:], costs[-1]]
        if "table-shifted-down" in self.mistakes:
            costs = [costs[0], *costs[:-1]]
        for mistake in self.mistakes:
            if mistake.startswith(OLDER_COST):
                level, more = mistake.removeprefix(f"{OLDER_COST}-").split("-")
                costs[int(level) - self.track.start_level] += 1 if more == "more" else -1
        return costs

    @property
    def state(self) -> State:
        """Where the character stands."""
        return State(self.track.start_level + self.level, self.xp, self.points, self.level_ups, self.wasted)

    def stand(self, state: State, shut: dict[int, bool]) -> None:
        """Put the character where another one stands, before the same shut gates, as if it had come there by itself."""
        self.shut = dict(shut)
        self.level, self.xp, self.points = state.level - self.track.start_level, state.xp, state.points
        self.peak, self.wasted, self.level_ups = max(self.peak, self.level), state.wasted, state.level_ups

    def does(self, steps: Iterable[Step]) -> list[State]:
        """Return where the character stands, at first and after each step."""
        states = [self.state]
        for step in steps:
            self.take(step)
            states.append(self.state)
        return states

    def take(self, step: Step) -> None:
        """Do one step."""
        kind, units = step
        self.level_ups = 0
        if kind == AWARD:
            self.award(units)
        elif kind == LOSE:
            self.lose(units)
        elif kind == OPEN:
            self.shut.pop(units - self.track.start_level, None)
            self.award(0)
        elif "save-without-xp" in self.mistakes:
            self.xp = 0

    def is_elsewhere(self, right: State, *, level_only: bool) -> bool:
        """Return whether the character does not stand where another one does."""
        if self.track.start_level + self.level != right.level:
            return True
        return not level_only and (self.xp, self.points, self.level_ups) != right[1:4]

    # --- awards ------------------------------------------------------------------------------------------------

    def award(self, units: int) -> None:
        """Book an award."""
        before, had = self.level, self.xp
        self.xp = self._sum(had, units)
        if before == self.cap:
            self.xp = self._held_at_cap(was_there=True)
        else:
            cost = self._cost(before)
            if self._books_twice and self.xp == cost:
                self.xp += units
            if self._reaches(cost):  # Most awards only add up.
                self._rise(cost)
                self._grant(before)
        # What went in and neither paid for a level nor is still there.
        self.wasted += had + units - sum(self.costs[before : self.level]) - self.xp

    def _rise(self, cost: int) -> None:
        """Go up as far as XP that reaches the cost of the level leads."""
        before, held_at = self.level, self._held_at
        while self.level < held_at and self._reaches(cost):
            self._go_up()
            if self._one:
                break
            cost = cost if self._keeps_cost else self._cost(self.level)
        if self._loses_rest and self.level - before > 1:
            self.xp = 0
        if self.level == self.cap:
            self.xp = self._held_at_cap(was_there=False)
        elif self.level == held_at and self._fills(self.level):
            self.xp = min(self.xp, self._cost(self.level))

    @property
    def _held_at(self) -> int:
        """The level that nobody leaves now: that of the next shut gate, or the cap."""
        if not self.shut or "gates-ignored" in self.mistakes:
            return self.cap
        return min([*(gate for gate in self.shut if gate >= self.level), self.cap])

    def _fills(self, gate: int) -> bool:
        if "fills-at-gates" in self.mistakes or "keeps-at-gates" in self.mistakes:
            return "fills-at-gates" in self.mistakes
        return self.shut[gate]

    def _cost(self, level: int) -> int:
        return self.costs[level] if level < len(self.costs) else self.costs[-1]

    def _sum(self, xp: float, units: int) -> float:
        if self._sums_exactly:
            return xp + units
        if "sums-of-32-bits" in self.mistakes:
            return (int(xp) + units + 2**31) % 2**32 - 2**31
        return float(np.float32(np.float32(xp) + np.float32(units)))

    def _reaches(self, cost: int) -> bool:
        return self.xp > cost if self._above else self.xp >= cost

    def _go_up(self) -> None:
        excess = self.xp - self._cost(self.level + self._subtracts_new)
        self.level += 1
        self.level_ups += 1
        self.xp = self._kept(excess)

    def _kept(self, excess: float) -> float:
        track, mistakes = self.track, self.mistakes
        if "excess-dropped" in mistakes:
            return 0
        share = BILLION // 2 if "half-kept" in mistakes else track.carry
        if "kept-not-rounded" in mistakes:
            kept = _in_parts(excess, share)
            return min(kept, _in_parts(1, self._limit)) if self._limited else kept
        if "carry-in-doubles" in mistakes:
            kept = math.floor(excess * (share / BILLION))
            kept = (
                min(kept, math.floor(self._cost(self.level) * (track.carry_limit / BILLION))) if self._limited else kept
            )
            return kept - kept % track.scale if track.whole else kept
        exact = int(excess) * share
        exact = min(exact, self._limit) if self._limited else exact
        return self._rounded(exact)

    @property
    def _limited(self) -> bool:
        return self.track.carry_limit >= 0 and self.level < len(self.costs)

    @property
    def _limit(self) -> int:
        return self._cost(self.level) * self.track.carry_limit

    def _rounded(self, billionths: int) -> int:
        """Return what is kept, in units, rounded as the design or the mistake has it."""
        step = self.track.scale if self.track.whole or "kept-rounded-down" in self.mistakes else 1
        unit = BILLION * step
        if "kept-rounded-up" in self.mistakes:
            return -(-billionths // unit) * step
        if "kept-rounded-nearest" in self.mistakes:
            return (2 * billionths + unit) // (2 * unit) * step
        # The design rounds to the unit first, and then to whole XP: the same as at once.
        return billionths // unit * step

    def _held_at_cap(self, was_there: bool) -> float:
        way = "bank" if was_there and self._grows_past_cap else self._at_cap
        if way == "discard":
            return 0
        return min(self.xp, self.costs[-1]) if way == "fill" else self.xp

    def _grant(self, before: int) -> None:
        granted, again = self.track.granted, "points-again" in self.mistakes
        last = min(self.level, len(granted) - 1)
        first = before if again else self.peak
        if last > first:
            if "points-once-an-award" in self.mistakes:
                first = last - 1
            self.points += granted[last] - granted[first]
        self.peak = max(self.peak, last)

    # --- losses ------------------------------------------------------------------------------------------------

    def lose(self, units: int) -> None:
        """Take XP away."""
        if "losses-ignored" in self.mistakes:
            return
        if "losses-below-zero" in self.mistakes:
            self.xp -= units
            return
        taken = min(units, self.xp)
        self.xp -= taken
        left = units - taken
        while left > 0 and self.track.may_drop and self.level > 0 and "levels-never-dropped" not in self.mistakes:
            self.level -= 1
            part = min(left, self._cost(self.level))
            self.xp = self._cost(self.level) - part
            left -= part
