"""The arrays that a party is played over: what each member meets, takes and is awarded beside which leader."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.rules.ability import classes_of
from ramulus.rules.award_units import refuse_large
from ramulus.rules.encounter_tables import Scene
from ramulus.rules.evaluating import fault
from ramulus.rules.multipliers import (
    Company,
    links,
    product_of,
    reads_leader,
    reads_size,
    reads_skill,
    rule_factors,
)
from ramulus.rules.profile_tables import ProfileTables
from ramulus.rules.pursuit import pursuit_of
from ramulus.rules.quitting import QuitRules, quit_rules
from ramulus.rules.schedule import Schedule, schedules_of
from ramulus.rules.starting import start_of_member
from ramulus.rules.tabulation import Tabulation, tabulated
from ramulus.rules.windows import Timeline
from ramulus.rules.xp_units import MOST_UNITS
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
    """M members, L levels, C columns; K kinds: members at each class of ability, or at one where all are alike.

    A company is who shares the encounter: leader levels (L, or 1 where no multiplier reads the leader's), for each
    number of members who still play (M, or 1 where none quits or no multiplier reads it); B companies. F columns of
    factors: C, or one a source where no multiplier reads a skill. T states of timed rules, of all members whose awards
    differ one after the other.

    Attributes:
        seconds, success, weight: of the encounters that each kind would lead, shape (K, L, C).
        pay: XP by the hour where the leader chooses by it, for each number of members where it hangs on that, shape
            (K, M or 1, L, C); no levels where nobody does.
        skill_xp: XP for the skill practised, before multipliers, shape (K, L, C); no levels where none is.
        factor: the product of multipliers, shape (T, B, L, F).
        alone: the same without the rules that read the leader's level, shape (T, sizes, L, F).
        skill_factor: the product for the skill practised, shape (T, B, L, F); no levels where none is.
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
    """

    seconds: Array
    success: Array
    weight: Array
    pay: Array
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
        settings=make_settings(design, profiles[0][0].name, hours, most_encounters),
    )


def _world(
    tabulation: Tabulation, party: Party, profiles: list[list[ProfileTables]],
    quitting: tuple[QuitRules | None, ...], hours: float,
) -> PartyWorld:  # fmt: skip
    starts = [start_of_member(tabulation.design, member) for member in party.members.values()]
    shared = tabulation.columns.levels >= tabulation.columns.levels[min(start.level for start in starts)]
    _refuse_nothing_drawn(tabulation, shared)
    companies = _Companies(tabulation, party, shared, quits=any(rules is not None for rules in quitting))
    timelines = [kinds[0].timeline(hours) for kinds in profiles]
    every = [one for kinds in profiles for one in kinds]
    awards = _Awards(companies, profiles, timelines)
    settings = [make_settings(tabulation.design, kinds[0].name, hours, 1) for kinds in profiles]
    return PartyWorld(
        seconds=np.stack([one.encounters.seconds for one in every]),
        success=np.stack([one.encounters.success for one in every]),
        weight=np.stack([one.encounters.weight for one in every]),
        pay=_pays_leading(every, companies, splits=party.share == "split"),
        skill_xp=np.stack([one.encounters.skill_xp for one in every]) if companies.skills else np.zeros((1, 0, 0)),
        factor=awards.factor,
        alone=awards.alone,
        skill_factor=awards.skill_factor(every),
        leaders=len(companies.leaders),
        first_kind=_starts([len(kinds) for kinds in profiles]),
        first_state=awards.first_state,
        patience=np.stack([_patience(rules, len(tabulation.columns.levels)) for rules in quitting]),
        pursuit=np.array([one.pursuit for one in settings]),
        play_day=np.array([one.play_day for one in settings], dtype=np.int64),
        days_per_week=np.array([one.days_per_week for one in settings], dtype=np.int64),
        lost=tabulation.lost,
        borders=np.concatenate([when.border_seconds for when in timelines]),
        state=np.concatenate([when.state for when in timelines]),
        first_border=_starts([int(n) for when in timelines for n in np.diff(when.first)]),
        first_schedule=_starts([len(when.first) - 1 for when in timelines]),
        start_level=np.array([start.level for start in starts], dtype=np.int64),
        start_units=np.array([start.units for start in starts], dtype=np.int64),
        seconds_between=np.array([one.seconds_between for one in settings]),
    )


def _pays_leading(every: list[ProfileTables], companies: _Companies, *, splits: bool) -> Array:
    """Return what sources pay whoever leads, shape (K, sizes, L, C); nobody reads it where nobody chooses by it."""
    if not any(pursuit_of(one.player) for one in every):
        return np.zeros((len(every), 1, 1, 1))
    sizes = companies.all_sizes if splits or companies.read_size else companies.all_sizes[-1:]
    return np.stack([np.stack([one.pay_leading(size, splits=splits) for size in sizes]) for one in every])


def _starts(lengths: list[int]) -> Ints:
    """Return where parts of some lengths start, one after the other, and one past the last."""
    return np.concatenate([[0], np.cumsum(lengths)]).astype(np.int64)


def _patience(rules: QuitRules | None, levels: int) -> Array:
    return np.full(levels, np.inf) if rules is None else rules.patience


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
    """Beside whom a member may share an encounter: each leader level that matters, each number of members.

    Attributes:
        leading: the rules (by index) that read the leader's level.
        read_size: whether a rule reads how many share.
        leaders: the leader levels that matter.
        all_sizes: the numbers of members that may still play.
        sizes: those that matter to multipliers.
        skills: whether a source practises a skill.
        columns: what factors are over: all columns, or one a source.
    """

    def __init__(self, tabulation: Tabulation, party: Party, shared: NDArray[np.bool_], *, quits: bool) -> None:
        design, self.levels = tabulation.design, tabulation.columns.levels
        self.leading = frozenset(index for index, rule in enumerate(design.multipliers) if reads_leader(rule))
        self.leaders = self.levels if self.leading else self.levels[-1:]
        members, self.read_size = len(party.members), any(reads_size(rule) for rule in design.multipliers)
        self.all_sizes = range(1 if quits else members, members + 1)
        self.sizes = self.all_sizes if self.read_size else self.all_sizes[-1:]
        self.skills = any(source.skill for source in design.sources.values())
        self.reads_skill = any(reads_skill(design, rule) for rule in design.multipliers)
        self.columns = tabulation.columns if self.reads_skill else tabulation.columns.by_source
        self._party, self._shared = party, shared

    def refuse_many(self, states: int) -> None:
        """Refuse a party whose tables would not fit.

        Raises:
            DesignError: they would not.
        """
        cells = states * len(self.sizes) * len(self.leaders) * self.columns.open.size * (1 + self.skills)
        if cells > MOST_CELLS:
            found = f"multipliers that read leader_level, party_size or a skill make {cells:,} cells for the party"
            raise fault("party", found, f"at most {MOST_CELLS:,}", "design-too-large")

    def scene(self, profile: ProfileTables) -> Scene:
        """Return what formulas see, over the columns that matter."""
        scene = profile.encounters.scene
        return scene if self.reads_skill else scene.by_source()

    def all(self) -> list[Company]:
        """Return every company, those of one size together."""
        return [Company(float(leader), size, self._met(leader)) for size in self.sizes for leader in self.leaders]

    def _met(self, leader: float) -> NDArray[np.bool_]:
        """Return the levels that a member may have beside a leader: nobody stands above the one furthest on."""
        highest = bool(self.leading) and self._party.leader == "highest"
        below = self.levels <= leader if highest else np.ones_like(self._shared)
        return (self._shared & below)[:, None]


class _Awards:
    """What the members are awarded, in each company and in each state of their timed rules.

    Players whose awards alone are the same tables (of one profile, where no multiplier looks at their ability) are
    awarded the same in company, and share its tables.
    """

    def __init__(
        self, companies: _Companies, profiles: list[list[ProfileTables]], timelines: list[Timeline]
    ) -> None:  # fmt: skip
        self._companies, self._tabulation = companies, profiles[0][0].tables
        differing: dict[int, tuple[ProfileTables, Timeline]] = {}
        for kinds, when in zip(profiles, timelines, strict=True):
            for one in kinds:
                differing.setdefault(id(one.alone), (one, when))
        self._each = list(differing.values())
        starts = dict(zip(differing, _starts([len(when.states) for _, when in self._each])[:-1], strict=True))
        self.first_state = np.array([starts[id(one.alone)] for kinds in profiles for one in kinds], dtype=np.int64)
        self._states = sum(len(when.states) for _, when in self._each)
        companies.refuse_many(self._states)
        self.factor, self.alone, self._skill_factor = self._filled()

    def _filled(self) -> tuple[Array, Array, Array]:
        """Return the products of every state and company, filled in one by one: tables of a large party are large."""
        companies, design = self._companies, self._tabulation.design
        among, (levels, columns) = companies.all(), companies.columns.shape
        factor = np.empty((self._states, len(among), levels, columns))
        alone = np.empty((self._states, len(companies.sizes), levels, columns))
        skills = np.empty((self._states, len(among), levels, columns)) if companies.skills else np.zeros((1, 1, 0, 0))
        first = 0
        for one, when in self._each:
            scene = companies.scene(one)
            for beside, company in enumerate(among):
                size, last = divmod(beside, len(companies.leaders))
                factors = rule_factors(scene, company=company)
                of_skill = rule_factors(scene, for_skill=True, company=company) if companies.skills else []
                for state, on in enumerate(when.states, first):
                    factor[state, beside] = _product(design, factors, on, company, scene)
                    refuse_large(self._tabulation, companies.columns, factor[state, beside], self._met(company))
                    if last == len(companies.leaders) - 1:
                        alone[state, size] = _product(design, factors, on - companies.leading, company, scene)
                    if companies.skills:
                        skills[state, beside] = _product(design, of_skill, on, company, scene)
            first += len(when.states)
        return factor, alone, skills

    def _met(self, company: Company) -> NDArray[np.bool_]:
        assert company.shares is not None
        return np.broadcast_to(company.shares, self._companies.columns.shape)

    def skill_factor(self, every: list[ProfileTables]) -> Array:
        """Return the products for skill awards, refusing awards that could not be counted exactly.

        Raises:
            DesignError: an award is too large.
        """
        if self._companies.skills:
            highest = max(float(self._skill_factor.max()), 1.0)
            xp = np.max([one.encounters.skill_xp.max(axis=0) for one in every], axis=0)
            column = int((xp * highest).argmax())
            scale = max(track.scale for track in map(self._tabulation.track, self._tabulation.design.tracks))
            if xp[column] * highest * scale > MOST_UNITS:
                place = f"sources.{self._tabulation.columns.source_at(column)}.skill_xp"
                found = f"an award of up to {xp[column] * highest:.6g} XP in a party"
                raise fault(place, found, f"at most {MOST_UNITS / scale:,.0f} XP", "total-beyond-exact")
        return self._skill_factor


def _product(design: Design, factors: list[Array], on: frozenset[int], company: Company, scene: Scene) -> Array:
    assert company.shares is not None
    return product_of(links(design, factors, on, company.shares), scene.columns.shape)
