"""One track, tabulated: its costs, its points, and its overflow rule in units."""

from __future__ import annotations

from functools import cached_property
from typing import TYPE_CHECKING

import numpy as np

from ramulus.formula.functions import Array
from ramulus.rules.costs import CostCurve, cost_curve
from ramulus.rules.evaluating import fault
from ramulus.rules.overflow import Overflow, book_before_gate, overflow_of, threshold
from ramulus.rules.points import points_granted
from ramulus.rules.rounding import Rounder
from ramulus.rules.xp_units import MOST_UNITS, cost_units, to_units, units_per_xp

if TYPE_CHECKING:
    from collections.abc import Collection

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
    def gates(self) -> dict[int, bool]:
        """The levels of its gates, from 0, rising; and whether XP there fills the bar and no more."""
        main = self._design.main_track_name
        mine = [gate for gate in self._design.gates if (gate.track or main) == self.name]
        return {
            gate.at_level - self.track.start_level: gate.meanwhile == "fill"
            for gate in sorted(mine, key=lambda gate: gate.at_level)
        }

    def next_gate(self, level: int, is_open: Collection[int]) -> tuple[int, bool]:
        """Return the level of the next shut gate, at a level or above it, and whether XP there fills the bar only.

        Where there is none it is the cap.
        """
        shut = ((gate, fills) for gate, fills in self.gates.items() if gate >= level and gate not in is_open)
        return next(shut, (self.overflow.cap, False))

    def book(self, level: int, xp: int, units: int, is_open: Collection[int]) -> tuple[int, int, int]:
        """Book an award, with some gates open; returns as `book_award` does."""
        gate, fills = self.next_gate(level, is_open) if self.gates else (self.overflow.cap, False)
        return book_before_gate(self.overflow, gate, fills, level, xp, units)

    @cached_property
    def thresholds(self) -> list[int]:
        """The XP that pays for each level, in units; 0 at the cap, which every award reaches."""
        return [*(threshold(self.overflow, level) for level in range(self.overflow.cap)), 0]

    @property
    def refills(self) -> bool:
        """Whether its level-ups fill a pool."""
        stats = self._design.stats.values()
        is_main = self.name == self._design.main_track_name
        return is_main and any(stat.pool and stat.refill_on_level_up for stat in stats)

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
