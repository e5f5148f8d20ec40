"""The level table: what each level costs, adds up to, and does to the stats."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from ramulus.design.names import stat_track
from ramulus.errors import UnknownNameError
from ramulus.formula.functions import Array
from ramulus.rules.tabulation import tabulated
from ramulus.rules.xp_units import whole_where_whole
from ramulus.tables.cost_shape import cost_shape, jumps

if TYPE_CHECKING:
    import pandas as pd

    from ramulus.design import Design


def level_table(
    design: Design,
    track: str | None = None,
    *,
    player: str | None = None,
    from_level: int | None = None,
    to_level: int | None = None,
) -> pd.DataFrame:
    """Return the table of a track's levels.

    Args:
        design: the design.
        track: the track (default: the main one).
        player: the profile whose upgrades count in the stats (default: none bought).
        from_level: the first level to show.
        to_level: the last level to show.

    Returns:
        A row a level: `level`; `cost`, XP from it to the next (not a number at the cap); `total`, XP from nothing
        to it; `growth`, the cost over that of the level before, minus 1; then a column a stat of the track.

    Raises:
        DesignError: costs or stats are at fault.
        UnknownNameError: there is no such track or profile.

    Examples:
        >>> import ramulus as rm
        >>> rm.level_table(rm.demo_design(), to_level=3)[["level", "cost", "total"]]
           level  cost  total
        0      1  60.0      0
        1      2  84.0     60
        2      3 130.0    144
    """
    import pandas as pd

    return pd.DataFrame(level_columns(design, track, player, from_level, to_level))


def level_columns(
    design: Design, track: str | None, player: str | None, from_level: int | None, to_level: int | None
) -> dict[str, NDArray[Any]]:
    """Return the columns of `level_table` by name, for whoever only shows them, shape (levels,) each."""
    tabulation = tabulated(design)
    curve = tabulation.track(track).curve
    columns = {
        "level": curve.levels.astype(np.int64),
        "cost": np.append(curve.costs, np.nan),
        "total": whole_where_whole(curve.totals),
        "growth": np.append(growth(curve.costs), np.nan),
    }
    stats = tabulation.stats(player)
    mine = [name for name, stat in design.stats.items() if stat_track(design, stat) == curve.track]
    columns.update({name: stats[name].values for name in mine})
    low = curve.start_level if from_level is None else from_level
    high = curve.max_level if to_level is None else to_level
    shown = (columns["level"] >= low) & (columns["level"] <= high)
    if not shown.any():
        known = [f"{curve.start_level} … {curve.max_level}"]
        raise UnknownNameError("range of levels", f"{low} … {high}", known)
    return {name: values[shown] for name, values in columns.items()}


def growth(costs: Array) -> Array:
    """Return each cost over the one before, minus 1; not a number for the first.

    As a difference over the cost before: a ratio minus 1 would show 0.10000000000000009 for a tenth.
    """
    return np.concatenate([[np.nan], np.diff(costs) / costs[:-1]])


def jump_levels(design: Design, track: str | None = None) -> list[int]:
    """Return the levels of a track that cost far more than the levels around them lead one to expect."""
    return [jump.level for jump in jumps(tabulated(design).track(track).curve)]


def shape_in_words(design: Design, track: str | None = None) -> str:
    """Return the shape of a cost curve in words: about how many percent a level, and where it jumps."""
    return cost_shape(tabulated(design).track(track).curve).in_words()
