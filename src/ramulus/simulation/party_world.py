"""The arrays that a party is played over: what each member meets, takes and is awarded beside which leader."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, NamedTuple

import numpy as np

from ramulus.formula.functions import Array
from ramulus.rules.ability import classes_of
from ramulus.rules.counted import combinations
from ramulus.rules.profile_tables import ProfileTables
from ramulus.rules.pursuit import pursuit_of
from ramulus.rules.quitting import QuitRules, quit_rules
from ramulus.rules.schedule import Schedule, schedules_of
from ramulus.rules.starting import start_of_member
from ramulus.rules.tabulation import Tabulation, tabulated
from ramulus.simulation.away import Away, make_away
from ramulus.simulation.done import Done, make_done, parts_of
from ramulus.simulation.gates import Gates, make_gates
from ramulus.simulation.party_awards import Companies, PartyAwards, offsets_of, xp_beside
from ramulus.simulation.party_pools import PartyPools, make_party_pools
from ramulus.simulation.settings import Settings, make_settings, shape_of_times
from ramulus.simulation.world import Ints, Sources, Tracks, make_sources, make_tracks, pays_by_parts

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.design.player import Party


class PartyWorld(NamedTuple):
    """M members, L levels, C columns; K kinds: members at each class of ability, or at one where all are alike.

    A company is who shares the encounter: leader levels (L, or 1 where no multiplier reads the leader's), for each
    number of members who still play (M, or 1 where none quits or no multiplier reads it); B companies. F columns of
    factors: C, or one a source where no multiplier reads a skill. T states of timed rules, each in every combination of
    the bands of rules that look at what was done, of all members whose awards differ one after the other.

    Attributes:
        seconds, success, weight: of the encounters that each kind would lead, shape (K, L, C).
        pay: XP by the hour where the leader chooses by it, for each number of members where it hangs on that, shape
            (K, M or 1, L, C); no levels where nobody does.
        low: the least XP that a member draws beside each leader, shape (leaders or 1, L, S).
        skill_xp: XP for what is practised, before multipliers, shape (leaders or 1, L, P); no levels where none is.
        factor: the product of multipliers, shape (T, B, L, F).
        alone: the same without the rules that read the leader's level, shape (T, sizes, L, F); for every company
            where sources follow whoever leads.
        skill_factor: the product for what is practised, shape (T, B, L, P or one a skill); no levels where none is.
        leaders: how many leader levels there are.
        first_kind: which of the kinds are a member's, and one past the last, shape (M + 1,).
        first_state: where the states of each kind start, shape (K,).
        patience: played seconds on each level after which a member gives up, shape (M, L).
        pursuit, play_day, days_per_week: of each member's profile, as in `Settings`.
        lost: what a failure takes at each level, in units, shape (L,).
        borders, state: from which played second on which of the states holds, all members one after the other.
        first_border: where the borders of each schedule of each member start, and one past the last.
        first_schedule: which of these are a member's, and one past the last, shape (M + 1,).
        start_level, start_units: where the members start: the level, from 0, and the XP inside it, shape (M,).
        seconds_between: of each member's profile, shape (M,).
        skill_worth: what an XP of a skill is worth to each member where it chooses, shape (M,).
        done: rules that look at what was done; its parts of pay by kind and number of members, one after the other.
        gates, away: gates and time away, for each schedule of each member.
        pools: how much each holds, shape (K, pools, L), and what is taken of them beside each leader, shape
            (K, leaders or 1, pools, 2, L, C).
    """

    seconds: Array
    success: Array
    weight: Array
    pay: Array
    low: Array
    skill_xp: Array
    factor: Array
    alone: Array
    skill_factor: Array
    leaders: int
    first_kind: Ints
    first_state: Ints
    patience: Array
    pursuit: Array
    play_day: Ints
    days_per_week: Ints
    lost: Ints
    borders: Array
    state: Ints
    first_border: Ints
    first_schedule: Ints
    start_level: Ints
    start_units: Ints
    seconds_between: Array
    skill_worth: Array
    done: Done
    gates: Gates
    away: Away
    pools: PartyPools


@dataclass(frozen=True, eq=False)
class PartyStage:
    """Everything that a party is played with.

    Attributes:
        members: the members' names.
        profiles: the members' profiles.
        spreads: sigma of each member's own factor on time.
        leader: the named leader's place among the members, or -1 for whoever is furthest on.
        hold: whether members are held below the leader.
        splits: whether the XP drawn is divided by the number of members who still play.
        quitting: when each member quits, or None.
        schedules: the schedules of each member's profile.
        first_level: the start level of the main track.
        shape, sources, world, tracks, settings: as in `Stage`.
    """

    members: tuple[str, ...]
    profiles: tuple[str, ...]
    spreads: tuple[float, ...]
    leader: int
    hold: bool
    splits: bool
    quitting: tuple[QuitRules | None, ...]
    schedules: tuple[tuple[Schedule, ...], ...]
    first_level: int
    shape: float
    sources: Sources
    world: PartyWorld
    tracks: Tracks
    settings: Settings


def make_party_stage(design: Design, hours: float, most_encounters: int) -> PartyStage:
    """Return a design's arrays for its party.

    Raises:
        MissingPartError: a part is missing.
        DesignError: the design is at fault, or its party makes too large a table.
    """
    design.require("party", "a party")
    party = design.party
    assert party is not None
    tabulation, names = tabulated(design), list(party.members)
    profiles = [
        [tabulation.profile(member.player, ability) for ability in range(classes_of(design.profile(member.player)))]
        for member in party.members.values()
    ]
    players = [kinds[0].player for kinds in profiles]
    quitting = tuple(quit_rules(design, kinds[0].name) for kinds in profiles)
    return PartyStage(
        members=tuple(names),
        profiles=tuple(kinds[0].name for kinds in profiles),
        spreads=tuple(float(player.spread) for player in players),
        leader=names.index(party.leader) if party.leader != "highest" else -1,
        hold=party.hold_below_leader,
        splits=party.share == "split",
        quitting=quitting,
        schedules=tuple(schedules_of(design, player) for player in players),
        first_level=design.track().start_level,
        shape=shape_of_times(design),
        sources=design.derived(make_sources),
        world=_world(tabulation, party, profiles, quitting, hours),
        tracks=design.derived(make_tracks),
        settings=make_settings(design, profiles[0][0], hours, most_encounters, leaps=False),
    )


def _world(
    tabulation: Tabulation, party: Party, profiles: list[list[ProfileTables]],
    quitting: tuple[QuitRules | None, ...], hours: float,
) -> PartyWorld:  # fmt: skip
    starts = [start_of_member(tabulation.design, member) for member in party.members.values()]
    shared = tabulation.columns.levels >= tabulation.columns.levels[min(start.level for start in starts)]
    companies = Companies(tabulation, party, shared, quits=any(rules is not None for rules in quitting))
    timelines = [kinds[0].timeline(hours) for kinds in profiles]
    every = [one for kinds in profiles for one in kinds]
    low, skill_xp = xp_beside(tabulation, companies), companies.skill_xp(every[0])
    awards = PartyAwards(companies, profiles, timelines)
    slots = [one for kinds in profiles for one in schedules_of(tabulation.design, kinds[0].player) or (None,)]
    settings = [make_settings(tabulation.design, kinds[0], hours, 1, leaps=False) for kinds in profiles]
    return PartyWorld(
        seconds=np.stack([one.encounters.seconds for one in every]),
        success=np.stack([one.encounters.success for one in every]),
        weight=np.stack([one.encounters.weight for one in every]),
        pay=_pays_leading(every, companies, splits=party.share == "split"),
        low=low,
        skill_xp=skill_xp,
        factor=awards.factor,
        alone=awards.alone,
        skill_factor=awards.skill_factor(skill_xp),
        leaders=len(companies.leaders),
        first_kind=offsets_of([len(kinds) for kinds in profiles]),
        first_state=awards.first_state,
        patience=np.stack([_patience(rules, len(tabulation.columns.levels)) for rules in quitting]),
        pursuit=np.array([one.pursuit for one in settings]),
        play_day=np.array([one.play_day for one in settings], dtype=np.int64),
        days_per_week=np.array([one.days_per_week for one in settings], dtype=np.int64),
        lost=tabulation.lost,
        borders=np.concatenate([when.border_seconds for when in timelines]),
        state=np.concatenate([when.state for when in timelines]) * combinations(tabulation.design),
        first_border=offsets_of([int(n) for when in timelines for n in np.diff(when.first)]),
        first_schedule=offsets_of([len(when.first) - 1 for when in timelines]),
        start_level=np.array([start.level for start in starts], dtype=np.int64),
        start_units=np.array([start.units for start in starts], dtype=np.int64),
        seconds_between=np.array([one.seconds_between for one in settings]),
        skill_worth=np.array([float(kinds[0].player.skill_xp_worth) for kinds in profiles]),
        done=_done(tabulation.design, profiles, companies, splits=party.share == "split"),
        gates=make_gates(tabulation.design, slots),
        away=make_away(tabulation.design, slots),
        pools=make_party_pools(tabulation.design, every, companies),
    )


def _done(
    design: Design, profiles: list[list[ProfileTables]], companies: Companies, *, splits: bool
) -> Done:  # fmt: skip
    every = [one for kinds in profiles for one in kinds]
    by_parts = any(pays_by_parts(design, one.player) for one in every)
    sizes = companies.all_sizes if splits or companies.read_size else companies.all_sizes[-1:]
    parts = [parts_of(design, one, size, splits=splits) for one in every for size in sizes] if by_parts else []
    return make_done(design, parts, 0.0, len(every) * len(companies.all()))


def _pays_leading(every: list[ProfileTables], companies: Companies, *, splits: bool) -> Array:
    """Return what sources pay whoever leads, shape (K, sizes, L, C); nobody reads it where nobody chooses by it."""
    if not any(pursuit_of(one.player) for one in every):
        return np.zeros((len(every), 1, 1, 1))
    sizes = companies.all_sizes if splits or companies.read_size else companies.all_sizes[-1:]
    return np.stack([np.stack([one.pay_leading(size, splits=splits) for size in sizes]) for one in every])


def _patience(rules: QuitRules | None, levels: int) -> Array:
    return np.full(levels, np.inf) if rules is None else rules.patience
