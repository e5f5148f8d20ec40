"""One player profile, tabulated: what an encounter takes and pays, by level and column, at any hour."""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from ramulus.formula.functions import Array
from ramulus.rules.awarding import Awarding
from ramulus.rules.counted import Rules
from ramulus.rules.design_tables import DesignTables
from ramulus.rules.encounter_tables import EncounterTables
from ramulus.rules.lazily import Lazily
from ramulus.rules.multipliers import ALONE, Company
from ramulus.rules.pay import MeanAward, MeanPay
from ramulus.rules.pools import PoolTables
from ramulus.rules.pursuit import chances, pay_by_hour, pursuit_of, shares_of
from ramulus.rules.windows import Timeline, timeline

if TYPE_CHECKING:
    from ramulus.design.player import Player
    from ramulus.rules.columns import Index


class ProfileTables:
    """Everything about one profile's players of one ability; each table is made when first asked for.

    Attributes:
        tables: what holds for the whole design.
        name: the profile's name.
        ability_class: the class of ability of the players.
        player: what the file says of them.
        encounters: what an encounter takes.
        alone: the multipliers of a player alone.
    """

    def __init__(self, tables: DesignTables, name: str, ability_class: int, alone: Awarding | None = None) -> None:
        self.tables, self.name, self.ability_class = tables, name, ability_class
        self.player: Player = tables.design.profile(name)
        self.encounters = EncounterTables(
            tables.scene(name, ability_class), lambda: tables.practice_scene(name, ability_class)
        )
        self.alone = self.awarding(ALONE) if alone is None else alone
        self._pay: Lazily[Rules, MeanPay] = Lazily(self._mean_pay)
        self._timelines: Lazily[float, Timeline] = Lazily(lambda hours: timeline(tables.design, self.player, hours))

    def awarding(self, company: Company) -> Awarding:
        """Return the multipliers of these players in some company."""
        return Awarding(self.tables, self.encounters, company)

    def _mean_pay(self, on: Rules) -> MeanPay:
        between = float(self.player.seconds_between)
        return MeanPay(self.tables.design, self.encounters, self.alone.mean_award(on), between)

    def mean_pay(self, on: Rules) -> MeanPay:
        """Return what an encounter brings in the mean while some rules are on."""
        return self._pay[on]

    @cached_property
    def pay(self) -> Array:
        """What each source pays by the hour where players choose by it, always-on rules on, shape (L, C).

        Mean XP and what a skill's is worth, less what failures take; never below 0.
        """
        return self._paid(self.alone, self.mean_pay(self.tables.always_on))

    def pay_leading(self, size: int, *, splits: bool) -> Array:
        """Return `pay` as the leader of a party of some members has it: its own part, by the rules of that company."""
        awarding = self.awarding(Company(size=size))
        return self._paid(awarding, self._mean_leading(awarding, self.tables.always_on, size if splits else 1))

    def worth(self, on: Rules) -> Array:
        """Return mean XP of an encounter less what failures take, while some rules are on, shape (L, C)."""
        return self._worth(self.mean_pay(on))

    def worth_leading(self, on: Rules, size: int, *, splits: bool) -> Array:
        """Return `worth` as the leader of a party of some members has it."""
        return self._worth(self._mean_leading(self.awarding(Company(size=size)), on, size if splits else 1))

    @cached_property
    def spent(self) -> Array:
        """Mean seconds of an encounter where players choose by what pays, with its part of a rest, shape (L, C)."""
        seconds = self.mean_pay(self.tables.always_on).seconds
        return seconds + self.pools.rest_part if self.tables.design.encounters.rest is not None else seconds

    @cached_property
    def pools(self) -> PoolTables:
        """What encounters use up."""
        return PoolTables(self.tables.design, self.encounters)

    def _mean_leading(self, awarding: Awarding, on: Rules, parts: int) -> MeanPay:
        tables = self.tables
        awards = MeanAward(tables.design, tables.columns, tables.laws, awarding.product(on), parts)
        return MeanPay(tables.design, self.encounters, awards, float(self.player.seconds_between))

    def _paid(self, awarding: Awarding, mean: MeanPay) -> Array:
        worth = self._worth(mean)
        if self.player.skill_xp_worth:
            worth = worth + float(self.player.skill_xp_worth) * self._practised(awarding)
        return np.where(self.tables.columns.open, pay_by_hour(worth, self.spent), 0.0)

    def _worth(self, mean: MeanPay) -> Array:
        if not self.tables.lost.any():
            return mean.xp
        return mean.xp - (1 - self.encounters.success) * (self.tables.lost / self.tables.main.scale)[:, None]

    def _practised(self, awarding: Awarding) -> Array:
        """Return the mean skill XP of an encounter, (L, C); a second skill of a source at its start level."""
        on, columns, practice = self.tables.always_on, self.tables.columns, self.tables.practice
        share = float(self.tables.design.encounters.failure.xp_share)
        won, consolation = awarding.skill_award(on), awarding.skill_award(on, share)
        found = np.zeros(columns.shape)
        for index, name in enumerate(practice.sources):
            source = columns.sources.index(name)
            mine, its = columns.of([source]), practice.first_column[index]
            if practice.skill_track[index] == columns.skill_track[source]:
                its = practice.of([index])
            success = self.encounters.success[:, mine]
            found[:, mine] += success * _beside(won[:, its]) + (1 - success) * _beside(consolation[:, its])
        return found

    def timeline(self, hours: float) -> Timeline:
        """Return which multipliers are on when, over some played hours."""
        return self._timelines[hours]

    def chance(self, columns: Index) -> Array:
        """Return the chance of each source to be the next encounter while all have uses left, shape (L, S)."""
        return self._chances(self.encounters.weight[:, columns], columns)

    def lasting_chance(self, columns: Index) -> Array:
        """Return the chance of each source to be the next encounter once uses have run out, shape (L, S).

        Sources with a limit are left out wherever a lasting one is met: how long they last is a matter of playing.
        """
        weight = self.encounters.weight[:, columns]
        lasting = weight * [not any(source.limits) for source in self.tables.design.sources.values()]
        some = np.where(lasting.any(axis=1, keepdims=True), lasting, weight)
        return self._chances(some, columns)

    def chance_by_weight(self, columns: Index) -> Array:
        """Return what `chance` would be for players who go after nothing, shape (L, S)."""
        return shares_of(self.encounters.weight[:, columns])

    def _chances(self, weight: Array, columns: Index) -> Array:
        pursuit = pursuit_of(self.player)
        return chances(weight, self.pay[:, columns], pursuit) if pursuit else shares_of(weight)

    def mix(self, columns: Index) -> tuple[Array, Array]:
        """Return mean XP and mean seconds of the next encounter, whichever lasting one it is, shape (L,) each."""
        chance, mean = self.lasting_chance(columns), self.mean_pay(self.tables.always_on)
        return (chance * mean.xp[:, columns]).sum(axis=1), (chance * mean.seconds[:, columns]).sum(axis=1)


def _beside(values: Array) -> Array:
    """Return values by level beside columns, where they are the same for all of them."""
    return values if values.ndim == 2 else values[:, None]
