"""The multipliers of some players in some company: their factors, what they come to, and what is awarded by them."""

from __future__ import annotations

from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.rules.award_units import Ints, fixed_units, refuse_large, skill_units
from ramulus.rules.counted import Rules
from ramulus.rules.design_tables import DesignTables
from ramulus.rules.encounter_tables import EncounterTables
from ramulus.rules.lazily import Lazily
from ramulus.rules.multipliers import Company, Link, links, product_of, rule_factors
from ramulus.rules.pay import MeanAward
from ramulus.rules.rounding import Rounder


class Awarding:
    """The multipliers of one profile in some company: their factors, what they come to, and what is awarded by them."""

    def __init__(self, tables: DesignTables, encounters: EncounterTables, company: Company) -> None:
        self._tables, self._encounters, self._company = tables, encounters, company
        self._products: Lazily[Rules, Array] = Lazily(self._product)
        self._skill_products: Lazily[Rules, Array] = Lazily(self._product_for_skills)
        self._means: Lazily[Rules, MeanAward] = Lazily(self._mean_award)
        self._units: Lazily[Rules, Ints] = Lazily(self._fixed_units)
        self._skill_units: Lazily[Rules, Ints] = Lazily(self._units_of_skill)

    @cached_property
    def factors(self) -> list[Array]:
        """The factor of each rule on main-track awards, (L, C) each, not a number where it does not apply."""
        return rule_factors(self._encounters.scene, company=self._company)

    @cached_property
    def skill_factors(self) -> list[Array]:
        """The factor of each rule on skill awards, (L, P) each, not a number where it does not apply."""
        return rule_factors(self._encounters.practice, for_skill=True, company=self._company)

    @property
    def met(self) -> NDArray[np.bool_]:
        """Where an award may be made, broadcasting to (L, C)."""
        return self._tables.columns.open if self._company.shares is None else self._company.shares

    def _product(self, on: Rules) -> Array:
        return product_of(links(self._tables.design, self.factors, on, self.met), self._tables.columns.shape)

    def _product_for_skills(self, on: Rules) -> Array:
        practice = self._tables.practice
        met = practice.open if self._company.shares is None else self._company.shares
        return product_of(links(self._tables.design, self.skill_factors, on, met), practice.shape)

    def _mean_award(self, on: Rules) -> MeanAward:
        tables = self._tables
        return MeanAward(tables.design, tables.columns, tables.laws, self.product(on))

    def _fixed_units(self, on: Rules) -> Ints:
        refuse_large(self._tables, self._tables.laws, self._tables.columns, self.product(on), self.met)
        return fixed_units(self._tables, self.product(on), self.met)

    def _units_of_skill(self, on: Rules) -> Ints:
        share = float(self._tables.design.encounters.failure.xp_share)
        return skill_units(self._tables, self.skill_award(on, share), self.skill_award(on))

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
        """Return what a failure and a success award to the skills practised, in their units, (2, L, P)."""
        return self._skill_units[on]

    def skill_award(self, on: Rules, failure_share: float = 1.0) -> Array:
        """Return the awards to the skills practised: of a success, or the share that a failure pays, (L, P)."""
        exact = self._encounters.skill_xp * self._skill_products[on] * failure_share
        return Rounder.of(self._tables.design.awards)(exact)

    def skill_product(self, on: Rules) -> Array:
        """Return the product of the rules that are on, for skill awards, (L, P)."""
        return self._skill_products[on]

    def chain(self, on: Rules, level: int, column: int) -> list[Link]:
        """Return the links of the product at one level (an index) and column."""
        factors = [np.asarray(factor[level, column]) for factor in self.factors]
        return links(self._tables.design, factors, on)
