"""What a log tells of each player's habits: pauses, hours a day, days a week, and how its times vary."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, fields
from typing import TYPE_CHECKING, TypeVar

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.recorded.following import Followed, follow
from ramulus.recorded.forecast import GONE_AFTER, Span
from ramulus.recorded.rows import Batch

if TYPE_CHECKING:
    from ramulus.design import Design

FEWEST_PAUSES = 10
AWAY = 5.0  # A pause of so many times the player's median is no pause between encounters: somebody was at the door.
WEEK = 7
Kind = TypeVar("Kind", bound=np.generic)


@dataclass(frozen=True, eq=False)
class PlayerHabits:
    """What a log tells of n players.

    Attributes:
        keys, profiles: whose it is, shape (n,).
        pause: mean seconds between encounters, not a number where there are too few, shape (n,).
        pauses: how many there are, shape (n,).
        varied, mean_squared: sums whose ratio is the squared coefficient of variation of times, shape (n,).
        day_seconds, days: seconds played on whole play days, and how many of those there are, shape (n,).
        week_days, weeks: play days in whole weeks, and how many of those there are, shape (n,).
        early_days: play days before the last fortnight of the log, shape (n,).
    """

    keys: NDArray[np.uint64]
    profiles: NDArray[np.int16]
    pause: Array
    pauses: Array
    varied: Array
    mean_squared: Array
    day_seconds: Array
    days: Array
    week_days: Array
    weeks: Array
    early_days: Array

    def of(self, which: NDArray[np.bool_]) -> PlayerHabits:
        """Return those of some of the players."""
        return PlayerHabits(*(getattr(self, field.name)[which] for field in fields(self)))


def habits_in(design: Design, batches: Iterable[Batch], span: Span) -> PlayerHabits:
    """Return what some batches tell of their players' habits, in the order of their keys."""
    parts = [_of_batch(batch, follow(design, batch, span.longest_pause), span) for batch in batches]
    names = [field.name for field in fields(PlayerHabits)]
    columns = {name: np.concatenate([getattr(part, name) for part in parts]) for name in names}
    order = np.argsort(columns["keys"], kind="stable")
    return PlayerHabits(**{name: values[order] for name, values in columns.items()})


def _of_batch(batch: Batch, followed: Followed, span: Span) -> PlayerHabits:
    pause, pauses = _pauses(batch, followed)
    varied, squared = _variation(batch, followed)
    return PlayerHabits(batch.keys, batch.profiles, pause, pauses, varied, squared, *_days(batch, followed, span))


def _pauses(batch: Batch, followed: Followed) -> tuple[Array, Array]:
    """Return the mean of each player's pauses and how many there are, but for those in which it was away."""
    mean, count = np.full(batch.players, np.nan), np.zeros(batch.players)
    for player in range(batch.players):
        mine = followed.pause[batch.starts[player] : batch.starts[player + 1]]
        some = mine[np.isfinite(mine) & (batch.rows.track[batch.starts[player] : batch.starts[player + 1]] == 0)]
        if len(some) < FEWEST_PAUSES:
            continue
        some = some[some <= AWAY * max(float(np.median(some)), 1.0)]
        mean[player], count[player] = some.mean(), len(some)
    return mean, count


def _variation(batch: Batch, followed: Followed) -> tuple[Array, Array]:
    """Return sums over successes of a player at one source and level: variances, and squared means less their noise."""
    rows = batch.rows
    once = ~_doubled(batch)
    at = np.flatnonzero((rows.track == 0) & (rows.source >= 0) & (rows.success == 1) & (rows.seconds > 0) & once)
    sources = int(rows.source.max(initial=0)) + 1
    owner = batch.owner[at]
    levels = int(followed.before.max(initial=0)) + 1
    alike = followed.before[at] * sources + rows.source[at]
    # As shares of what all take there: a few errands of minutes would outweigh all else.
    seconds = rows.seconds[at] * (np.bincount(alike) / np.maximum(np.bincount(alike, rows.seconds[at]), 1e-9))[alike]
    _, place = np.unique(owner * (levels * sources) + alike, return_inverse=True)
    count, total, squares = np.bincount(place), np.bincount(place, seconds), np.bincount(place, seconds**2)
    whose = np.zeros(len(count), np.int64)
    whose[place] = owner
    some = count >= 2
    mean = total[some] / count[some]
    variance = np.maximum(squares[some] - count[some] * mean**2, 0.0) / (count[some] - 1)
    weight = count[some] - 1
    varied = np.bincount(whose[some], weight * variance, minlength=batch.players)
    squared = np.bincount(whose[some], weight * (mean**2 - variance / count[some]), minlength=batch.players)
    return varied, squared


def _doubled(batch: Batch) -> NDArray[np.bool_]:
    """Return which rows stand there a second time: the same encounter in the same moment."""
    rows = batch.rows
    again = np.diff(batch.owner, prepend=-1) == 0
    for same in (rows.time, rows.source, rows.seconds, rows.units):
        again[1:] &= same[1:] == same[:-1]
    return np.asarray(again)


def _days(batch: Batch, followed: Followed, span: Span) -> tuple[Array, Array, Array, Array, Array]:
    """Return what `PlayerHabits` says of days and weeks: its last five."""
    day, owner = span.day_of(batch.rows.time), batch.owner
    played = np.diff(followed.clock, prepend=0.0)
    # By the times alone: two rows of one time are no sitting, and not every log says how long an encounter took.
    sits_down = np.diff(batch.rows.time, prepend=-np.inf) > span.longest_pause
    sits_down[batch.starts[:-1]] = True
    # A sitting's first encounter is not on its clock: it takes as long as the player's others do in the mean.
    played[sits_down] = 0.0
    steps = np.bincount(owner[~sits_down], minlength=batch.players)
    mean = np.bincount(owner, played, minlength=batch.players) / np.maximum(steps, 1)
    played[sits_down] = mean[owner[sits_down]]
    most = int(day.max(initial=0)) + 1
    _, place = np.unique(owner * most + day, return_inverse=True)
    seconds = np.bincount(place, played)
    whose, which = np.zeros(len(seconds), np.int64), np.zeros(len(seconds), np.int64)
    whose[place], which[place] = owner, day
    first, last = day[batch.starts[:-1]], day[batch.starts[1:] - 1]
    whole = which < last[whose]  # Nobody knows whether it meant to play on, on its last day.
    weeks = (last - first) // WEEK
    early = which < int(span.day_of(np.array([span.ends - GONE_AFTER]))[0])
    in_weeks = which - first[whose] < WEEK * weeks[whose]
    by_player = {"minlength": batch.players}
    return (
        np.bincount(whose[whole], seconds[whole], **by_player).astype(float),
        np.bincount(whose[whole], **by_player).astype(float),
        np.bincount(whose[in_weeks], **by_player).astype(float),
        weeks.astype(float),
        np.bincount(whose[early], **by_player).astype(float),
    )


def of_players(wanted: NDArray[np.uint64], keys: NDArray[np.uint64], values: NDArray[Kind]) -> NDArray[Kind]:
    """Return values that are known by sorted keys, for other keys; anything for keys that are not known."""
    return values[np.minimum(np.searchsorted(keys, wanted), len(keys) - 1)]
