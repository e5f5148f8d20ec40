"""Tabulate, then play: everything that depends only on profile, level, skill level, source and active rules.

The gain and effort tables, the expected pace and the simulation read these very arrays.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from ramulus.formula.functions import Array
from ramulus.rules.encounters import CHOICE, RANGE, EncounterTables, encounter_tables
from ramulus.rules.grid import Grid, make_grid
from ramulus.rules.multipliers import always_on, award_of, rule_factors, stacked, whole_amounts
from ramulus.rules.rounding import rounded

if TYPE_CHECKING:
    from ramulus.design import Design


@dataclass(frozen=True, eq=False)
class Tables:
    """The tables of a design over its grid of profiles × levels × columns."""

    grid: Grid
    encounter: EncounterTables

    @property
    def design(self) -> Design:
        """The design."""
        return self.grid.design

    @cached_property
    def factors(self) -> list[Array]:
        """The factor of each rule on main-track awards, (P, L, C) each, not a number where it does not apply."""
        return rule_factors(self.grid)

    @cached_property
    def skill_factors(self) -> list[Array]:
        """The factor of each rule on skill awards."""
        return rule_factors(self.grid, for_skill=True)

    def product(self, on: Iterable[int] | None = None) -> Array:
        """Return the product of the rules that are on (default: those that hold at any hour), (P, L, C)."""
        rules = always_on(self.design) if on is None else on
        return np.broadcast_to(stacked(self.design, self.factors, rules), self.grid.shape)

    def skill_product(self, on: Iterable[int] | None = None) -> Array:
        """Return the product of the rules that are on, for skill awards, (P, L, C)."""
        rules = always_on(self.design) if on is None else on
        return np.broadcast_to(stacked(self.design, self.skill_factors, rules), self.grid.shape)

    def skill_award(self, on: Iterable[int] | None = None) -> Array:
        """Return the award to the skill that a source practises, on success, (P, L, C)."""
        return rounded(self.encounter.skill_xp * self.skill_product(on), self.design.awards.rounding)

    def mean_award(self, product: Array, share: float = 1.0) -> Array:
        """Return the mean award on success, (P, L, C); with a share below 1, what a failure still pays."""
        xp = self.encounter.xp
        source_of = self.grid.source_of
        result = self._paid(xp.fixed[:, source_of][None], product, share)
        for index in np.nonzero(xp.kind != 0)[0]:
            columns = self.grid.columns_of([int(index)])
            part = product[:, :, columns]
            if xp.kind[index] == RANGE:
                result[:, :, columns] = self._mean_of_range(float(xp.low[index]), float(xp.high[index]), part, share)
            elif xp.kind[index] == CHOICE:
                result[:, :, columns] = self._mean_of_choice(int(index), part, share)
        return result

    def _paid(self, xp: Array, product: Array, share: float) -> Array:
        if share == 1.0:
            return award_of(self.design, xp, product)
        return rounded(xp * product * share, self.design.awards.rounding)

    def _mean_of_range(self, low: float, high: float, product: Array, share: float) -> Array:
        amounts = whole_amounts(low, high)
        return np.asarray(np.mean([self._paid(np.asarray(amount), product, share) for amount in amounts], axis=0))

    def _mean_of_choice(self, index: int, product: Array, share: float) -> Array:
        xp = self.encounter.xp
        span = slice(int(xp.first[index]), int(xp.first[index + 1]))
        chances = np.diff(xp.up_to[span], prepend=0.0)
        paid = [self._paid(np.asarray(amount), product, share) for amount in xp.outcome[span]]
        return np.tensordot(chances, np.stack(paid), axes=1)


def make_tables(design: Design, profiles: list[str] | None = None) -> Tables:
    """Tabulate a design for some player profiles (default: all).

    Raises:
        MissingPartError: sources, or the time of an encounter, are missing.
        DesignError: a formula fails somewhere, or gives what its place does not allow.
    """
    grid = make_grid(design, profiles)
    return Tables(grid, encounter_tables(grid))
