"""The levels of a track that are worth showing where not all find room."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ramulus.words.writers import duration

if TYPE_CHECKING:
    import pandas as pd

MILESTONES = 9
LEVEL = " level"  # No profile can be called that.
_STEPS = (1, 2, 5, 10, 20, 25, 50, 100, 200, 250, 500, 1000)


def milestones(first: int, last: int) -> list[int]:
    """Return about ten levels worth showing: the first one reached, round ones, and the cap."""
    step = next((step for step in _STEPS if (last - first) / step <= MILESTONES), _STEPS[-1])
    middle = [level for level in range(first + 2, last) if level % step == 0 and last - level >= step / 2]
    return [first + 1, *middle, last] if last > first + 1 else [last]


def pace_in_words(table: pd.DataFrame) -> str:
    """Tell the median hours to a few levels, profile by profile."""
    shown = milestones(int(table["level"].min()), int(table["level"].max()))[1::3]
    said = []
    for player, rows in table.groupby("player", sort=False):
        known = rows[rows["level"].isin(shown)].dropna(subset=["hours_p50"])
        steps = [f"level {row.level} after {duration(row.hours_p50)}" for row in known.itertuples()]
        said.append(f"{player}: {', '.join(steps) or 'fewer than half reach another level'}")
    return f"The median player, in played time. {'; '.join(said)}."
