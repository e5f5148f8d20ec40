"""Tabulate once, then read: everything of a design that depends on no chance, computed on first use and kept.

Below this file nobody reads a formula, a model or a file again: tables, checks, figures and kernels read these very
arrays, so that a number which two views show cannot differ.
"""

from __future__ import annotations

from typing import TYPE_CHECKING

from ramulus.errors import refuse_other_than_design
from ramulus.rules.ability import MIDDLE, classes_of
from ramulus.rules.design_tables import DesignTables
from ramulus.rules.lazily import Lazily
from ramulus.rules.multipliers import looks_at_ability
from ramulus.rules.profile_tables import ProfileTables

if TYPE_CHECKING:
    from ramulus.design import Design


class Tabulation(DesignTables):
    """A design in numbers: what holds for all of it, and the tables of each profile.

    Attributes:
        profiles: tables of each player profile, by name and class of ability.
    """

    def __init__(self, design: Design) -> None:
        super().__init__(design)
        self.profiles: Lazily[tuple[str, int], ProfileTables] = Lazily(lambda key: self._profile(*key))

    def _profile(self, name: str, ability_class: int) -> ProfileTables:
        # Awards are made once for all abilities where no multiplier looks at one.
        like_others = ability_class != MIDDLE and not looks_at_ability(self.design, self.design.profile(name))
        alone = self.profile(name).alone if like_others else None
        return ProfileTables(self, name, ability_class, alone)

    def take_over(self, other: Tabulation) -> None:
        """Read the encounter tables of another design, which must be the same as this one's would be."""
        self.profiles = other.profiles
        self.__dict__.update(columns=other.columns, laws=other.laws)

    def profile(self, name: str | None = None, ability_class: int = MIDDLE) -> ProfileTables:
        """Return the tables of a player profile (default: the first one), at the middle ability or another one's.

        Raises:
            UnknownNameError: there is no such profile.
        """
        name = name or next(iter(self.design.profiles))
        return self.profiles[name, ability_class if classes_of(self.design.profile(name)) > 1 else MIDDLE]


def tabulated(design: Design) -> Tabulation:
    """Return the tabulation of a design, made on first use and kept with it.

    Raises:
        RamulusError: it is no design.
    """
    refuse_other_than_design(design)
    return design.derived(Tabulation)
