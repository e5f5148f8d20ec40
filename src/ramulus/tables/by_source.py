"""Long tables by level and source, as columns."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.rules.columns import Columns, Index

Table = dict[str, NDArray[Any]]


def by_level_and_source(player: str, columns: Columns, at: Index, parts: dict[str, Array], *, only_open: bool) -> Table:
    """Return arrays of shape (L, S) as the columns of a long table with `player`, `level` and `source` in front.

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
    shown = is_open.ravel() if only_open else slice(None)
    return {name: values[shown] for name, values in {**front, **known}.items()}


def one_below_the_other(tables: Sequence[Table]) -> Table:
    """Return tables of the same columns as one."""
    return {name: np.concatenate([table[name] for table in tables]) for name in tables[0]}
