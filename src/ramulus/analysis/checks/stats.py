"""Checks of stats: that each can be computed at every level, with and without what each profile buys."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

from ramulus.analysis.checks.finding import Finding
from ramulus.rules.tabulation import tabulated

if TYPE_CHECKING:
    from ramulus.design import Design


def check_stats(design: Design) -> Iterator[Finding]:
    """Compute every stat; one that cannot be is an error, whether or not an encounter reads it."""
    for player in (None, *design.players):
        tabulated(design).stats(player)
    yield from ()
