"""What encounters tell of each player's trait that varies: how likely they are at each value that it may have."""

from __future__ import annotations

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

GRID = 41
NEVER = 1e-12


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
    variation: float, longest_pause: float, slower: Array,
) -> tuple[Array, NDArray[np.uint64]]:  # fmt: skip
    """Return the log likelihood of each player's encounters for the trait at each value, and their keys.

    It is of shape (K, n, G), all of their own factors being so many times as much as `slower` has it.

    Args:
        design: the design.
        batches: the rows.
        profile: the profile's place.
        tables: of the trait.
        own: keys, sorted, and the players' own factors on time.
        variation: the coefficient of variation of times.
        longest_pause: seconds.
        slower: how many times as much all own factors are taken to be, shape (K,).
    """
    parts, keys = [], []
    for batch in batches:
        mine = batch.profiles == profile
        if not mine.any():
            continue
        factors = of_players(batch.keys, own["keys"], own["factors"])
        parts.append(_of_batch(design, batch, tables, factors, variation, longest_pause, slower)[:, mine])
        keys.append(batch.keys[mine])
    return np.concatenate(parts, axis=1), np.concatenate(keys)


def _of_batch(
    design: Design, batch: Batch, tables: TraitTables, own: Array, variation: float, longest_pause: float,
    slower: Array,
) -> Array:  # fmt: skip
    rows, players = batch.rows, batch.players
    at = batch.encounters
    level: Ints = follow(design, batch, longest_pause).before[at].astype(np.int64)
    source, owner = rows.source[at].astype(np.int64), batch.owner[at]
    found = np.zeros((len(slower), players, len(tables.values)))
    ended = rows.success[at] >= 0
    timed = (rows.success[at] == 1) & np.isfinite(rows.seconds[at]) & np.isfinite(own[owner])
    seconds = rows.seconds[at] / own[owner]
    for place in range(len(tables.values)):
        chance = np.clip(tables.success[place][level, source], NEVER, 1 - NEVER)
        told = ended & np.isfinite(chance)
        logs = np.where(rows.success[at] == 1, np.log(chance), np.log1p(-chance))
        found[:, :, place] += np.bincount(owner[told], logs[told], minlength=players)
        expected = tables.seconds[place][level, source]
        has = timed & np.isfinite(expected)
        mean = np.bincount(owner[has], expected[has], minlength=players)
        spread = max(variation, 0.01) * np.sqrt(np.bincount(owner[has], expected[has] ** 2, minlength=players))
        total = np.bincount(owner[has], seconds[has], minlength=players)
        with np.errstate(divide="ignore", invalid="ignore"):
            # Seconds are looked at as they are logged: who is so many times as slow varies so many times as much.
            off = (total / slower[:, None] - mean) / spread
            log = -0.5 * off**2 - np.log(spread) - np.log(slower)[:, None]
        found[:, :, place] += np.where(np.isfinite(log), log, 0.0)
    return found
