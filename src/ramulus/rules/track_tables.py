"""One track, tabulated: its costs, its points, and its overflow rule in units."""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from ramulus.formula.functions import Array
from ramulus.rules.costs import CostCurve, cost_curve
from ramulus.rules.evaluating import fault
from ramulus.rules.overflow import Overflow, overflow_of, threshold
from ramulus.rules.points import points_granted
from ramulus.rules.rounding import Rounder
from ramulus.rules.xp_units import MOST_UNITS, cost_units, to_units, units_per_xp

if TYPE_CHECKING:
    from ramulus.design import Design


class TrackTables:
    """Everything about one track that does not depend on who plays; each table is made when first asked for.

    Attributes:
        name: the track's name.
        track: what the file says of it.
    """

    def __init__(self, design: Design, name: str) -> None:
        self.name, self.track = name, design.track(name)
        self._design = design

    @cached_property
    def curve(self) -> CostCurve:
        """What each level costs, in XP."""
        return cost_curve(self._design, self.name)

    @cached_property
    def granted(self) -> Array:
        """The points granted from the start level up to each level, shape (levels,)."""
        return points_granted(self._design, self.name)

    @cached_property
    def scale(self) -> int:
        """How many units one XP has."""
        design, rules = self._design, self.track.overflow
        awards, loses = design.awards, design.encounters.failure.loss != 0
        loses = loses or (design.away_bonus is not None and self.name == design.main_track_name)
        is_whole = not 0 < rules.carry < 1 and rules.carry_limit is None and not loses
        # Without sources nobody knows what will be awarded; where XP is not whole, it may be anything.
        parts = awards.rounding == "none" or (not rules.whole_xp and not (is_whole and design.sources))
        amounts = [self.track.start_xp, awards.least_award, Rounder.of(awards).to]
        if self.name == design.main_track_name:
            amounts += [player.start_xp or 0 for player in design.players.values()]
        return units_per_xp(self.curve, amounts, parts=parts)

    @cached_property
    def overflow(self) -> Overflow:
        """The overflow rule with the costs in units, as whole numbers of any size."""
        return overflow_of(self.track, cost_units(self.curve, self.scale), self.scale)

    @cached_property
    def thresholds(self) -> list[int]:
        """The XP that pays for each level, in units; 0 at the cap, which every award reaches."""
        return [*(threshold(self.overflow, level) for level in range(self.overflow.cap)), 0]

    @cached_property
    def start_units(self) -> int:
        """The XP inside the start level at the start, in units."""
        return int(to_units(np.asarray(self.track.start_xp), self.scale))

    def refuse_beyond_exact(self) -> None:
        """Refuse totals that a kernel could not count exactly.

        Raises:
            DesignError: the totals are beyond MOST_UNITS.
        """
        total = float(self.curve.totals[-1])
        if total * self.scale > MOST_UNITS:
            found, allowed = f"{total:.6g} XP in all", f"at most {MOST_UNITS:,} XP in a simulation"
            raise fault(f"tracks.{self.name}.cost", found, allowed, "total-beyond-exact")
