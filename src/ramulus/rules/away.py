"""Time away: how a store of XP fills between play days, by level."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from ramulus.design.base import MOST_XP
from ramulus.formula.functions import Array
from ramulus.rules.evaluating import evaluate_at, fault
from ramulus.rules.tabulation import tabulated

if TYPE_CHECKING:
    from ramulus.design import Design


def away_tables(design: Design) -> tuple[Array, Array]:
    """Return what a day away puts into the store and what it is filled up to, in XP by level, shape (L,) each.

    At the cap nothing is put in.

    Raises:
        DesignError: a formula fails at some level below the cap, or gives less than 0 or too much.
    """
    bonus, curve = design.away_bonus, tabulated(design).main.curve
    assert bonus is not None
    levels = curve.levels
    below = levels < curve.max_level
    names = {**design.constants, "level": levels, "cost": np.append(curve.costs, 0.0)}
    found = []
    for key, stated in (("per_day_away", bonus.per_day_away), ("at_most", bonus.at_most)):
        place = f"away_bonus.{key}"
        values = np.broadcast_to(evaluate_at(place, stated, names, below), levels.shape)
        outside = below & ~((values >= 0) & (values <= MOST_XP))
        if outside.any():
            row = int(outside.argmax())
            raise fault(place, f"{values[row]:.6g} XP at level {levels[row]:g}", f"0 … {MOST_XP:,} XP")
        found.append(np.where(below, values, 0.0))
    return found[0], found[1]
