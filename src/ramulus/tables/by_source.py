"""Tables by level and source as long DataFrames."""

from __future__ import annotations

import numpy as np
import pandas as pd

from ramulus.formula.functions import Array
from ramulus.rules.columns import Columns, Index


def by_level_and_source(
    player: str, columns: Columns, at: Index, parts: dict[str, Array], *, only_open: bool
) -> pd.DataFrame:
    """Return arrays of shape (L, S) as a long table with `player`, `level` and `source` in front.

    Args:
        player: the profile's name.
        columns: the levels and columns.
        at: the column of each source.
        parts: the arrays by name.
        only_open: leave out sources at levels where they are closed; else they are not a number there.
    """
    shape = (len(columns.levels), len(at))
    front = {
        "player": np.full(shape[0] * shape[1], player, dtype=object),
        "level": np.repeat(columns.levels.astype(np.int64), shape[1]),
        "source": np.tile(np.array(columns.sources, dtype=object), shape[0]),
    }
    is_open = columns.open[:, at]
    # Where a source is closed nothing is met there: its formulas are not evaluated, and no number stands for them.
    known = {key: np.where(is_open, np.broadcast_to(part, shape), np.nan).ravel() for key, part in parts.items()}
    table = pd.DataFrame({**front, **known})
    return table[is_open.ravel()] if only_open else table
