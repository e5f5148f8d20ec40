"""Checks of pools and of time away: that each can be computed, and that it does anything."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

import numpy as np

from ramulus.checks.finding import Finding
from ramulus.checks.overview import overview_of
from ramulus.rules.away import away_tables
from ramulus.rules.pools import drained_pools
from ramulus.rules.tabulation import tabulated

if TYPE_CHECKING:
    from ramulus.design import Design

SELDOM = 0.2  # Of a pool: a level that takes less of it is far from emptying it.


def check_pools(design: Design) -> Iterator[Finding]:
    """Yield pools that nothing drains, or that level-ups fill before they are empty."""
    for name, stat in design.stats.items():
        if stat.refill_on_level_up and not stat.pool:
            yield Finding(
                "refill-without-pool", "warning", f"stats.{name}.refill_on_level_up",
                f"{name} is no pool: nothing is used up that a level-up could fill",
                "pool = true and [encounter.drain], or remove it",
            )  # fmt: skip
        elif stat.pool and name not in drained_pools(design):
            yield Finding(
                "pool-undrained", "warning", f"stats.{name}.pool", "nothing drains it: it is always full",
                f'[encounter.drain] {name} = "…", or pool = false',
            )  # fmt: skip
    if design.sources and drained_pools(design):
        yield from _never_empty(design)
    if design.away_bonus is not None:
        yield from _never_fills(design)


def _never_empty(design: Design) -> Iterator[Finding]:
    """Pools that even the most thirsty profile brings to a level-up nearly full, at every level."""
    overview, at = design.derived(overview_of), tabulated(design).columns.first_column
    costs, shares = tabulated(design).main.curve.costs, []
    for index, name in enumerate(overview.names):
        pools = tabulated(design).profile(name).pools
        success = overview.success[index][:, at]
        xp = (overview.lasting[index] * overview.xp[index][:, at]).sum(axis=1)[:-1]
        encounters = np.divide(costs, xp, out=np.full(len(costs), np.inf), where=xp > 0)
        drained = success * pools.drain[:, 1][:, :, at] + (1 - success) * pools.drain[:, 0][:, :, at]
        taken = (overview.lasting[index] * drained).sum(axis=2)[:, :-1] * encounters
        shares.append((taken / pools.size[:, :-1]).max(axis=1))
    for place, pool in enumerate(drained_pools(design)):
        most = float(np.max([share[place] for share in shares]))
        if most == 0:
            yield Finding(
                "pool-undrained", "warning", f"stats.{pool}.pool", "every drain of it is 0 where sources are open",
                "raise the drain, or pool = false",
            )  # fmt: skip
        elif design.stats[pool].refill_on_level_up and most < SELDOM:
            yield Finding(
                "pool-never-empties", "note", f"stats.{pool}.refill_on_level_up",
                f"a level takes at most {most:.0%} of it in the mean before level-up fills it: hardly anybody rests",
                "a larger drain or a smaller pool, where rests should be felt",
            )  # fmt: skip


def _never_fills(design: Design) -> Iterator[Finding]:
    per_day, most = away_tables(design)
    if not (np.minimum(per_day, most) > 0).any():
        yield Finding(
            "away-bonus-empty", "warning", "away_bonus", "nothing is ever put into the store, at no level",
            "per_day_away and at_most above 0",
        )  # fmt: skip
