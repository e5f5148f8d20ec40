"""One player profile, tabulated: what an encounter takes and pays, by level and column, at any hour."""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ramulus.design.trait import VaryingTrait
from ramulus.formula import parse
from ramulus.formula.functions import Array
from ramulus.rules.ability import MIDDLE
from ramulus.rules.award_units import Ints, fixed_units, refuse_large, skill_units
from ramulus.rules.encounter_tables import EncounterTables
from ramulus.rules.lazily import Lazily
from ramulus.rules.multipliers import ALONE, Company, Link, links, product_of, rule_factors
from ramulus.rules.pay import MeanAward, MeanPay
from ramulus.rules.pursuit import pay_by_hour
from ramulus.rules.rounding import Rounder
from ramulus.rules.windows import Timeline, timeline

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.design.player import Player
    from ramulus.rules.tabulation import Tabulation

Rules = frozenset[int]


class Awarding:
    """The multipliers of one profile in some company: their factors, what they come to, and what is awarded by them."""

    def __init__(self, profile: ProfileTables, company: Company) -> None:
        self._profile, self._company, self._tabulation = profile, company, profile.tabulation
        self._products: Lazily[Rules, Array] = Lazily(lambda on: self._product(self.factors, on))
        self._skill_products: Lazily[Rules, Array] = Lazily(lambda on: self._product(self.skill_factors, on))
        self._means: Lazily[Rules, MeanAward] = Lazily(self._mean_award)
        self._units: Lazily[Rules, Ints] = Lazily(self._fixed_units)
        self._skill_units: Lazily[Rules, Ints] = Lazily(self._units_of_skill)

    @cached_property
    def factors(self) -> list[Array]:
        """The factor of each rule on main-track awards, (L, C) each, not a number where it does not apply."""
        return rule_factors(self._profile.encounters.scene, company=self._company)

    @cached_property
    def skill_factors(self) -> list[Array]:
        """The factor of each rule on skill awards, (L, C) each, not a number where it does not apply."""
        return rule_factors(self._profile.encounters.scene, for_skill=True, company=self._company)

    @property
    def met(self) -> NDArray[np.bool_]:
        """Where an award may be made, broadcasting to (L, C)."""
        return self._tabulation.columns.open if self._company.shares is None else self._company.shares

    def _product(self, factors: list[Array], on: Rules) -> Array:
        return product_of(links(self._tabulation.design, factors, on, self.met), self._tabulation.columns.shape)

    def _mean_award(self, on: Rules) -> MeanAward:
        tabulation = self._tabulation
        return MeanAward(tabulation.design, tabulation.columns, tabulation.laws, self.product(on))

    def _fixed_units(self, on: Rules) -> Ints:
        refuse_large(self._tabulation, self._tabulation.columns, self.product(on), self.met)
        return fixed_units(self._tabulation, self.product(on), self.met)

    def _units_of_skill(self, on: Rules) -> Ints:
        share = float(self._tabulation.design.encounters.failure.xp_share)
        return skill_units(self._tabulation, self.skill_award(on, share), self.skill_award(on), self.met)

    def product(self, on: Rules) -> Array:
        """Return the product of the rules that are on, for main-track awards, (L, C)."""
        return self._products[on]

    def mean_award(self, on: Rules) -> MeanAward:
        """Return what an attempt awards in the mean while some rules are on."""
        return self._means[on]

    def units(self, on: Rules) -> Ints:
        """Return what a failure and a success award where XP is fixed, in units, (2, L, C); 0 where it is drawn."""
        return self._units[on]

    def skill_units(self, on: Rules) -> Ints:
        """Return what a failure and a success award to the skill practised, in its units, (2, L, C)."""
        return self._skill_units[on]

    def skill_award(self, on: Rules, failure_share: float = 1.0) -> Array:
        """Return the award to the skill that a source practises: of a success, or the share that a failure pays."""
        exact = self._profile.encounters.skill_xp * self._skill_products[on] * failure_share
        return Rounder.of(self._tabulation.design.awards)(exact)

    def skill_product(self, on: Rules) -> Array:
        """Return the product of the rules that are on, for skill awards, (L, C)."""
        return self._skill_products[on]

    def chain(self, on: Rules, level: int, column: int) -> list[Link]:
        """Return the links of the product at one level (an index) and column."""
        factors = [np.asarray(factor[level, column]) for factor in self.factors]
        return links(self._tabulation.design, factors, on)


class ProfileTables:
    """Everything about one profile's players of one ability; each table is made when first asked for.

    Attributes:
        tabulation: the design's.
        name: the profile's name.
        ability_class: the class of ability of the players.
        player: what the file says of them.
        encounters: what an encounter takes.
        alone: the multipliers of a player alone.
    """

    def __init__(self, tabulation: Tabulation, name: str, ability_class: int) -> None:
        self.tabulation, self.name, self.ability_class = tabulation, name, ability_class
        self.player: Player = tabulation.design.profile(name)
        self.encounters = EncounterTables(tabulation.scene(name, ability_class))
        # Awards are made once for all abilities where no multiplier looks at one.
        like_others = ability_class != MIDDLE and not _looks_at_ability(tabulation.design, self.player)
        self.alone: Awarding = tabulation.profile(name).alone if like_others else Awarding(self, ALONE)
        self._pay: Lazily[Rules, MeanPay] = Lazily(self._mean_pay)
        self._timelines: Lazily[float, Timeline] = Lazily(lambda hours: timeline(tabulation.design, self.player, hours))

    def _mean_pay(self, on: Rules) -> MeanPay:
        between = float(self.player.seconds_between)
        return MeanPay(self.tabulation.design, self.encounters, self.alone.mean_award(on), between)

    def mean_pay(self, on: Rules) -> MeanPay:
        """Return what an encounter brings in the mean while some rules are on."""
        return self._pay[on]

    @cached_property
    def pay(self) -> Array:
        """What each source pays by the hour where players choose by it, always-on rules on, shape (L, C).

        Mean XP and what a skill's is worth, less what failures take; never below 0.
        """
        return self._paid(self.alone, self.mean_pay(self.tabulation.always_on))

    def pay_leading(self, size: int, *, splits: bool) -> Array:
        """Return `pay` as the leader of a party of some members has it: its own part, by the rules of that company."""
        tabulation, on = self.tabulation, self.tabulation.always_on
        awarding = Awarding(self, Company(size=size))
        awards = MeanAward(
            tabulation.design, tabulation.columns, tabulation.laws, awarding.product(on), size if splits else 1
        )
        return self._paid(
            awarding, MeanPay(tabulation.design, self.encounters, awards, float(self.player.seconds_between))
        )

    def _paid(self, awarding: Awarding, mean: MeanPay) -> Array:
        on, design, main = self.tabulation.always_on, self.tabulation.design, self.tabulation.main
        failure, failing = design.encounters.failure, 1 - self.encounters.success
        worth = mean.xp
        if self.tabulation.lost.any():
            worth = worth - failing * (self.tabulation.lost / main.scale)[:, None]
        if self.player.skill_xp_worth:
            won, consolation = awarding.skill_award(on), awarding.skill_award(on, float(failure.xp_share))
            practised = self.encounters.success * won + failing * consolation
            worth = worth + float(self.player.skill_xp_worth) * practised
        return np.where(self.tabulation.columns.open, pay_by_hour(worth, mean.seconds), 0.0)

    def timeline(self, hours: float) -> Timeline:
        """Return which multipliers are on when, over some played hours."""
        return self._timelines[hours]


def _looks_at_ability(design: Design, player: Player) -> bool:
    """Return whether a multiplier reads a trait in which the profile's players differ."""
    varying = {name for name, trait in player.traits.items() if isinstance(trait, VaryingTrait)}
    texts = [text for rule in design.multipliers for text in (rule.factor, rule.against) if isinstance(text, str)]
    return any(varying & set(parse(text).names) for text in texts)
