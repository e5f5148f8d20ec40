"""A trait that varies from player to player: its mean and spread, from how long encounters took and how they ended."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from ramulus.design.trait import WITHIN_SDS, VaryingTrait
from ramulus.formula.functions import Array
from ramulus.recorded.following import follow
from ramulus.recorded.habits import of_players
from ramulus.recorded.rows import Batch, Ints
from ramulus.rules.tabulation import tabulated

if TYPE_CHECKING:
    from ramulus.design import Design

GRID, FINE = 41, 601
NEVER = 1e-12
# Standard error of a logarithm from which on next to nothing is known: the interval spans a factor of fifty each way.
BARELY = 2.0


class TraitTables:
    """Seconds and success at each level and source for a trait at each value of a grid.

    Attributes:
        values: the grid, shape (G,).
        seconds, success: shape (G, L, S); not a number where they hang on a skill, too.
    """

    def __init__(self, design: Design, profile: str, trait: str) -> None:
        varying = design.profile(profile).traits[trait]
        assert isinstance(varying, VaryingTrait)
        self.values = np.linspace(*_reach(varying), GRID)
        tables = [_tables(design, profile, trait, float(value)) for value in self.values]
        self.seconds, self.success = (np.stack([one[at] for one in tables]) for at in (0, 1))

    @property
    def tells(self) -> bool:
        """Whether anything hangs on the trait."""
        return any(bool((part.max(axis=0) - part.min(axis=0) > 1e-9).any()) for part in (self.seconds, self.success))


def _reach(varying: VaryingTrait) -> tuple[float, float]:
    """Return between which values a trait is looked for."""
    mean, sd = float(varying.mean), max(float(varying.sd), 0.05 * abs(float(varying.mean)), 1e-3)
    low = varying.at_least if varying.at_least is not None else mean - WITHIN_SDS * sd
    high = varying.at_most if varying.at_most is not None else mean + WITHIN_SDS * sd
    return (max(float(low), 1e-3 * abs(mean)) if mean > 0 else float(low)), float(high)


def _tables(design: Design, profile: str, trait: str, value: float) -> tuple[Array, Array]:
    """Return seconds and success by level and source, shape (L, S), with a trait at one value for all."""
    data = design.to_dict()
    data["players"][profile]["traits"][trait] = value
    fixed = type(design).from_dict(data, file=design.file)
    tables = tabulated(fixed)
    encounters = tables.profile(profile).encounters
    columns = tables.columns
    found = []
    for part in (encounters.seconds, encounters.success):
        by_source = np.full((part.shape[0], len(design.sources)), np.nan)
        for source in range(len(design.sources)):
            mine = part[:, columns.of([source])]
            if (mine.max(axis=1) - mine.min(axis=1) <= 1e-9).all():
                by_source[:, source] = mine[:, 0]
        found.append(by_source)
    return found[0], found[1]


def likelihoods(
    design: Design, batches: Iterable[Batch], profile: int, tables: TraitTables, own: Mapping[str, Any],
    variation: float, longest_pause: float,
) -> tuple[Array, NDArray[np.uint64]]:  # fmt: skip
    """Return the log likelihood of each player's encounters for the trait at each value, shape (n, G), and their keys.

    Args:
        design: the design.
        batches: the rows.
        profile: the profile's place.
        tables: of the trait.
        own: keys, sorted, and the players' own factors on time.
        variation: the coefficient of variation of times.
        longest_pause: seconds.
    """
    parts, keys = [], []
    for batch in batches:
        mine = batch.profiles == profile
        if not mine.any():
            continue
        factors = of_players(batch.keys, own["keys"], own["factors"])
        parts.append(_of_batch(design, batch, tables, factors, variation, longest_pause)[mine])
        keys.append(batch.keys[mine])
    return np.concatenate(parts), np.concatenate(keys)


def _of_batch(
    design: Design, batch: Batch, tables: TraitTables, own: Array, variation: float, longest_pause: float
) -> Array:  # fmt: skip
    rows, players = batch.rows, batch.players
    at = batch.encounters
    level: Ints = follow(design, batch, longest_pause).before[at].astype(np.int64)
    source, owner = rows.source[at].astype(np.int64), batch.owner[at]
    found = np.zeros((players, len(tables.values)))
    ended = rows.success[at] >= 0
    timed = (rows.success[at] == 1) & np.isfinite(rows.seconds[at]) & np.isfinite(own[owner])
    seconds = rows.seconds[at] / own[owner]
    for place in range(len(tables.values)):
        chance = np.clip(tables.success[place][level, source], NEVER, 1 - NEVER)
        told = ended & np.isfinite(chance)
        logs = np.where(rows.success[at] == 1, np.log(chance), np.log1p(-chance))
        found[:, place] += np.bincount(owner[told], logs[told], minlength=players)
        expected = tables.seconds[place][level, source]
        has = timed & np.isfinite(expected)
        mean = np.bincount(owner[has], expected[has], minlength=players)
        spread = max(variation, 0.01) * np.sqrt(np.bincount(owner[has], expected[has] ** 2, minlength=players))
        total = np.bincount(owner[has], seconds[has], minlength=players)
        with np.errstate(divide="ignore", invalid="ignore"):
            log = -0.5 * ((total - mean) / spread) ** 2 - np.log(spread)
        found[:, place] += np.where(np.isfinite(log), log, 0.0)
    return found


def refined(values: Array, logs: Array) -> tuple[Array, Array]:
    """Return log likelihoods over a finer grid: who was seen for long is known more finely than tables are made."""
    from scipy.interpolate import CubicSpline

    fine = np.linspace(values[0], values[-1], FINE)
    return fine, np.asarray(CubicSpline(values, logs, axis=1)(fine))


def mean_and_sd(
    values: Array, logs: Array, varying: VaryingTrait
) -> tuple[tuple[float, float, float], tuple[float, float, float]]:
    """Return mean and standard deviation of a normal, cut off at its ends, by maximum likelihood, with intervals.

    Each player's own likelihood is summed over the values that it may have, so that its uncertainty counts.

    Args:
        values: the grid, shape (G,).
        logs: log likelihoods, shape (n, G).
        varying: the trait, with its ends.
    """
    from scipy.optimize import minimize

    values, logs = refined(values, logs)
    best = np.exp(logs - logs.max(axis=1, keepdims=True))

    def lost(point: Array) -> float:
        mean, sd = float(point[0]), math.exp(float(point[1]))
        weight = np.exp(-0.5 * ((values - mean) / sd) ** 2)
        total = weight.sum()
        return -float(np.log(np.maximum(best @ weight / max(total, 1e-300), 1e-300)).sum())

    start = np.array([values[np.argmax(logs, axis=1)].mean(), math.log(max(float(varying.sd), 0.02))])
    found = minimize(lost, start, method="Nelder-Mead", options={"xatol": 1e-5, "fatol": 1e-5, "maxiter": 600})
    errors = _errors(lost, found.x)
    mean, log_sd = (float(one) for one in found.x)
    if not errors[1] < BARELY:
        unknown = (math.nan, math.nan, math.nan)
        return ((mean, mean - 1.96 * errors[0], mean + 1.96 * errors[0]), unknown)
    return (
        (mean, mean - 1.96 * errors[0], mean + 1.96 * errors[0]),
        (math.exp(log_sd), math.exp(log_sd - 1.96 * errors[1]), math.exp(log_sd + 1.96 * errors[1])),
    )


def _errors(lost: Any, at: Array) -> Array:
    """Return standard errors from how fast a log likelihood falls off."""
    step = np.array([1e-3 * max(abs(float(at[0])), 0.1), 2e-2])
    curve = np.zeros((2, 2))
    for one in range(2):
        for other in range(2):
            signs = [(1, 1), (1, -1), (-1, 1), (-1, -1)]
            moved = [lost(at + a * step * np.eye(2)[one] + b * step * np.eye(2)[other]) * a * b for a, b in signs]
            curve[one, other] = sum(moved) / (4 * step[one] * step[other])
    try:
        variance = np.diag(np.linalg.inv(curve))
    except np.linalg.LinAlgError:
        return np.full(2, np.nan)
    return np.sqrt(np.where(variance > 0, variance, np.nan))
