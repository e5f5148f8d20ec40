"""One player profile, tabulated: what an encounter takes and pays, by level and column, at any hour."""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from ramulus.formula.functions import Array
from ramulus.rules.awarding import Awarding
from ramulus.rules.design_tables import DesignTables
from ramulus.rules.encounter_tables import EncounterTables
from ramulus.rules.lazily import Lazily
from ramulus.rules.multipliers import ALONE, Company, Rules
from ramulus.rules.pay import MeanAward, MeanPay
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
        self.encounters = EncounterTables(tables.scene(name, ability_class))
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
        tables, on = self.tables, self.tables.always_on
        awarding = self.awarding(Company(size=size))
        awards = MeanAward(tables.design, tables.columns, tables.laws, awarding.product(on), size if splits else 1)
        return self._paid(awarding, MeanPay(tables.design, self.encounters, awards, float(self.player.seconds_between)))

    def _paid(self, awarding: Awarding, mean: MeanPay) -> Array:
        on, design, main = self.tables.always_on, self.tables.design, self.tables.main
        failure, failing = design.encounters.failure, 1 - self.encounters.success
        worth = mean.xp
        if self.tables.lost.any():
            worth = worth - failing * (self.tables.lost / main.scale)[:, None]
        if self.player.skill_xp_worth:
            won, consolation = awarding.skill_award(on), awarding.skill_award(on, float(failure.xp_share))
            practised = self.encounters.success * won + failing * consolation
            worth = worth + float(self.player.skill_xp_worth) * practised
        return np.where(self.tables.columns.open, pay_by_hour(worth, mean.seconds), 0.0)

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
