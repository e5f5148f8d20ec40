"""Checks of stats: that each can be computed at every level, and that none grows as nobody means it."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

from ramulus.checks.finding import Finding
from ramulus.design.names import stat_track
from ramulus.rules.tabulation import tabulated

if TYPE_CHECKING:
    from ramulus.design import Design

SHRINKS = 0.5
DOUBLES, EXPLODES = 2.0, 1e6


def check_stats(design: Design) -> Iterator[Finding]:
    """Compute every stat, with and without what each profile buys; one that cannot be is an error, read or not."""
    for player in (None, *design.players):
        tabulated(design).stats(player)
    for name, stat in design.stats.items():
        if stat.growth is not None and stat.base:
            yield from _odd_growth(design, name, float(stat.growth), float(stat.base))


def _odd_growth(design: Design, name: str, growth: float, base: float) -> Iterator[Finding]:
    """A growth of 0.08 or of 8, where 1.08 is what grows by 8 % a level."""
    levels = len(tabulated(design).track(stat_track(design, design.stats[name])).curve.costs)
    shrinks, explodes = 0 <= growth < SHRINKS, growth > DOUBLES and growth**levels > EXPLODES
    if shrinks or explodes:
        meant = 1 + growth if shrinks else 1 + growth / 100
        yield Finding(
            "growth-odd", "warning", f"stats.{name}.growth",
            f"each level multiplies {name} by {growth:g}: from {base:g} to {base * growth:.4g} at the next level and "
            f"{base * growth**levels:.4g} at the cap",
            f"{meant:g} grows it by {meant - 1:.3g} of itself a level",
        )  # fmt: skip
