"""The milestones of a simulation on a terminal, a few profiles at a time."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ramulus.words.summary import LEVEL, at_a_glance

if TYPE_CHECKING:
    import pandas as pd

    from ramulus.cli.output import Printing

AT_ONCE = 4  # Profiles that fit side by side; without days.
DATED_AT_ONCE = 3


def side_by_side(
    printing: Printing, pace: pd.DataFrame, title: str, foot: str, more: dict[str, pd.DataFrame] | None = None
) -> None:
    """Print the milestones of a pace table, a few profiles at a time."""
    table, heads = at_a_glance(pace)
    players = list(table.columns[1:])
    at_once = DATED_AT_ONCE if pace["days_p50"].notna().any() else AT_ONCE
    for first in range(0, len(players), at_once):
        some = table[[LEVEL, *players[first : first + at_once]]]
        printing.table(some, heads, "" if first else title, "" if first + at_once < len(players) else foot, more)
