"""What members of a party are awarded, in every company that they may be in."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
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
from ramulus.rules.tabulation import Tabulation
from ramulus.rules.windows import Timeline
from ramulus.rules.xp_units import MOST_UNITS
from ramulus.simulation.world import Ints

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.design.player import Party

MOST_CELLS = 40_000_000


def refuse_nothing_drawn(tabulation: Tabulation, shared: NDArray[np.bool_]) -> None:
    """A member shares an encounter whatever its own level is; so a formula of XP has to give something there."""
    for name, law in zip(tabulation.columns.sources, tabulation.laws, strict=True):
        missing = np.isnan(law.low) & shared
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
        starts = dict(zip(differing, offsets_of([len(when.states) for _, when in self._each])[:-1], strict=True))
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


def offsets_of(lengths: list[int]) -> Ints:
    """Return where parts of some lengths start, one after the other, and one past the last."""
    return np.concatenate([[0], np.cumsum(lengths)]).astype(np.int64)
