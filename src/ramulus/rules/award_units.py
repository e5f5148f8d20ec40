"""Awards in whole units, tabulated: what a failure (0) and a success (1) pay, shape (2, L, C)."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.rules.evaluating import fault
from ramulus.rules.pay import paid
from ramulus.rules.xp_units import MOST_UNITS, to_units

if TYPE_CHECKING:
    from ramulus.rules.columns import Columns
    from ramulus.rules.design_tables import DesignTables
    from ramulus.rules.xp_laws import XpLaw

Ints = NDArray[np.int64]


def fixed_units(tables: DesignTables, factor: Array, met: NDArray[np.bool_]) -> Ints:
    """Return what failures and successes award where XP is fixed, in units; 0 where it is drawn.

    Args:
        tables: those of the design.
        factor: the product of multipliers, shape (L, C).
        met: where an award may be made, broadcasting to (L, C); elsewhere there is none.
    """
    design, columns = tables.design, tables.columns
    fixed = np.array([law.width == 1 for law in tables.laws])[columns.source_of]
    base = columns.spread([law.low for law in tables.laws])
    known = np.where(fixed & np.isfinite(base), base, 0.0)
    failure_share = float(design.encounters.failure.xp_share)
    both = np.stack([paid(design.awards, known, factor, failure_share), paid(design.awards, known, factor)])
    return to_units(np.where(fixed & met, both, 0.0), tables.main.scale)


def refuse_large(
    tables: DesignTables, laws: list[XpLaw], columns: Columns, factor: Array, met: NDArray[np.bool_]
) -> None:  # fmt: skip
    """Refuse awards that a kernel could not count exactly.

    Args:
        tables: those of the design.
        laws: what XP is drawn from.
        columns: the levels and columns that the factor is over.
        factor: the product of multipliers, shape (L, C).
        met: where an award may be made, shape (L, C).

    Raises:
        DesignError: an award is too large.
    """
    scale = tables.main.scale
    highest = columns.spread([law.highest for law in laws])
    award = np.where(met, paid(tables.design.awards, highest, factor), 0.0)
    if np.nanmax(award) * scale > MOST_UNITS:
        level, column = (int(i) for i in np.unravel_index(int(np.nanargmax(award)), award.shape))
        found = f"an award of {award[level, column]:.6g} XP at level {columns.levels[level]:g}"
        place = f"sources.{columns.source_at(column)}.xp"
        raise fault(place, found, f"at most {MOST_UNITS // scale:,} XP", "total-beyond-exact")


def skill_units(tables: DesignTables, failed: Array, won: Array) -> Ints:
    """Return awards to the skills practised, in units of their tracks; none where a source is closed, (2, L, P).

    Args:
        tables: those of the design.
        failed, won: XP that a failure and a success award, over the columns of practice, shape (L, P).

    Raises:
        DesignError: an award is too large to be counted exactly.
    """
    design, columns = tables.design, tables.practice
    scales = [tables.tracks[skill].scale for skill in columns.skill_track]
    scale = np.array(scales, dtype=np.float64)[columns.source_of]
    both = np.stack([failed, won])
    units = np.where(columns.open, both * scale, 0.0)
    if units.size and units.max() > MOST_UNITS:
        _, level, column = (int(i) for i in np.unravel_index(int(units.argmax()), units.shape))
        found = f"an award of {both[:, level, column].max():.6g} XP at level {columns.levels[level]:g}"
        name, skill = columns.source_at(column), columns.skill_track[int(columns.source_of[column])]
        place = design.sources[name].skill_xp_place(name, skill)
        raise fault(place, found, f"at most {MOST_UNITS / scale[column]:,.0f} XP", "total-beyond-exact")
    return np.rint(units).astype(np.int64)
