"""What members of a party are awarded, in every company that they may be in."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.rules.award_units import refuse_large
from ramulus.rules.counted import Rules, in_each_combination
from ramulus.rules.encounter_tables import Scene
from ramulus.rules.evaluating import fault
from ramulus.rules.lazily import Lazily
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
from ramulus.rules.tabulation import Tabulation
from ramulus.rules.windows import Timeline
from ramulus.rules.xp_laws import XpLaw
from ramulus.rules.xp_units import MOST_UNITS
from ramulus.simulation.world import Ints

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.design.player import Party

MOST_CELLS = 40_000_000


def xp_beside(tabulation: Tabulation, companies: Companies) -> Array:
    """Return the least XP that a member draws beside a leader, shape (leaders, L, S); one leader where none matters.

    A member shares an encounter whatever its own level is; so a formula of XP has to give something there.

    Raises:
        DesignError: it gives nothing.
    """
    low = []
    for leader in companies.leaders if companies.follow else companies.leaders[-1:]:
        laws = companies.laws(leader)
        is_open = tabulation.columns.open[int(leader - companies.levels[0]), tabulation.columns.first_column]
        met = is_open if companies.follow else np.ones_like(is_open)
        _refuse_nothing_drawn(tabulation, laws, companies.met(leader)[:, 0], met)
        low.append(np.stack([law.low for law in laws], axis=1))
    return np.stack(low)


def _refuse_nothing_drawn(
    tabulation: Tabulation, laws: list[XpLaw], shared: NDArray[np.bool_], met: NDArray[np.bool_]
) -> None:  # fmt: skip
    for name, law, ever in zip(tabulation.columns.sources, laws, met, strict=True):
        missing = np.isnan(law.low) & shared & ever
        if missing.any():
            found = (
                f"no XP at level {tabulation.columns.levels[missing][0]:g}, where a member of the party may share it"
            )
            raise fault(f"sources.{name}.xp", found, "a formula that gives 0 or more XP at every level of a member")


class Companies:
    """Beside whom a member may share an encounter: each leader level that matters, each number of members.

    Attributes:
        leading: the rules (by index) that read the leader's level.
        read_size: whether a rule reads how many share.
        follow: whether sources follow the level of whoever leads.
        leaders: the leader levels that matter.
        all_sizes: the numbers of members that may still play.
        sizes: those that matter to multipliers.
        skills: whether a source practises a skill.
        columns: what factors are over: all columns, or one a source.
    """

    def __init__(self, tabulation: Tabulation, party: Party, shared: NDArray[np.bool_], *, quits: bool) -> None:
        design, self.levels = tabulation.design, tabulation.columns.levels
        self.leading = frozenset(index for index, rule in enumerate(design.multipliers) if reads_leader(rule))
        self.follow = tabulation.columns.follow
        self.leaders = self.levels if self.leading or self.follow else self.levels[-1:]
        members, self.read_size = len(party.members), any(reads_size(rule) for rule in design.multipliers)
        self.all_sizes = range(1 if quits else members, members + 1)
        self.sizes = self.all_sizes if self.read_size else self.all_sizes[-1:]
        self.skills = any(source.practised for source in design.sources.values())
        self.reads_skill = any(reads_skill(design, rule) for rule in design.multipliers)
        self.columns = tabulation.columns if self.reads_skill else tabulation.columns.by_source
        self.practice = tabulation.practice if self.reads_skill else tabulation.practice.by_source
        self._party, self._shared = party, shared
        self._tabulation = tabulation
        self._laws: Lazily[float, list[XpLaw]] = Lazily(self._laws_beside)

    def laws(self, leader: float) -> list[XpLaw]:
        """Return what XP is drawn from beside a leader of some level."""
        return self._laws[leader] if self.follow else self._tabulation.laws

    def _laws_beside(self, leader: float) -> list[XpLaw]:
        return self._tabulation.laws_over(self._tabulation.columns.met_at(leader))

    def skill_xp(self, profile: ProfileTables) -> Array:
        """Return XP for what is practised, before multipliers, beside each leader, shape (leaders or 1, L, P)."""
        if not self.skills:
            return np.zeros((1, 0, 0))
        if not self.follow:
            return profile.encounters.skill_xp[None]
        return np.stack([profile.encounters.met_at(leader).skill_xp for leader in self.leaders])

    def refuse_many(self, states: int) -> None:
        """Refuse a party whose tables would not fit.

        Raises:
            DesignError: they would not.
        """
        cells = states * len(self.sizes) * len(self.leaders) * self.columns.open.size * (1 + self.skills)
        if cells > MOST_CELLS:
            found = f"multipliers that read leader_level, party_size or a skill make {cells:,} cells for the party"
            raise fault("party", found, f"at most {MOST_CELLS:,}", "design-too-large")

    def scenes(self, profile: ProfileTables) -> tuple[Scene, Scene]:
        """Return what formulas see, over the columns that matter and over those of practice."""
        scene, practice = profile.encounters.scene, profile.encounters.practice
        return (scene, practice) if self.reads_skill else (scene.by_source(), practice.by_source())

    def all(self) -> list[Company]:
        """Return every company, those of one size together."""
        return [Company(float(leader), size, self.met(leader)) for size in self.sizes for leader in self.leaders]

    def met(self, leader: float) -> NDArray[np.bool_]:
        """Return the levels that a member may have beside a leader: nobody stands above the one furthest on."""
        highest = (bool(self.leading) or self.follow) and self._party.leader == "highest"
        below = self.levels <= leader if highest else np.ones_like(self._shared)
        return (self._shared & below)[:, None]


class PartyAwards:
    """What the members are awarded, in each company and in each state of their timed rules.

    Players whose awards alone are the same tables (of one profile, where no multiplier looks at their ability) are
    awarded the same in company, and share its tables.
    """

    def __init__(
        self, companies: Companies, profiles: list[list[ProfileTables]], timelines: list[Timeline]
    ) -> None:  # fmt: skip
        self._companies, self._tabulation = companies, profiles[0][0].tables
        differing: dict[int, tuple[ProfileTables, Timeline]] = {}
        for kinds, when in zip(profiles, timelines, strict=True):
            for one in kinds:
                differing.setdefault(id(one.alone), (one, when))
        self._each = list(differing.values())
        self._on = [_in_combinations(one.tables.design, when) for one, when in self._each]
        starts = dict(zip(differing, offsets_of([len(states) for states in self._on])[:-1], strict=True))
        self.first_state = np.array([starts[id(one.alone)] for kinds in profiles for one in kinds], dtype=np.int64)
        self._states = sum(map(len, self._on))
        companies.refuse_many(self._states)
        self.factor, self.alone, self._skill_factor = self._filled()

    def _filled(self) -> tuple[Array, Array, Array]:
        """Return the products of every state and company, filled in one by one: tables of a large party are large."""
        companies, design = self._companies, self._tabulation.design
        among, (levels, columns) = companies.all(), companies.columns.shape
        factor = np.empty((self._states, len(among), levels, columns))
        # Without the rules that read the leader's level, awards hang on it only where sources follow it.
        beside_whom = among if companies.follow else companies.sizes
        alone = np.empty((self._states, len(beside_whom), levels, columns))
        practised = companies.practice.shape[1]
        skills = np.empty((self._states, len(among), levels, practised)) if companies.skills else np.zeros((1, 1, 0, 0))
        first = 0
        for (one, _), states in zip(self._each, self._on, strict=True):
            whole, all_practice = companies.scenes(one)
            for beside, company in enumerate(among):
                size, last = divmod(beside, len(companies.leaders))
                leader = company.leader_level or 0.0
                scene = whole.met_at(leader) if companies.follow else whole
                practice = all_practice.met_at(leader) if companies.follow else all_practice
                factors = rule_factors(scene, company=company)
                of_skill = rule_factors(practice, for_skill=True, company=company) if companies.skills else []
                for state, on in enumerate(states, first):
                    factor[state, beside] = _product(design, factors, on, company, scene)
                    laws = companies.laws(leader)
                    refuse_large(self._tabulation, laws, companies.columns, factor[state, beside], self._met(company))
                    if companies.follow or last == len(companies.leaders) - 1:
                        alone[state, beside if companies.follow else size] = _product(
                            design, factors, on - companies.leading, company, scene
                        )
                    if companies.skills:
                        skills[state, beside] = _product(design, of_skill, on, company, practice)
            first += len(states)
        return factor, alone, skills

    def _met(self, company: Company) -> NDArray[np.bool_]:
        assert company.shares is not None
        return np.broadcast_to(company.shares, self._companies.columns.shape)

    def skill_factor(self, skill_xp: Array) -> Array:
        """Return the products for skill awards, refusing awards that could not be counted exactly.

        Raises:
            DesignError: an award is too large.
        """
        if self._companies.skills:
            highest = max(float(self._skill_factor.max()), 1.0)
            xp = skill_xp.max(axis=(0, 1))
            column = int((xp * highest).argmax())
            scale = max(track.scale for track in map(self._tabulation.track, self._tabulation.design.tracks))
            if xp[column] * highest * scale > MOST_UNITS:
                practice, sources = self._tabulation.practice, self._tabulation.design.sources
                name, skill = practice.source_at(column), practice.skill_track[int(practice.source_of[column])]
                place = sources[name].skill_xp_place(name, skill)
                found = f"an award of up to {xp[column] * highest:.6g} XP in a party"
                raise fault(place, found, f"at most {MOST_UNITS / scale:,.0f} XP", "total-beyond-exact")
        return self._skill_factor


def _in_combinations(design: Design, when: Timeline) -> list[Rules]:
    """Return the states of timed rules, each in every combination of bands."""
    return [on for rules in when.states for on in in_each_combination(design, rules)]


def _product(design: Design, factors: list[Array], on: frozenset[int], company: Company, scene: Scene) -> Array:
    assert company.shares is not None
    return product_of(links(design, factors, on, company.shares), scene.columns.shape)


def offsets_of(lengths: list[int]) -> Ints:
    """Return where parts of some lengths start, one after the other, and one past the last."""
    return np.concatenate([[0], np.cumsum(lengths)]).astype(np.int64)
