"""The arrays that a party is played over: what each member meets, takes and is awarded beside which leader."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.rules.award_units import refuse_large
from ramulus.rules.evaluating import fault
from ramulus.rules.multipliers import Company, reads_leader
from ramulus.rules.profile_tables import Awarding, ProfileTables
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
    shape_of_times,
)

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.design.player import Party

MOST_CELLS = 40_000_000


class PartyWorld(NamedTuple):
    """M members, L levels, C columns; A leader levels: L, or 1 where no multiplier reads the leader's; T states.

    Attributes:
        seconds, success, weight: of the encounters that each member would lead, shape (M, L, C).
        factor: the product of multipliers, shape (T, A, L, C); each member has its own states.
        alone: the same without the rules that read the leader's level, shape (T, L, C).
        skill_units: what a failure (0) and a success (1) award to the skill practised, shape (T, A, 2, L, C).
        borders, state: from which played second on which of the states holds, all members one after the other.
        first_border: where the borders of each schedule of each member start, and one past the last.
        first_schedule: which of these are a member's, and one past the last, shape (M + 1,).
        start_level: the levels at which the members join, from 0, shape (M,).
        seconds_between: of each member's profile, shape (M,).
    """

    seconds: Array
    success: Array
    weight: Array
    factor: Array
    alone: Array
    skill_units: Ints
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
        parts: into how many parts the XP drawn is divided.
        shape, sources, world, tracks, settings: as in `Stage`.
    """

    members: tuple[str, ...]
    profiles: tuple[str, ...]
    spreads: tuple[float, ...]
    leader: int
    hold: bool
    parts: int
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
    profiles = [tabulation.profile(member.player) for member in party.members.values()]
    return PartyStage(
        members=tuple(names),
        profiles=tuple(profile.name for profile in profiles),
        spreads=tuple(float(profile.player.spread) for profile in profiles),
        leader=names.index(party.leader) if party.leader != "highest" else -1,
        hold=party.hold_below_leader,
        parts=len(names) if party.share == "split" else 1,
        shape=shape_of_times(design),
        sources=design.derived(make_sources),
        world=_world(tabulation, party, profiles, [profile.timeline(hours) for profile in profiles]),
        tracks=design.derived(make_tracks),
        settings=make_settings(design, profiles[0].player, hours, most_encounters),
    )


def _world(
    tabulation: Tabulation, party: Party, profiles: list[ProfileTables], timelines: list[Timeline]
) -> PartyWorld:
    starts = _start_levels(tabulation, party)
    shared = tabulation.columns.levels >= tabulation.columns.levels[min(starts)]
    _refuse_nothing_drawn(tabulation, shared)
    awards = [
        _MemberAwards(tabulation, party, profile, when, shared)
        for profile, when in zip(profiles, timelines, strict=True)
    ]
    encounters = [profile.encounters for profile in profiles]
    offsets = np.concatenate([[0], np.cumsum([len(when.states) for when in timelines])])
    return PartyWorld(
        seconds=np.stack([one.seconds for one in encounters]),
        success=np.stack([one.success for one in encounters]),
        weight=np.stack([one.weight for one in encounters]),
        factor=np.concatenate([one.factor() for one in awards]),
        alone=np.concatenate([one.alone() for one in awards]),
        skill_units=np.concatenate([one.skill_units() for one in awards]),
        borders=np.concatenate([when.border_seconds for when in timelines]),
        state=np.concatenate([when.state + o for when, o in zip(timelines, offsets.tolist(), strict=False)]),
        first_border=np.concatenate([[0], np.cumsum([n for when in timelines for n in np.diff(when.first)])]),
        first_schedule=np.concatenate([[0], np.cumsum([len(when.first) - 1 for when in timelines])]).astype(np.int64),
        start_level=np.array(starts, dtype=np.int64),
        seconds_between=np.array([float(profile.player.seconds_between) for profile in profiles]),
    )


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


class _MemberAwards:
    """What one member is awarded, beside each leader and in each state of its timed rules."""

    def __init__(
        self, tabulation: Tabulation, party: Party, profile: ProfileTables, when: Timeline, shared: NDArray[np.bool_]
    ) -> None:
        self._tabulation, self._when = tabulation, when
        rules = tabulation.design.multipliers
        levels = tabulation.columns.levels
        self._leading = frozenset(index for index, rule in enumerate(rules) if reads_leader(rule))
        leaders = levels if self._leading else levels[-1:]
        cells = len(when.states) * len(leaders) * levels.size * len(tabulation.columns.source_of) * len(party.members)
        if cells > MOST_CELLS:
            found = f"a multiplier that reads leader_level makes {cells:,} cells for the party"
            raise fault("party", found, f"at most {MOST_CELLS:,}", "design-too-large")
        self._beside = [
            _beside(
                profile, float(leader), len(party.members), _met(party, levels, shared, leader, bool(self._leading))
            )
            for leader in leaders
        ]

    def factor(self) -> Array:
        """Return the product of multipliers, shape (states, leaders, L, C)."""
        for on in self._when.states:
            for beside in self._beside:
                refuse_large(self._tabulation, beside.product(on), beside.met)
        return np.stack([[beside.product(on) for beside in self._beside] for on in self._when.states])

    def alone(self) -> Array:
        """Return the product without the rules that read the leader's level, shape (states, L, C)."""
        return np.stack([self._beside[-1].product(on - self._leading) for on in self._when.states])

    def skill_units(self) -> Ints:
        """Return the awards to the skill practised, shape (states, leaders, 2, L, C)."""
        return np.stack([np.stack([beside.skill_units(on) for beside in self._beside]) for on in self._when.states])


def _met(party: Party, levels: Array, shared: NDArray[np.bool_], leader: float, by_leader: bool) -> NDArray[np.bool_]:
    """Return the levels that a member may have beside a leader: nobody stands above the one furthest on."""
    below = levels <= leader if by_leader and party.leader == "highest" else np.ones_like(shared)
    return (shared & below)[:, None]


def _beside(profile: ProfileTables, leader: float, size: int, shares: NDArray[np.bool_]) -> Awarding:
    return profile.in_company(Company(leader, size, shares))
