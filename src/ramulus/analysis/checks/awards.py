"""Checks of awards: overflow that is lost, levels that wait, XP that keeps coming at the cap."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from ramulus.analysis.checks.finding import Finding
from ramulus.analysis.effort import Effort
from ramulus.errors import DesignError, MissingPartError
from ramulus.formula.functions import Array
from ramulus.rules.costs import cost_curve
from ramulus.rules.encounters import xp_tables
from ramulus.rules.tables import make_tables

if TYPE_CHECKING:
    from ramulus.design import Design

NOTABLE_WASTE = 0.005


@dataclass(frozen=True)
class _Largest:
    """The largest award over what it meets: its size, source, level and the cost there."""

    award: float
    source: str
    level: int
    cost: float


def check_awards(design: Design) -> Iterator[Finding]:
    """Yield what the main track's overflow rules cost the player, given its sources."""
    if not design.sources:
        return
    track = design.track()
    rules = track.overflow
    place = f"tracks.{design.main_track_name}.overflow"
    largest = _largest_against_cost(design)
    if largest is not None and (rules.carry < 1 or rules.carry_limit is not None) and largest.award > largest.cost:
        yield Finding(
            "award-beyond-level", "warning", f"{place}.carry",
            f"{largest.source!r} awards up to {largest.award:,.6g} XP at level {largest.level}, more than the "
            f"{largest.cost:,.6g} XP of that level, and carry = {rules.carry:g} throws overflow away",
            "carry = 1, or smaller awards at that level", largest.level,
        )  # fmt: skip
    if largest is not None and rules.level_ups_per_award == "one" and largest.award > largest.cost:
        yield Finding(
            "award-waits", "warning", f"{place}.level_ups_per_award",
            f"{largest.source!r} awards up to {largest.award:,.6g} XP at level {largest.level}, which costs "
            f"{largest.cost:,.6g} XP: with one level an award the rest waits and the bar shows full",
            'level_ups_per_award = "any", or smaller awards at that level', largest.level,
        )  # fmt: skip
    yield from _at_the_cap(design, place)
    yield from _expected_waste(design, place)


def _is_open(design: Design, levels: Array) -> np.ndarray[tuple[int, int], np.dtype[np.bool_]]:
    low = np.array([-np.inf if s.from_level is None else s.from_level for s in design.sources.values()])
    high = np.array([np.inf if s.to_level is None else s.to_level for s in design.sources.values()])
    return (levels[:, None] >= low) & (levels[:, None] <= high)


def _largest_against_cost(design: Design) -> _Largest | None:
    curve = cost_curve(design)
    levels = curve.levels[:-1]
    xp = np.where(_is_open(design, levels), xp_tables(design, levels).highest, 0.0)
    against = xp / curve.costs[:, None]
    if against.max() <= 1:
        return None
    level, source = (int(i) for i in np.unravel_index(int(against.argmax()), against.shape))
    return _Largest(
        float(xp[level, source]), list(design.sources)[source], int(levels[level]), float(curve.costs[level])
    )


def _at_the_cap(design: Design, place: str) -> Iterator[Finding]:
    track = design.track()
    levels = np.array([float(track.max_level)])
    xp = np.where(_is_open(design, levels), xp_tables(design, levels).fixed, 0.0)[0]
    paying = [name for name, amount in zip(design.sources, xp, strict=True) if amount > 0]
    if paying and track.overflow.at_cap == "discard":
        yield Finding(
            "xp-at-cap", "note", f"{place}.at_cap",
            f"at the cap, level {track.max_level}, {len(paying)} sources still award XP "
            f"({', '.join(paying[:4])}), and all of "
            "it is discarded",
            'at_cap = "fill" or "bank", something else to earn, or a to_level on the sources', track.max_level,
        )  # fmt: skip


def _expected_waste(design: Design, place: str) -> Iterator[Finding]:
    rules = design.track().overflow
    if rules.carry == 1 and rules.carry_limit is None:
        return
    try:
        tables = make_tables(design)
    except (MissingPartError, DesignError):
        return
    curve = cost_curve(design)
    chance = Effort(tables).chance(tables.grid.first_column)[0, :-1]
    xp = tables.encounter.xp
    mean = (chance * xp.fixed[:-1]).sum(axis=1)
    square = (chance * xp.second_moment[:-1]).sum(axis=1)
    # What an award runs past a far threshold by, on average: the mean excess of renewal theory, E[X²] / 2E[X],
    # less half an XP where XP is whole.
    excess = np.divide(square, 2 * mean, out=np.zeros_like(mean), where=mean > 0) - 0.5 * (mean > 0)
    wasted = float(((1 - rules.carry) * excess).sum())
    if wasted > NOTABLE_WASTE * curve.totals[-1]:
        yield Finding(
            "waste-expected", "warning", f"{place}.carry",
            f"about {wasted:,.0f} XP are lost at thresholds on the way to the cap, "
            f"{wasted / curve.totals[-1]:.1%} of its "
            f"{curve.totals[-1]:,.0f} XP",
            "carry = 1, or more levels' worth of XP between awards and costs",
        )  # fmt: skip
