"""Levels that take so many encounters that these may be leapt over."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ramulus.rules.tabulation import tabulated

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.rules.profile_tables import ProfileTables

LONG = 3_000


def long_levels(design: Design, profile: ProfileTables) -> NDArray[np.bool_]:
    """Return which levels of the main track take more than `LONG` encounters in the mean, shape (L,).

    A level at which failures take XP is none of them, however long: there the order of encounters matters. Nor is the
    cap, which nobody leaves.
    """
    tables = tabulated(design)
    xp, _ = profile.mix(tables.columns.at_skill(None))
    costs = np.append(np.array(tables.main.overflow.costs, dtype=np.float64) / tables.main.scale, 0.0)
    with np.errstate(invalid="ignore"):
        return np.asarray((xp > 0) & (costs > LONG * xp) & (tables.lost == 0))
