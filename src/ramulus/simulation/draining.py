"""Pools inside a kernel: what encounters drain, when somebody has to rest, and for how long."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.rules.pools import MILLIONTHS, drained_pools, in_millionths
from ramulus.rules.programs import run
from ramulus.simulation.jitted import part

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.rules.profile_tables import ProfileTables

Ints = NDArray[np.int64]


class Pools(NamedTuple):
    """The pools of one profile that are drained: P pools, A classes of ability, L levels, C columns.

    Attributes:
        size: how much each holds, in millionths, shape (P, L).
        drain: what a failure (0) and a success (1) take, in millionths, shape (A, P, 2, L, C).
        refills: which of them every level-up fills, shape (P,).
        steps: the program of the time of a rest, shape (steps, 2).
        leaves: its numbers by level, shape (A, leaves, L).
    """

    size: Ints
    drain: Ints
    refills: NDArray[np.bool_]
    steps: Ints
    leaves: Array


def make_pools(design: Design, tables: list[ProfileTables]) -> Pools:
    """Return the pools of one profile at its classes of ability.

    Raises:
        DesignError: a pool holds nothing at some level, or a drain or the time of a rest is at fault.
    """
    if not drained_pools(design):
        nothing = np.zeros((0, 0), np.int64)
        none = np.zeros((1, 0, 0, 0, 0), np.int64)
        return Pools(nothing, none, np.zeros(0, np.bool_), nothing, np.zeros((1, 0, 0)))
    programs = [one.pools.program for one in tables]
    for one in tables:
        one.pools.rest_seconds(one.pools.size.sum(axis=0))  # What is wrong with all missing is said before play.
    return Pools(
        size=in_millionths(tables[0].pools.size),
        drain=np.stack([in_millionths(one.pools.drain) for one in tables]),
        refills=tables[0].pools.refills,
        steps=programs[0].steps,
        leaves=np.stack([program.leaves for program in programs]),
    )


@part
def drain(pools: Pools, missing: Ints, won: bool, level: int, column: int) -> None:
    """Take from the pools what an encounter uses up; of pools at one ability."""
    for pool in range(len(missing)):
        missing[pool] += pools.drain[0, pool, 1 if won else 0, level, column]


@part
def lay_out_drains(pools: Pools, opened: NDArray[Any], count: int, drained: Ints, size: Ints, level: int) -> None:
    """Lay out what the open sources take, and how much each pool holds; of pools at one ability."""
    for pool in range(len(size)):
        size[pool] = pools.size[pool, level]
        for i in range(count):
            drained[i, 0, pool] = pools.drain[0, pool, 0, level, opened[i].column]
            drained[i, 1, pool] = pools.drain[0, pool, 1, level, opened[i].column]


@part
def drain_laid_out(drained: Ints, size: Ints, missing: Ints, i: int, won: bool) -> bool:
    """Take from the pools what an encounter with an open source uses up; return whether some pool is empty then."""
    empty = False
    for pool in range(len(missing)):
        missing[pool] += drained[i, 1 if won else 0, pool]
        empty |= missing[pool] >= size[pool]
    return empty


@part
def refill(pools: Pools, missing: Ints) -> None:
    """Fill the pools that a level-up fills."""
    for pool in range(len(missing)):
        if pools.refills[pool]:
            missing[pool] = 0


@part
def must_rest(pools: Pools, missing: Ints, level: int) -> bool:
    """Return whether as much is missing of some pool as it holds."""
    for pool in range(len(missing)):  # noqa: SIM110 — any() of a generator does not compile.
        if missing[pool] >= pools.size[pool, level]:
            return True
    return False


@part
def rest(pools: Pools, missing: Ints, level: int, stack: Array) -> float:
    """Return how many seconds a rest takes, before the own factor; of pools at one ability."""
    lacking = 0
    for pool in range(len(missing)):
        lacking += missing[pool]
    return run(pools.steps, pools.leaves[0], level, lacking / MILLIONTHS, stack)
