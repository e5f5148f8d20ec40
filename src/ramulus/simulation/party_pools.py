"""The pools of a party's members: what each lacks, and when all of them rest."""

from __future__ import annotations

from dataclasses import replace
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.rules.encounter_tables import EncounterTables, Scene
from ramulus.rules.pools import PoolTables, drained_pools, in_millionths
from ramulus.simulation.draining import Pools, must_rest, rest
from ramulus.simulation.jitted import part

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.rules.profile_tables import ProfileTables
    from ramulus.simulation.party_awards import Companies
    from ramulus.simulation.world import Ints


class PartyPools(NamedTuple):
    """The pools that are drained of each kind of member: K kinds, P pools, L levels, C columns.

    Attributes:
        size: how much each holds, in millionths, shape (K, P, L).
        drain: what a failure (0) and a success (1) take beside each leader, in millionths, shape
            (K, leaders or 1, P, 2, L, C).
        refills, steps: as in `Pools`.
        leaves: the numbers of the time of a rest, shape (K, leaves, L).
    """

    size: Ints
    drain: Ints
    refills: NDArray[np.bool_]
    steps: Ints
    leaves: Array


def make_party_pools(design: Design, every: list[ProfileTables], companies: Companies) -> PartyPools:
    """Return the pools of each kind of member.

    Raises:
        DesignError: a pool holds nothing at some level, or a drain or the time of a rest is at fault.
    """
    if not drained_pools(design):
        nothing = np.zeros((0, 0), np.int64)
        drain = np.zeros((1, 1, 0, 0, 0, 0), np.int64)
        return PartyPools(np.zeros((1, 0, 0), np.int64), drain, np.zeros(0, np.bool_), nothing, np.zeros((1, 0, 0)))
    for one in every:
        one.pools.rest_seconds(one.pools.size.sum(axis=0))
    leaders = companies.leaders if companies.follow else companies.leaders[-1:]
    return PartyPools(
        size=np.stack([in_millionths(one.pools.size) for one in every]),
        drain=np.stack([[_drain_beside(design, one, companies, leader) for leader in leaders] for one in every]),
        refills=every[0].pools.refills,
        steps=every[0].pools.program.steps,
        leaves=np.stack([one.pools.program.leaves for one in every]),
    )


def _drain_beside(design: Design, profile: ProfileTables, companies: Companies, leader: float) -> Ints:
    """Return what is drained of a member that shares an encounter, whatever its own level is."""
    encounters = profile.encounters.met_at(leader) if companies.follow else profile.encounters
    shares = np.broadcast_to(companies.met(leader), encounters.scene.columns.shape)
    columns = replace(encounters.scene.columns, open=shares)
    scene = Scene(design, profile.name, encounters.scene.ability, columns, encounters.scene.names)
    return in_millionths(PoolTables(design, EncounterTables(scene, lambda: encounters.practice)).drain)


@part
def pools_of(pools: PartyPools, kind: int, leader_level: int) -> Pools:
    """Return the pools of one kind of member beside a leader of some level."""
    at, beside = min(kind, len(pools.leaves) - 1), min(leader_level, pools.drain.shape[1] - 1)
    first = min(kind, len(pools.drain) - 1)
    return Pools(
        pools.size[min(kind, len(pools.size) - 1)], pools.drain[first, beside : beside + 1], pools.refills, pools.steps,
        pools.leaves[at : at + 1],
    )  # fmt: skip


@part
def rest_together(pools: PartyPools, missing: Ints, levels: Ints, plays: NDArray[np.bool_], kinds: Ints, own: Array,
                  stack: Array) -> float:  # fmt: skip
    """Return how many seconds a party rests: the longest of the rests that are due, or -1 where none is."""
    longest = -1.0
    for member in range(len(plays)):
        its = pools_of(pools, kinds[member], 0)
        if plays[member] and must_rest(its, missing[member], levels[member, 0]):
            seconds = rest(its, missing[member], levels[member, 0], stack) * own[member]
            if not seconds >= 0.0:
                return np.nan
            longest = max(longest, seconds)
    return longest
