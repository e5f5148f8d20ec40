"""The level that some total XP pays for."""

from __future__ import annotations

import math
from dataclasses import dataclass
from html import escape
from numbers import Real
from typing import TYPE_CHECKING

from ramulus.errors import AwardError, shortly
from ramulus.rules.tabulation import tabulated
from ramulus.rules.xp_units import plain_number

if TYPE_CHECKING:
    from ramulus.design import Design


@dataclass(frozen=True)
class LevelAt:
    """What some XP in all pays for.

    Attributes:
        xp: XP from nothing.
        level: the level it pays for.
        left: XP beyond that level's total.
        cost: XP from that level to the next; None at the cap.
        max_level: the cap.

    Examples:
        >>> import ramulus as rm
        >>> found = rm.level_at(rm.demo_design(), 12_345)
        >>> found.level
        17
    """

    xp: float
    level: int
    left: float
    cost: float | None
    max_level: int

    def __str__(self) -> str:
        paid = f"{self.xp:,.10g} XP in all pays for level {self.level}"
        if self.cost is None:
            return f"{paid}, the cap, and leaves {self.left:,.10g} XP."
        share = f"{self.left / self.cost:.0%}"
        return f"{paid} and leaves {self.left:,.10g} of the {self.cost:,.10g} XP to the next level ({share})."

    def _repr_html_(self) -> str:
        return f"<p>{escape(str(self))}</p>"


def level_at(design: Design, xp: float, track: str | None = None) -> LevelAt:
    """Return the level that some XP from nothing pays for, by the costs alone: nothing wasted, nothing lost.

    Args:
        design: the design.
        xp: XP in all, finite and ≥ 0.
        track: the track (default: the main one).

    Raises:
        AwardError: the XP is no finite number ≥ 0.
        DesignError: costs are at fault.

    Examples:
        >>> import ramulus as rm
        >>> print(rm.level_at(rm.demo_design(), 12_345))
        12,345 XP in all pays for level 17 and leaves 1,191 of the 1,824 XP to the next level (65%).
    """
    if isinstance(xp, bool) or not isinstance(xp, Real) or not (math.isfinite(xp) and xp >= 0):
        raise AwardError(f"XP in all of {shortly(xp)}; allowed: a finite number of 0 or more")
    tables = tabulated(design).track(track)
    exceeds = tables.track.overflow.threshold == "exceeded"
    totals = tables.curve.totals
    index = max(int(totals.searchsorted(xp, side="left" if exceeds else "right")) - 1, 0)
    last = index == len(totals) - 1
    left = float(xp) - float(totals[index])
    return LevelAt(
        xp=xp,
        level=index + tables.curve.start_level,
        left=plain_number(left),
        cost=None if last else float(tables.curve.costs[index]),
        max_level=tables.curve.max_level,
    )
