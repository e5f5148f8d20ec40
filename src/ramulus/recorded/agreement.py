"""Whether recorded players and those of a forecast are of one kind: one verdict, not one a level."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.recorded.seen import Effects, Seen
from ramulus.recorded.survival import residuals

PERMUTATIONS = 999
LEAST_ENDS = 5.0  # Expected ends of a level among the recorded players, below which it tells too little.
LEAST_MET = 3  # Encounters of a player at a source.
LEAST_PLAYERS = 5
LEAST_AT_SOURCE = 10  # Players who met a source: the means of fewer are far off too often.
FULLY_TOLD = (
    20.0  # Encounters past which a player hardly tells more: who is slow has more of them, and must not weigh more.
)
MOST_CULPRITS = 3
ALPHA = 0.05
FURTHER = 0.01  # A second thing that differs is looked for because there was a first one: it has to be surer.


class Culprit(NamedTuple):
    """What differs.

    Attributes:
        place: a source by its place; −1: the pause between encounters.
        what: "seconds", "success" or "pause".
        effect: how many times as long, or for successes the difference of their share.
        low, high: its 95 % interval.
        p: how likely so large a difference of anything is by chance.
    """

    place: int
    what: str
    effect: float
    low: float
    high: float
    p: float


@dataclass(frozen=True)
class Agreement:
    """What came of holding recorded players against those of a forecast.

    Attributes:
        p: how likely players of the forecast differ that much by chance; not a number where too little is known.
        speed, within: p of how fast players are over all, and of how long they stay within levels.
        worst_level: the level, from 0, at which they differ most, or −1.
        culprits: what differs beyond chance, the surest first.
        encounters: p of how encounters go; not a number where the log does not say.
    """

    p: float
    speed: float
    within: float
    worst_level: int
    culprits: tuple[Culprit, ...] = ()
    encounters: float = math.nan

    @property
    def verdict(self) -> str:
        """Whether they agree: "agrees", "differs", or "open" where too little is known."""
        if not math.isfinite(self.p):
            return "open"
        return "differs" if self.p < ALPHA else "agrees"


def agreement(recorded: Seen, forecast: Seen, seed: int) -> Agreement:
    """Hold recorded players against those of a forecast that is cut as they are.

    Speed: the logs of played seconds to the last level reached over the forecast's median there, by pooled ranks.
    Within levels: each player's residual, permuted by whole players, the largest of all levels. Encounters: the same
    for log seconds and success at each source beside the player's others, and for the pause. Each is a test of its own,
    so that p is as many times the least of them.

    Args:
        recorded, forecast: the players.
        seed: of the permutations.
    """
    if min(len(recorded), len(forecast)) < LEAST_PLAYERS:
        return Agreement(math.nan, math.nan, math.nan, -1)
    is_recorded = np.append(np.ones(len(recorded), np.bool_), np.zeros(len(forecast), np.bool_))
    chance = np.random.default_rng([seed, 0x0B5])
    orders = np.array([chance.permutation(is_recorded) for _ in range(PERMUTATIONS)])
    speed = _speed(recorded, forecast)
    within, worst = _within(recorded, forecast, is_recorded, orders)
    encounters, culprits = math.nan, tuple[Culprit, ...]()
    if recorded.effects is not None and forecast.effects is not None:
        encounters, culprits = _encounters(recorded.effects, forecast.effects, is_recorded, orders)
    known = [p for p in (speed, within, encounters) if math.isfinite(p)]
    p = min(1.0, len(known) * min(known)) if known else math.nan
    return Agreement(p, speed, within, worst, culprits, encounters)


def _speed(recorded: Seen, forecast: Seen) -> float:
    """Return p of how fast players are over all."""
    from scipy.stats import mannwhitneyu

    reached = forecast.arrival.shape[1]
    medians = np.array([_median(forecast.arrival[:, level]) for level in range(reached)])
    one, other = (_log_of_last(seen, medians) for seen in (recorded, forecast))
    if min(len(one), len(other)) < LEAST_PLAYERS:
        return math.nan
    return float(mannwhitneyu(one, other, method="asymptotic").pvalue)


def _median(values: Array) -> float:
    known = values[np.isfinite(values)]
    return float(np.median(known)) if len(known) >= LEAST_PLAYERS else math.nan


def _log_of_last(seen: Seen, medians: Array) -> Array:
    level = seen.last_level
    some = level > 0
    ends = seen.arrival[np.flatnonzero(some), level[some]]
    with np.errstate(divide="ignore", invalid="ignore"):
        logs = np.log(ends / medians[level[some]])
    return logs[np.isfinite(logs)]


def time_in_levels(seen: Seen) -> tuple[Array, NDArray[np.bool_]]:
    """Return how long each player stayed within each level as far as it was seen, and whether it finished it.

    Returns:
        Seconds, not a number where it never was in the level, and whether it finished; shape (n, L − 1) each.
    """
    start = seen.arrival[:, :-1]
    done = np.isfinite(seen.arrival[:, 1:])
    finish = np.where(done, seen.arrival[:, 1:], seen.end[:, None])
    return np.where(np.isfinite(start), finish - start, np.nan), done


def _within(
    recorded: Seen, forecast: Seen, is_recorded: NDArray[np.bool_], orders: NDArray[np.bool_]
) -> tuple[float, int]:
    """Return p of how long players stay within levels, and the level at which that differs most."""
    times, done = (
        np.concatenate(pair) for pair in zip(time_in_levels(recorded), time_in_levels(forecast), strict=True)
    )
    table, there, levels = [], [], []
    for level in range(times.shape[1]):
        here = np.isfinite(times[:, level])
        # Who gains several levels at once was in those between for no time at all.
        here &= (times[:, level] > 0) | done[:, level]
        if here.sum() < 2 * LEAST_PLAYERS or (here & is_recorded).sum() < LEAST_PLAYERS:
            continue
        left, expected = residuals(times[here, level], done[here, level])
        if expected * (here & is_recorded).sum() / here.sum() < LEAST_ENDS:
            continue
        column = np.zeros(len(here))
        column[here] = left
        table.append(column)
        there.append(here)
        levels.append(level)
    if not levels:
        return math.nan, -1
    z, largest = _largest(np.array(table).T, np.array(there, dtype=np.float64).T, is_recorded, orders)
    return largest, levels[int(np.argmax(np.abs(z)))]


def _largest(
    values: Array, weights: Array, is_recorded: NDArray[np.bool_], orders: NDArray[np.bool_]
) -> tuple[Array, float]:
    """Return how far the groups are apart in each column, and p of the largest of them, permuted by whole players.

    Args:
        values: a number a player and column, 0 where it has none, shape (n, C).
        weights: how much each tells, 0 where a player has none, shape (n, C).
        is_recorded: which players are recorded.
        orders: the same for each permutation, shape (P, n).
    """
    z = _apart(values, weights, is_recorded[None, :])[0]
    permuted = np.abs(_apart(values, weights, orders)).max(axis=1)
    return z, float((1 + (permuted >= np.abs(z).max() - 1e-12).sum()) / (1 + len(orders)))


def _apart(values: Array, weights: Array, groups: NDArray[np.bool_]) -> Array:
    """Return the difference of the groups' weighted means in each column over its error, a row a grouping."""
    one = groups.astype(np.float64)
    mean = (weights * values).sum(axis=0) / weights.sum(axis=0)
    left = weights * (values - mean)
    weight, shift, square = one @ weights, one @ left, one @ left**2
    others = (weights.sum(axis=0) - weight, left.sum(axis=0) - shift, (left**2).sum(axis=0) - square)
    with np.errstate(divide="ignore", invalid="ignore"):
        z = (shift / weight - others[1] / others[0]) / np.sqrt(square / weight**2 + others[2] / others[0] ** 2)
    return np.asarray(np.nan_to_num(z))


def _encounters(
    recorded: Effects, forecast: Effects, is_recorded: NDArray[np.bool_], orders: NDArray[np.bool_]
) -> tuple[float, tuple[Culprit, ...]]:
    """Return p of how encounters go, and what differs beyond chance.

    A source that differs makes the others look as if they did, too, the other way round: once it is named it is left
    out, and the others are held against each other.
    """
    first, found, left_out = math.nan, list[Culprit](), list[int]()
    while len(found) < MOST_CULPRITS:
        columns = [_columns(one.without(left_out)) for one in (recorded, forecast)]
        values, weights = (np.concatenate(parts) for parts in zip(*columns, strict=True))
        enough = ((weights > 0) & is_recorded[:, None]).sum(axis=0) >= LEAST_AT_SOURCE
        enough &= ((weights > 0) & ~is_recorded[:, None]).sum(axis=0) >= LEAST_AT_SOURCE
        enough[-1] &= all(one.what != "pause" for one in found)
        if not enough.any():
            break
        z, p = _largest(values[:, enough], weights[:, enough], is_recorded, orders)
        first = p if math.isnan(first) else first
        if p >= (FURTHER if found else ALPHA):
            break
        column = int(np.flatnonzero(enough)[np.argmax(np.abs(z))])
        culprit = _culprit(column, (values.shape[1] - 1) // 2, values[:, column], weights[:, column], is_recorded, p)
        found.append(culprit)
        left_out += [culprit.place] if culprit.place >= 0 else []
    return first, tuple(found)


def _columns(effects: Effects) -> tuple[Array, Array]:
    """Return what differs at each source beside a player's others, in log seconds and successes; and in the pause.

    Returns:
        The differences, 0 where there is none, and how much each tells; shape (n, 2 S + 1) each.
    """
    seconds = _beside_others(effects.seconds, effects.timed)
    success = _beside_others(effects.success, effects.met)
    with np.errstate(divide="ignore", invalid="ignore"):
        pause = np.log(effects.pause / effects.pauses)
        own = effects.seconds.sum(axis=1) / effects.timed.sum(axis=1)  # Who is slow is so in pauses, too.
    there = np.isfinite(pause - own) & (effects.pauses >= LEAST_MET)
    last = (np.where(there, pause - own, 0.0)[:, None], there.astype(np.float64)[:, None])
    parts = zip(seconds, success, last, strict=True)
    values, weights = (np.concatenate(part, axis=1) for part in parts)
    return values, weights


def _beside_others(sums: Array, counts: Array) -> tuple[Array, Array]:
    """Return means at each source less those at the others, and how much each tells."""
    others, their = sums.sum(axis=1, keepdims=True) - sums, counts.sum(axis=1, keepdims=True) - counts
    there = (counts >= LEAST_MET) & (their >= LEAST_MET)
    with np.errstate(divide="ignore", invalid="ignore"):
        found = sums / counts - others / their
        weight = 1.0 / (1.0 / counts + 1.0 / their + 1.0 / FULLY_TOLD)
    return np.where(there, found, 0.0), np.where(there, weight, 0.0)


def _culprit(
    column: int, sources: int, values: Array, weights: Array, is_recorded: NDArray[np.bool_], p: float
) -> Culprit:
    (one, one_error), (other, other_error) = (
        _weighted_mean(values[group], weights[group]) for group in (is_recorded, ~is_recorded)
    )
    shift, error = one - other, 1.96 * math.hypot(one_error, other_error)
    ends = (shift, shift - error, shift + error)
    if sources <= column < 2 * sources:
        return Culprit(column - sources, "success", *ends, p)
    place, what = (column, "seconds") if column < sources else (-1, "pause")
    return Culprit(place, what, math.exp(ends[0]), math.exp(ends[1]), math.exp(ends[2]), p)


def _weighted_mean(values: Array, weights: Array) -> tuple[float, float]:
    """Return a weighted mean and its error."""
    total = float(weights.sum())
    mean = float((weights * values).sum()) / total
    return mean, math.sqrt(float(((weights * (values - mean)) ** 2).sum())) / total
