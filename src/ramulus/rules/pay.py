"""What an encounter pays: XP drawn, times multipliers, rounded; and what it brings in the mean.

`paid_xp` is the one rule, over plain numbers. The tables here apply it to whole arrays of levels × columns.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from ramulus.formula.functions import Array
from ramulus.rules.rounding import Rounder, round_amount

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.design.encounter import Awards
    from ramulus.rules.columns import Columns
    from ramulus.rules.encounter_tables import EncounterTables
    from ramulus.rules.xp_laws import XpLaw

MOST_ROUNDINGS = 20_000_000
ROUNDED_AT_ONCE = 1_000_000
_SHIFT = {"down": -0.5, "nearest": 0.0, "up": 0.5, "none": 0.0}  # What rounding does to an amount in the mean.


def paid_xp(
    drawn: float, product: float, won: bool, failure_share: float, rounding: int, rounding_to: float, least: float
) -> float:
    """Return the XP that an encounter awards.

    A success pays the XP drawn times the product of multipliers, rounded, and never below the least award; a
    failure a share of it, rounded. Plain numbers only, so that a kernel compiles it.
    """
    if won:
        return max(round_amount(drawn * product, rounding, rounding_to), least)
    return round_amount(drawn * product * failure_share, rounding, rounding_to)


def paid(awards: Awards, drawn: Array | float, product: Array, failure_share: float | None = None) -> Array:
    """Return `paid_xp` over arrays: of successes, or of failures that pay a share."""
    if failure_share is None:
        return np.maximum(Rounder.of(awards)(drawn * product), awards.least_award)
    return Rounder.of(awards)(drawn * product * failure_share)


@dataclass(frozen=True, eq=False)
class MeanAward:
    """What an attempt that succeeds, or fails, awards in the mean under some multipliers, shape (L, C) each.

    Attributes:
        design: the design.
        columns: the levels and columns.
        laws: what XP is drawn from, a law a source.
        product: the product of multipliers.
        parts: into how many equal parts the XP drawn is divided first: members of a party that splits it.
    """

    design: Design
    columns: Columns
    laws: list[XpLaw]
    product: Array
    parts: int = 1

    @cached_property
    def base(self) -> Array:
        """Mean XP drawn, before multipliers; not a number where a closed source has none."""
        return self.columns.spread([law.mean for law in self.laws])

    @cached_property
    def success(self) -> Array:
        """Mean award of a success."""
        return self._mean(None)

    @cached_property
    def failure(self) -> Array:
        """Mean award of a failure."""
        share = float(self.design.encounters.failure.xp_share)
        return self._mean(share) if share else np.zeros(self.columns.shape)

    def _mean(self, failure_share: float | None) -> Array:
        # Fixed amounts all at once; the mean of what is drawn is over each amount as it is rounded.
        result = paid(self.design.awards, self.base / self.parts, self.product, failure_share)
        for index, law in enumerate(self.laws):
            if law.width != 1:
                mine = self.columns.of([index])
                mean_of = self._nearly_mean_of if index in self.nearly else self._mean_of
                result[:, mine] = mean_of(law, self.product[:, mine], failure_share)
        return np.where(np.isnan(result), 0.0, result)

    @cached_property
    def nearly(self) -> frozenset[int]:
        """The sources (by index) that draw from too many amounts to round each: their means are within half an XP."""
        cells = [len(self.columns.levels) * int(width) for width in self.columns.width]
        return frozenset(i for i, law in enumerate(self.laws) if law.width * cells[i] > MOST_ROUNDINGS)

    def _nearly_mean_of(self, law: XpLaw, product: Array, failure_share: float | None) -> Array:
        """Return the mean with what rounding does taken at its middle, so that no amount has to be rounded."""
        factor = product / self.parts * (1.0 if failure_share is None else failure_share)
        least = float(self.design.awards.least_award) if failure_share is None else 0.0
        rounder, low = Rounder.of(self.design.awards), law.low[:, None]
        shift = _SHIFT[rounder.kind] * rounder.to
        with np.errstate(divide="ignore", over="ignore", invalid="ignore"):
            paying = np.ceil((least - shift) / factor)  # The first amount that is not lifted to the least award.
        first = np.clip(np.where(factor > 0, paying, np.inf), low, low + law.width)
        above = low + law.width - first
        total = (law.width - above) * least + above * (factor * (first + (above - 1) / 2) + shift)
        return np.asarray(total / law.width)

    def _mean_of(self, law: XpLaw, product: Array, failure_share: float | None) -> Array:
        """Return the mean over what is drawn, each amount as it is rounded; many amounts at once, (amounts, L, C)."""
        total, weights = np.zeros((1, 1)), 0.0
        for amounts, chances in _outcomes(law, max(ROUNDED_AT_ONCE // max(product.size, 1), 1)):
            awards = paid(self.design.awards, amounts / self.parts, product, failure_share)
            total = total + (chances[:, None, None] * awards).sum(axis=0)
            weights += float(chances.sum())
        return total / weights


@dataclass(frozen=True, eq=False)
class MeanPay:
    """What an encounter brings one profile in the mean while some rules are on, shape (L, C) each.

    Attributes:
        design: the design.
        tables: what an encounter takes.
        awards: what it awards.
        seconds_between: the profile's seconds between encounters.
    """

    design: Design
    tables: EncounterTables
    awards: MeanAward
    seconds_between: float

    @property
    def base(self) -> Array:
        """Mean XP drawn, before multipliers; not a number where a closed source has none."""
        return self.awards.base

    @property
    def award(self) -> Array:
        """Mean award of a success."""
        return self.awards.success

    @cached_property
    def xp(self) -> Array:
        """Mean XP of an encounter, failures counted."""
        success = self.tables.success
        return np.asarray(success * self.awards.success + (1 - success) * self.awards.failure)

    @cached_property
    def seconds(self) -> Array:
        """Mean seconds of an encounter, with what a failure adds and the seconds between encounters."""
        extra = float(self.design.encounters.failure.extra_seconds)
        return self.tables.seconds + (1 - self.tables.success) * extra + self.seconds_between

    @cached_property
    def xp_per_hour(self) -> Array:
        """Mean XP over mean time; not a number where no time passes."""
        nothing = np.full(self.xp.shape, np.nan)
        return np.asarray(np.divide(3600 * self.xp, self.seconds, out=nothing, where=self.seconds > 0))


def _outcomes(law: XpLaw, at_once: int) -> Iterator[tuple[Array, Array]]:
    """Yield some amounts by level at a time, shape (amounts, L, 1), with their weights, shape (amounts,)."""
    listed, chances = not law.width, np.diff(law.up_to, prepend=0.0)
    many = len(law.amounts) if listed else law.width
    for first in range(0, many, at_once):
        some = slice(first, min(first + at_once, many))
        if listed:
            yield law.amounts[some, None, None] * np.ones((1, len(law.low), 1)), chances[some]
        else:
            steps = np.arange(some.start, some.stop, dtype=np.float64)
            yield law.low[None, :, None] + steps[:, None, None], np.ones(len(steps))
