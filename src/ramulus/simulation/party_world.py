"""The arrays that a party is played over: what each member meets, takes and is awarded beside which leader."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.rules.ability import classes_of
from ramulus.rules.award_units import refuse_large
from ramulus.rules.evaluating import fault
from ramulus.rules.multipliers import Company, reads_leader, reads_size
from ramulus.rules.profile_tables import ProfileTables
from ramulus.rules.quitting import QuitRules, quit_rules
from ramulus.rules.schedule import Schedule, schedules_of
from ramulus.rules.tabulation import Tabulation, tabulated
from ramulus.rules.windows import Timeline
from ramulus.simulation.world import (
    Ints,
    Settings,
    Sources,
    Tracks,
    make_settings,
    make_sources,
    make_tracks,
    pays_of,
    shape_of_times,
)

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.design.player import Party

MOST_CELLS = 40_000_000


class PartyWorld(NamedTuple):
    """M members, L levels, C columns; K kinds: members at each class of ability, or at one where all are alike.

    A company is who shares the encounter: leader levels (L, or 1 where no multiplier reads the leader's), for each
    number of members who still play (M, or 1 where none quits or no multiplier reads it); B companies. T states of
    timed rules, of all kinds one after the other.

    Attributes:
        seconds, success, weight: of the encounters that each kind would lead, shape (K, L, C).
        pay: XP by the hour where the leader chooses by it, shape (K, L, C); no levels where nobody does.
        factor: the product of multipliers, shape (T, B, L, C).
        alone: the same without the rules that read the leader's level, shape (T, sizes, L, C).
        skill_units: what a failure (0) and a success (1) award to the skill practised, shape (T, B, 2, L, C).
        leaders: how many leader levels there are.
        first_kind: which of the kinds are a member's, and one past the last, shape (M + 1,).
        first_state: where the states of each kind start, shape (K,).
        patience: played seconds on each level after which a member gives up, shape (M, L).
        pursuit, play_day, days_per_week: of each member's profile, as in `Settings`.
        borders, state: from which played second on which of the states holds, all members one after the other.
        first_border: where the borders of each schedule of each member start, and one past the last.
        first_schedule: which of these are a member's, and one past the last, shape (M + 1,).
        start_level: the levels at which the members join, from 0, shape (M,).
        seconds_between: of each member's profile, shape (M,).
    """

    seconds: Array
    success: Array
    weight: Array
    pay: Array
    factor: Array
    alone: Array
    skill_units: Ints
    leaders: int
    first_kind: Ints
    first_state: Ints
    patience: Array
    pursuit: Array
    play_day: Ints
    days_per_week: Ints
    borders: Array
    state: Ints
    first_border: Ints
    first_schedule: Ints
    start_level: Ints
    seconds_between: Array


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
        shape=shape_of_times(design),
        sources=design.derived(make_sources),
        world=_world(tabulation, party, profiles, quitting, hours),
        tracks=design.derived(make_tracks),
        settings=make_settings(design, players[0], hours, most_encounters),
    )


def _world(
    tabulation: Tabulation, party: Party, profiles: list[list[ProfileTables]],
    quitting: tuple[QuitRules | None, ...], hours: float,
) -> PartyWorld:  # fmt: skip
    starts = _start_levels(tabulation, party)
    shared = tabulation.columns.levels >= tabulation.columns.levels[min(starts)]
    _refuse_nothing_drawn(tabulation, shared)
    companies = _Companies(tabulation, party, shared, quits=any(rules is not None for rules in quitting))
    timelines = [kinds[0].timeline(hours) for kinds in profiles]
    every = [one for kinds in profiles for one in kinds]
    times = [when for kinds, when in zip(profiles, timelines, strict=True) for _ in kinds]
    companies.refuse_many(sum(len(when.states) for when in times))
    # Players of all abilities whose awards alone are the same tables are awarded the same in company.
    shared_awards: dict[int, _MemberAwards] = {}
    for one, when in zip(every, times, strict=True):
        if id(one.alone) not in shared_awards:
            shared_awards[id(one.alone)] = _MemberAwards(tabulation, companies, one, when)
    awards = [shared_awards[id(one.alone)] for one in every]
    settings = [make_settings(tabulation.design, kinds[0].player, hours, 1) for kinds in profiles]
    return PartyWorld(
        seconds=np.stack([one.encounters.seconds for one in every]),
        success=np.stack([one.encounters.success for one in every]),
        weight=np.stack([one.encounters.weight for one in every]),
        pay=pays_of(every),
        factor=np.concatenate([one.factor for one in awards]),
        alone=np.concatenate([one.alone for one in awards]),
        skill_units=np.concatenate([one.skill_units for one in awards]),
        leaders=len(companies.leaders),
        first_kind=_starts([len(kinds) for kinds in profiles]),
        first_state=_starts([len(when.states) for when in times])[:-1],
        patience=np.stack([_patience(rules, len(tabulation.columns.levels)) for rules in quitting]),
        pursuit=np.array([one.pursuit for one in settings]),
        play_day=np.array([one.play_day for one in settings], dtype=np.int64),
        days_per_week=np.array([one.days_per_week for one in settings], dtype=np.int64),
        borders=np.concatenate([when.border_seconds for when in timelines]),
        state=np.concatenate([when.state for when in timelines]),
        first_border=_starts([int(n) for when in timelines for n in np.diff(when.first)]),
        first_schedule=_starts([len(when.first) - 1 for when in timelines]),
        start_level=np.array(starts, dtype=np.int64),
        seconds_between=np.array([one.seconds_between for one in settings]),
    )


def _starts(lengths: list[int]) -> Ints:
    """Return where parts of some lengths start, one after the other, and one past the last."""
    return np.concatenate([[0], np.cumsum(lengths)]).astype(np.int64)


def _patience(rules: QuitRules | None, levels: int) -> Array:
    return np.full(levels, np.inf) if rules is None else rules.patience


def _start_levels(tabulation: Tabulation, party: Party) -> list[int]:
    track = tabulation.design.track()
    starts = []
    for name, member in party.members.items():
        start = track.start_level if member.start_level is None else member.start_level
        if not track.start_level <= start <= track.max_level:
            allowed = f"{track.start_level} … {track.max_level}"
            raise fault(f"party.members.{name}.start_level", f"level {start} is outside the track", allowed)
        starts.append(start - track.start_level)
    return starts


def _refuse_nothing_drawn(tabulation: Tabulation, shared: NDArray[np.bool_]) -> None:
    """A member shares an encounter whatever its own level is; so a formula of XP has to give something there."""
    for name, law in zip(tabulation.columns.sources, tabulation.laws, strict=True):
        missing = np.isnan(law.low) & shared
        if missing.any():
            found = (
                f"no XP at level {tabulation.columns.levels[missing][0]:g}, where a member of the party may share it"
            )
            raise fault(f"sources.{name}.xp", found, "a formula that gives 0 or more XP at every level of a member")


class _Companies:
    """Beside whom a member may share an encounter: each leader level that matters, each number of members."""

    def __init__(self, tabulation: Tabulation, party: Party, shared: NDArray[np.bool_], *, quits: bool) -> None:
        rules, self.levels = tabulation.design.multipliers, tabulation.columns.levels
        self.members = len(party.members)
        self.leading = frozenset(index for index, rule in enumerate(rules) if reads_leader(rule))
        self.leaders = self.levels if self.leading else self.levels[-1:]
        by_size = quits and any(reads_size(rule) for rule in rules)
        self.sizes = range(1, self.members + 1) if by_size else range(self.members, self.members + 1)
        self._party, self._shared, self._columns = party, shared, len(tabulation.columns.source_of)

    def refuse_many(self, states: int) -> None:
        """Refuse a party whose tables would not fit.

        Raises:
            DesignError: they would not.
        """
        cells = states * len(self.sizes) * len(self.leaders) * self.levels.size * self._columns
        if cells > MOST_CELLS:
            found = f"multipliers that read leader_level or party_size make {cells:,} cells for the party"
            raise fault("party", found, f"at most {MOST_CELLS:,}", "design-too-large")

    def all(self) -> list[Company]:
        """Return every company, those of one size together."""
        return [Company(float(leader), size, self._met(leader)) for size in self.sizes for leader in self.leaders]

    def _met(self, leader: float) -> NDArray[np.bool_]:
        """Return the levels that a member may have beside a leader: nobody stands above the one furthest on."""
        highest = bool(self.leading) and self._party.leader == "highest"
        below = self.levels <= leader if highest else np.ones_like(self._shared)
        return (self._shared & below)[:, None]


class _MemberAwards:
    """What one member is awarded, in each company and in each state of its timed rules."""

    def __init__(self, tabulation: Tabulation, companies: _Companies, profile: ProfileTables, when: Timeline) -> None:
        self._tabulation, self._companies, self._when = tabulation, companies, when
        self._beside = [profile.in_company(company) for company in companies.all()]

    @cached_property
    def factor(self) -> Array:
        """The product of multipliers, shape (states, companies, L, C)."""
        for on in self._when.states:
            for beside in self._beside:
                refuse_large(self._tabulation, beside.product(on), beside.met)
        return np.stack([[beside.product(on) for beside in self._beside] for on in self._when.states])

    @cached_property
    def alone(self) -> Array:
        """The product without the rules that read the leader's level, shape (states, sizes, L, C)."""
        leading, leaders = self._companies.leading, len(self._companies.leaders)
        some = self._beside[leaders - 1 :: leaders]
        return np.stack([[beside.product(on - leading) for beside in some] for on in self._when.states])

    @cached_property
    def skill_units(self) -> Ints:
        """The awards to the skill practised, shape (states, companies, 2, L, C)."""
        return np.stack([np.stack([beside.skill_units(on) for beside in self._beside]) for on in self._when.states])
