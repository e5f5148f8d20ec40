"""Parties: members who share every encounter, the weak ones catching up with the leader.

The leader (a named member, or the one furthest on) decides what a party meets: the source is drawn by the leader's
weights, and time and success are the leader's. Every member is then awarded by its own level and multipliers.
"""

from __future__ import annotations

import copy
from collections.abc import Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
import pandas as pd

from ramulus.design.source import XpChoice, XpRange
from ramulus.formula.functions import Array
from ramulus.rules.ledger import Ledger
from ramulus.rules.multipliers import award_of, rule_factors, stacked, whole_amounts
from ramulus.rules.rounding import rounded
from ramulus.rules.tables import Tables, make_tables
from ramulus.rules.windows import Timeline, timeline

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.design.player import Party

HORIZON_HOURS = 10_000.0


@dataclass(frozen=True)
class SharedAward:
    """What one member got from one shared encounter.

    Attributes:
        party: which party, from 0.
        encounter: which encounter, from 1; 0 for the start.
        hours: played hours by its end.
        source: the source's name; "mix" for expected values over several.
        leader: who led.
        member: the member's name.
        factor: the product of multipliers (a mean for expected values).
        award: XP, after a cut where the member is held below the leader.
        cut: XP taken off to hold the member below the leader.
        level, xp: the member's state afterwards.
    """

    party: int
    encounter: int
    hours: float
    source: str
    leader: str
    member: str
    factor: float
    award: float
    cut: float
    level: int
    xp: float


@dataclass(frozen=True)
class PartyRun:
    """How parties went, encounter by encounter.

    Attributes:
        design: the design.
        awards: everything that was awarded, and the start of each member.
        parties: how many parties.
        seed: the seed, or None for expected values.
    """

    design: Design
    awards: tuple[SharedAward, ...]
    parties: int
    seed: int | None

    def table(self) -> pd.DataFrame:
        """Return a row an award: the attributes of `SharedAward`."""
        return pd.DataFrame([vars(award) for award in self.awards])

    def levels(self) -> pd.DataFrame:
        """Return a row an encounter of the first party: `encounter`, `hours`, `source`, `leader`, a level a member."""
        first = self.table().query("party == 0")
        wide = first.pivot(index="encounter", columns="member", values="level")[list(self.members)]
        about = first.drop_duplicates("encounter").set_index("encounter")[["hours", "source", "leader"]]
        return about.join(wide).reset_index()

    @property
    def members(self) -> tuple[str, ...]:
        """The members' names."""
        assert self.design.party is not None
        return tuple(self.design.party.members)

    def spread(self) -> pd.DataFrame:
        """Return a row an encounter and member over all parties: `hours_p50`, `level_p10`, `level_p50`, `level_p90`."""
        grouped = self.table().groupby(["encounter", "member"], sort=False)
        levels = {f"level_p{q}": grouped["level"].quantile(q / 100, interpolation="lower") for q in (10, 50, 90)}
        return pd.DataFrame({"hours_p50": grouped["hours"].quantile(0.5), **levels}).reset_index()

    def even_after(self, within: int = 0) -> pd.Series:
        """Return for each party after how many encounters its levels first lay within a few of each other.

        Not a number where they never did.
        """
        table = self.table()
        width = table.groupby(["party", "encounter"])["level"].agg(lambda level: level.max() - level.min())
        even = width[width <= within].reset_index().groupby("party")["encounter"].min()
        return even.reindex(range(self.parties)).rename("even_after").astype(float)

    def __repr__(self) -> str:
        kind = "expected values" if self.seed is None else f"{self.parties} parties, seed {self.seed}"
        return f"<PartyRun {self.design.title!r}: {', '.join(self.members)}; {kind}>"

    def _repr_html_(self) -> str:
        return str(self.levels().to_html(index=False, float_format="{:.3g}".format))


def play_party(
    design: Design,
    encounters: int = 200,
    *,
    parties: int = 1,
    seed: int | None = None,
    until_even: bool = False,
) -> PartyRun:
    """Play the design's party through shared encounters.

    Args:
        design: the design; it needs a party, sources and the time of an encounter.
        encounters: how many encounters at most.
        parties: how many parties to play with chance.
        seed: the seed of chance; None plays one party by expected values (mean XP and mean seconds over sources,
            successes and failures), with no random number.
        until_even: stop a party when all members have the same level.

    Raises:
        MissingPartError: a part is missing.
        DesignError: the design is at fault.
    """
    design.require("party", "a party")
    tables = _PartyTables(design)
    awards: list[SharedAward] = []
    count = 1 if seed is None else parties
    for index in range(count):
        chance = None if seed is None else np.random.default_rng(np.random.SeedSequence(seed, spawn_key=(index,)))
        one = _OneParty(tables, index, chance)
        awards += one.play(encounters, until_even)
    return PartyRun(design, tuple(awards), count, seed)


class _PartyTables:
    """The tables that all parties of a design share, with the products for each leader level met so far."""

    def __init__(self, design: Design) -> None:
        assert design.party is not None
        self.design = design
        self.party: Party = design.party
        profiles = list(dict.fromkeys(member.player for member in design.party.members.values()))
        self.tables: Tables = make_tables(design, profiles)
        self.timelines = {name: timeline(design, design.players[name], HORIZON_HOURS) for name in profiles}
        self.limits = np.array([source.limit or np.inf for source in design.sources.values()])
        self.skilled = [(index, skill) for index, skill in enumerate(self.tables.grid.skill_track) if skill]
        self._factors: dict[int, list[Array]] = {}
        self._skill_awards: dict[frozenset[int], Array] = {}
        self._products: dict[tuple[int, frozenset[int]], Array] = {}

    def product(self, leader_level: int, on: frozenset[int]) -> Array:
        """Return the product of multipliers over the grid, for a leader at a level."""
        key = (leader_level, on)
        if key not in self._products:
            if leader_level not in self._factors:
                size = len(self.party.members)
                self._factors[leader_level] = rule_factors(
                    self.tables.grid, leader_level=np.float64(leader_level), party_size=size
                )
            stack = stacked(self.design, self._factors[leader_level], on)
            self._products[key] = np.broadcast_to(stack, self.tables.grid.shape)
        return self._products[key]

    def skill_award(self, on: frozenset[int]) -> Array:
        """Return the award to a source's skill while some timed rules are on."""
        if on not in self._skill_awards:
            self._skill_awards[on] = self.tables.skill_award(on)
        return self._skill_awards[on]

    def amounts(self, source: int, level_index: int) -> tuple[Array, Array]:
        """Return the amounts of XP that a source may give, and their chances."""
        xp = list(self.design.sources.values())[source].xp
        if isinstance(xp, XpRange):
            amounts = whole_amounts(float(xp.low), float(xp.high))
            return amounts, np.full(len(amounts), 1 / len(amounts))
        if isinstance(xp, XpChoice):
            pairs = np.array(xp.one_of, dtype=np.float64)
            return pairs[:, 0], pairs[:, 1] / pairs[:, 1].sum()
        return self.tables.encounter.xp.fixed[level_index, [source]], np.ones(1)


@dataclass
class _Member:
    name: str
    profile: int
    ledger: Ledger
    timeline: Timeline
    skills: dict[str, Ledger]
    remainder: float = 0.0

    @property
    def progress(self) -> tuple[int, float]:
        return self.ledger.level, self.ledger.xp


class _OneParty:
    def __init__(self, tables: _PartyTables, index: int, chance: np.random.Generator | None) -> None:
        self.shared, self.index, self.chance = tables, index, chance
        self.design, self.grid = tables.design, tables.tables.grid
        self.hours = 0.0
        self.used = np.zeros(len(self.grid.sources))
        skills = [name for name in self.design.tracks if name != self.design.main_track_name]
        self.members = [
            _Member(
                name, self.grid.profiles.index(member.player), Ledger(self.design, level=member.start_level),
                tables.timelines[member.player], {skill: Ledger(self.design, skill) for skill in skills},
            )
            for name, member in tables.party.members.items()
        ]  # fmt: skip

    def play(self, encounters: int, until_even: bool) -> Iterator[SharedAward]:
        leader = self._leader()
        for member in self.members:
            yield self._line(0, "", leader, member, 1.0, 0.0, 0.0)
        for number in range(1, encounters + 1):
            leader = self._leader()
            chance = self._chance(leader)
            if chance.sum() == 0 or all(m.ledger.level == m.ledger.max_level for m in self.members):
                return
            yield from self._encounter(number, leader, chance)
            if until_even and len({member.ledger.level for member in self.members}) == 1:
                return

    def _leader(self) -> _Member:
        named = self.shared.party.leader
        if named != "highest":
            return next(member for member in self.members if member.name == named)
        return max(self.members, key=lambda member: member.progress)

    def _cell(self, member: _Member, source: int) -> tuple[int, int, int]:
        column = int(self.grid.first_column[source])
        if skill := self.grid.skill_track[source]:
            ledger = member.skills[skill]
            column += ledger.level - ledger.start_level
        return member.profile, member.ledger.level - member.ledger.start_level, column

    def _chance(self, leader: _Member) -> Array:
        """Return the chance of each source, by the leader's weights; a source that is used up has none."""
        weight = self.shared.tables.encounter.weight[leader.profile, leader.ledger.level - leader.ledger.start_level]
        columns = self.grid.first_column.copy()
        for source, skill in self.shared.skilled:
            columns[source] += leader.skills[skill].level - leader.skills[skill].start_level
        weights = np.where(self.used < self.shared.limits, weight[columns], 0.0)
        return weights / weights.sum() if weights.sum() > 0 else weights

    def _encounter(self, number: int, leader: _Member, chance: Array) -> Iterator[SharedAward]:
        drawn = np.nonzero(chance)[0] if self.chance is None else [self.chance.choice(len(chance), p=chance)]
        sources = [int(source) for source in drawn]
        outcomes = [self._outcome(leader, source) for source in sources]
        shares = chance[chance > 0] if self.chance is None else np.ones(1)
        self.hours += (
            float(sum(share * seconds for share, (_, seconds, _) in zip(shares, outcomes, strict=True))) / 3600
        )
        leader_level = leader.ledger.level
        results = {m.name: self._mixed(m, leader_level, sources, shares, outcomes) for m in self.members}
        for source, share, (won, _, _) in zip(sources, shares, outcomes, strict=True):
            self.used[source] += share * won
            self._practise(source, share, won)
        text = self.grid.sources[int(sources[0])] if len(sources) == 1 else "mix"
        # The leader is booked first, so that who is held is held below where the leader now stands.
        for member in sorted(self.members, key=lambda m: m is not leader):
            award, factor = results[member.name]
            loss = sum(s * (1 - won) for s, (won, _, _) in zip(shares, outcomes, strict=True))
            yield self._book(number, text, leader, member, award, factor, float(loss))

    def _outcome(self, leader: _Member, source: int) -> tuple[float, float, Array]:
        """Return success (0 or 1, or its chance), seconds, and the chances of the source's amounts of XP."""
        encounter = self.shared.tables.encounter
        cell = self._cell(leader, source)
        success, seconds = float(encounter.success[cell]), float(encounter.seconds[cell])
        amounts, chances = self.shared.amounts(source, cell[1])
        rules = self.design.encounter
        if self.chance is not None:
            success = float(self.chance.random() < success)
            if rules and rules.variation:
                shape = float(rules.variation) ** -2
                seconds *= self.chance.gamma(shape, 1 / shape)
            chances = (np.arange(len(amounts)) == self.chance.choice(len(amounts), p=chances)).astype(np.float64)
        extra = float(rules.failure.extra_seconds) if rules else 0.0
        between = float(self.design.players[self.grid.profiles[leader.profile]].seconds_between)
        return success, seconds + (1 - success) * extra + between, chances

    def _mixed(
        self, member: _Member, leader_level: int, sources: list[int], shares: Array,
        outcomes: list[tuple[float, float, Array]],
    ) -> tuple[float, float]:  # fmt: skip
        """Return a member's award and factor, means over what may happen."""
        on = member.timeline.rules_on(self.hours * 3600)
        product = self.shared.product(leader_level, on)
        split = len(self.members) if self.shared.party.share == "split" else 1
        award = factor = 0.0
        for source, share, (won, _, chances) in zip(sources, shares, outcomes, strict=True):
            cell = self._cell(member, int(source))
            amounts, _ = self.shared.amounts(int(source), cell[1])
            award += share * float((chances * self._paid(amounts / split, float(product[cell]), won)).sum())
            factor += share * float(product[cell])
        return award, factor

    def _paid(self, amounts: Array, product: float, won: float) -> Array:
        full = award_of(self.design, amounts, np.float64(product))
        share = float(self.design.encounter.failure.xp_share) if self.design.encounter else 0.0
        rest = rounded(amounts * product * share, self.design.awards.rounding)
        return won * full + (1 - won) * rest

    def _book(
        self,
        number: int,
        source: str,
        leader: _Member,
        member: _Member,
        award: float,
        factor: float,
        failed: float,
    ) -> SharedAward:
        loss = float(self.design.encounter.failure.loss) if self.design.encounter else 0.0
        if loss and failed and member.ledger.level < member.ledger.max_level:
            taken = failed * loss * member.ledger.cost
            whole = self.design.track().overflow.whole_xp
            member.ledger.lose(float(np.floor(taken)) if whole else taken)
        if self.chance is None and self.design.track().overflow.whole_xp:
            # Expected values are fractions; whole XP is booked, and the rest waits for the next encounter.
            award += member.remainder
            award, member.remainder = float(np.floor(award + 1e-9)), max(award - np.floor(award + 1e-9), 0.0)
        booked = award
        if self.shared.party.hold_below_leader and member is not leader and factor > 1:
            booked = _held(member.ledger, award, leader.progress)
        member.ledger.award(booked)
        return self._line(number, source, leader, member, factor, booked, award - booked)

    def _practise(self, source: int, share: float, won: float) -> None:
        skill = list(self.design.sources.values())[source].skill
        if skill is None:
            return
        failing = float(self.design.encounter.failure.xp_share) if self.design.encounter else 0.0
        for member in self.members:
            cell = self._cell(member, source)
            on = member.timeline.rules_on(self.hours * 3600)
            full = float(self.shared.skill_award(on)[cell])
            rest = float(rounded(np.float64(full * failing), self.design.awards.rounding))
            member.skills[skill].award(share * (won * full + (1 - won) * rest))

    def _line(
        self,
        number: int,
        source: str,
        leader: _Member,
        member: _Member,
        factor: float,
        award: float,
        cut: float,
    ) -> SharedAward:
        return SharedAward(
            self.index, number, self.hours, source, leader.name, member.name, factor, award, cut,
            member.ledger.level, member.ledger.xp,
        )  # fmt: skip


def _held(ledger: Ledger, award: float, leader: tuple[int, float]) -> float:
    """Return the largest part of an award that does not lift a member past the leader in level and XP."""

    def passes(amount: float) -> bool:
        probe = copy.copy(ledger)
        probe.award(amount)
        return (probe.level, probe.xp) > leader

    if not passes(award):
        return award
    if ledger.level > leader[0] or (ledger.level, ledger.xp) >= leader:
        return 0.0
    step = 1.0 if float(award).is_integer() else 1e-6
    low, high = 0, int(award / step)
    while high - low > 1:
        middle = (low + high) // 2
        low, high = (low, middle) if passes(middle * step) else (middle, high)
    return low * step


def overtakings(run: PartyRun) -> list[tuple[str, str, int, int]]:
    """Return the members who passed the leader by a boosted award: member, leader, level and encounter, the "
    "first of each."""
    found: dict[str, tuple[str, str, int, int]] = {}
    table = run.table()
    for (_, encounter), rows in table[table["encounter"] > 0].groupby(["party", "encounter"], sort=True):
        by_name = {row.member: row for row in rows.itertuples()}
        leader = by_name[rows["leader"].iloc[0]]
        for row in rows.itertuples():
            ahead = (row.level, row.xp) > (leader.level, leader.xp)
            if row.member != leader.member and row.factor > 1 and ahead and row.award and row.member not in found:
                found[row.member] = (row.member, leader.member, int(row.level), int(encounter))
    return list(found.values())
