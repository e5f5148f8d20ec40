"""When, where and why players would have quit: read off when they reached their levels."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.rules.coming import Points, come_on, own_days_reached, play_days_before
from ramulus.rules.quitting import NEVER, QuitRules
from ramulus.rules.schedule import MICROS, Schedule, in_micros, schedule_of
from ramulus.simulation.draws import PATIENCE, QUIT, own_draws, own_factors

STAYED, BY_DAY, IMPATIENT = 0, 1, 2
QUIT_REASONS = ("stayed", "left by day", "ran out of patience")


@dataclass(frozen=True, eq=False)
class Quits:
    """Who would have quit, one item a player.

    Attributes:
        reason: an index into `QUIT_REASONS`.
        level: the highest level reached by then, or by the end of play where the player stayed, from 0.
        seconds: played seconds by then; not a number where the player stayed.
        day: its own day at whose end, or on which, it quit; not a number without one.
    """

    reason: NDArray[np.int8]
    level: NDArray[np.int32]
    seconds: Array
    day: Array

    @classmethod
    def room(cls, players: int) -> Quits:
        """Return room for some players, who all stay."""
        nothing = np.full((2, players), np.nan)
        return cls(np.zeros(players, np.int8), np.zeros(players, np.int32), nothing[0], nothing[1])

    def put(self, where: slice, some: Quits) -> None:
        """Write down some of the players."""
        self.reason[where], self.level[where] = some.reason, some.level
        self.seconds[where], self.day[where] = some.seconds, some.day

    def of(self, which: NDArray[np.bool_] | slice) -> Quits:
        """Return those of some of the players."""
        return Quits(self.reason[which], self.level[which], self.seconds[which], self.day[which])


@dataclass(frozen=True, eq=False)
class QuitTimes:
    """What is drawn for each player that may quit, one item a player.

    Attributes:
        played: played millionths of a second after which the calendar makes it quit; `NEVER` where it does not.
        day: its own day at whose end that is.
        patience: its own factor on the patience of its kind.
    """

    played: NDArray[np.int64]
    day: NDArray[np.int64]
    patience: Array


def quit_times(
    rules: QuitRules, keys: NDArray[np.uint64], numbers: NDArray[np.int64], schedules: tuple[Schedule, ...],
    comes: Points = (),
) -> QuitTimes:  # fmt: skip
    """Return what is drawn for some players, known by their keys and their numbers in the profile."""
    played, day = np.full((2, len(keys)), NEVER, dtype=np.int64)
    if rules.by_day:
        draws = own_draws(keys, QUIT)
        came, missed = come_on(comes, numbers), play_days_before(comes, numbers, schedules)
        for index, schedule in enumerate(schedules):
            mine = schedule_of(numbers, len(schedules)) == index
            played[mine], day[mine] = rules.quit_after(draws[mine], schedule, came[mine], missed[mine])
    return QuitTimes(played, day, own_factors(keys, rules.patience_spread, PATIENCE))


def quits_of(
    rules: QuitRules, times: QuitTimes, arrival: Array, until: Array, numbers: NDArray[np.int64],
    schedules: tuple[Schedule, ...], comes: Points = (),
) -> Quits:  # fmt: skip
    """Return who would have quit.

    Args:
        rules: when players of the profile quit.
        times: what is drawn for them.
        arrival: played seconds at first reaching each level of the main track, else not a number; shape (n, L).
        until: how far each player is known, played seconds, shape (n,).
        numbers: the players' numbers in their profile.
        schedules: the profile's schedules.
        comes: its table of arrivals.
    """
    reached = np.where(np.isnan(arrival), np.inf, arrival)
    after = np.concatenate([reached[:, 1:], np.full((len(reached), 1), np.inf)], axis=1)
    fed_up = reached + times.patience[:, None] * rules.patience
    # The first level that is still the highest one when its hours pass what the player bears.
    impatient = np.min(np.where(after > fed_up, fed_up, np.inf), axis=1, initial=np.inf)
    by_day = np.where(times.played < NEVER, times.played / MICROS, np.inf)
    seconds = np.minimum(impatient, by_day)
    reason = np.where(by_day <= impatient, BY_DAY, IMPATIENT)
    # An award in the very moment that ends a play day belongs to the next one.
    there = np.where(
        (reason == BY_DAY)[:, None],
        in_micros(np.minimum(reached, 1e12)) < times.played[:, None],
        reached <= seconds[:, None],
    )
    quit = (seconds <= until) & ~there[:, -1]  # Whoever is at the cap by then does not quit.
    level = np.maximum(np.where(quit[:, None], there, np.isfinite(reached)).sum(axis=1) - 1, 0)
    days = own_days_reached(np.where(quit, seconds, np.nan), numbers, schedules, comes)
    days = np.where(quit & (reason == BY_DAY), times.day, days)
    return Quits(
        np.where(quit, reason, STAYED).astype(np.int8), level.astype(np.int32), np.where(quit, seconds, np.nan), days
    )
