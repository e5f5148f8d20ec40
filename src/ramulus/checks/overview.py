"""What every check of encounters looks at."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from ramulus.formula.functions import Array
from ramulus.rules.columns import Columns
from ramulus.rules.tabulation import Tabulation, tabulated

if TYPE_CHECKING:
    from ramulus.design import Design


@dataclass(frozen=True, eq=False)
class Overview:
    """What every check of encounters looks at, for all profiles: P profiles, L levels, C columns.

    Attributes:
        tabulation: the design's.
        names: the profiles.
        seconds, success, weight, xp, spent, award: what an encounter takes and pays in the mean, shape (P, L, C).
        chance: of each source to be met while all have uses left, one column a source, shape (P, L, S).
        lasting: of each source to be met once uses have run out, shape (P, L, S).
        rate: XP per hour of the mix that is met, shape (P, L).
    """

    tabulation: Tabulation
    names: tuple[str, ...]
    seconds: Array
    success: Array
    weight: Array
    xp: Array
    spent: Array
    award: Array
    chance: Array
    lasting: Array
    rate: Array

    @property
    def columns(self) -> Columns:
        """The levels and columns."""
        return self.tabulation.columns

    def left_out(self, level: int) -> str:
        """Words for the sources that run out, where the rate at a level (an index) leaves them aside."""
        at, sources = self.columns.first_column, self.tabulation.design.sources
        met = (self.weight[:, level, at] > 0).any(axis=0)
        limited = np.array([any(source.limits) for source in sources.values()])
        if not (met & limited).any() or not (met & ~limited).any():
            return ""
        names = [name for name, one in zip(sources, met & limited, strict=True) if one]
        return f" (not counted, as it runs out: {', '.join(names)})"

    def whom(self, profile: int) -> str:
        """Words that name a profile, where the design has profiles."""
        return f" for {self.names[profile]!r}" if self.tabulation.design.players else ""


def overview_of(design: Design) -> Overview:
    """Return what every check of encounters looks at; `design.derived(overview_of)` keeps it."""
    tabulation = tabulated(design)
    at = tabulation.columns.first_column
    profiles = [tabulation.profile(name) for name in design.profiles]
    pays = [profile.mean_pay(tabulation.always_on) for profile in profiles]
    mixes = [profile.mix(at) for profile in profiles]
    return Overview(
        tabulation,
        tuple(design.profiles),
        np.stack([profile.encounters.seconds for profile in profiles]),
        np.stack([profile.encounters.success for profile in profiles]),
        np.stack([profile.encounters.weight for profile in profiles]),
        np.stack([pay.xp for pay in pays]),
        np.stack([pay.seconds for pay in pays]),
        np.stack([pay.award for pay in pays]),
        np.stack([profile.chance(at) for profile in profiles]),
        np.stack([profile.lasting_chance(at) for profile in profiles]),
        np.stack([3600 * xp / np.maximum(seconds, 1e-9) for xp, seconds in mixes]),
    )
