"""The milestones of a simulation on a terminal, a few profiles at a time."""

from __future__ import annotations

from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from ramulus.cli.output import Printing
    from ramulus.results.result import SimulationResult

AT_ONCE = 4  # Profiles that fit side by side; without days.
DATED_AT_ONCE = 3


def side_by_side(printing: Printing, result: SimulationResult, track: str | None, title: str) -> None:
    """Print the milestones of a simulation, a few profiles at a time, and what is to be said of it."""
    from ramulus.words.glance import at_a_glance
    from ramulus.words.milestones import LEVEL
    from ramulus.words.summary import summary

    table, heads, dated = at_a_glance(result, track)
    players, foot = [name for name in table if name != LEVEL], summary(result, track)
    at_once = DATED_AT_ONCE if dated else AT_ONCE
    for first in range(0, len(players), at_once):
        some = {name: table[name] for name in (LEVEL, *players[first : first + at_once])}
        printing.table(some, heads, "" if first else title, "" if first + at_once < len(players) else foot)
