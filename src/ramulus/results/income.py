"""What players lived on, what they wasted, and how they ended, as tables."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from ramulus.simulation.tally import CAP, END_REASONS

if TYPE_CHECKING:
    import pandas as pd

    from ramulus.simulation.played import Played

Levels = NDArray[np.int64]


def income_table(played: Played, levels: Levels, source_names: list[str]) -> pd.DataFrame:
    """Return the rows of `SimulationResult.income`."""
    import pandas as pd

    tables, sources = [], np.array(source_names, dtype=object)
    for name, profile in played.profiles.items():
        totals, count = profile.totals, profile.players
        level, source = np.nonzero(totals.met)
        xp, of_level = totals.income[level, source], totals.income.sum(axis=1)[level]
        tables.append(pd.DataFrame({
            "player": name,
            "level": levels[level],
            "source": sources[source],
            "encounters": totals.met[level, source] / count,
            "successes": totals.won[level, source] / count,
            "xp": xp / count,
            "share": np.divide(xp, of_level, out=np.zeros(len(level)), where=of_level > 0),
        }))  # fmt: skip
    return pd.concat(tables, ignore_index=True)


def waste_table(played: Played, levels: Levels) -> pd.DataFrame:
    """Return the rows of `SimulationResult.waste`."""
    import pandas as pd

    tables = []
    for name, profile in played.profiles.items():
        earned, wasted = profile.totals.income.sum(axis=1), profile.totals.waste
        tables.append(pd.DataFrame({
            "player": name,
            "level": levels,
            "wasted": wasted / profile.players,
            "wasted_share": np.divide(wasted, earned, out=np.zeros(len(levels)), where=earned > 0),
            "lost": profile.totals.lost / profile.players,
            "levels_lost": profile.totals.dropped / profile.players,
            "hours_regaining": profile.totals.regained / profile.players,
        }))  # fmt: skip
    return pd.concat(tables, ignore_index=True)


def endings_table(played: Played, levels: Levels) -> pd.DataFrame:
    """Return the rows of `SimulationResult.stuck`."""
    import pandas as pd

    rows: list[tuple[Any, ...]] = []
    for name, profile in played.profiles.items():
        for reason, level in np.argwhere(profile.ended).tolist():
            if reason != CAP:
                count = int(profile.ended[reason, level])
                rows.append((name, END_REASONS[reason], int(levels[level]), count, count / profile.players))
    kinds = {"player": "str", "reason": "str", "level": "int64", "players": "int64", "share": "float64"}
    return pd.DataFrame(rows, columns=list(kinds)).astype(kinds)
