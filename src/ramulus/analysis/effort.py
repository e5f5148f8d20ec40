"""Effort: seconds, success and XP per hour by level and source."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
import pandas as pd
from numpy.typing import NDArray

from ramulus.design.player import Player
from ramulus.formula.functions import Array
from ramulus.rules.tables import Tables, make_tables

if TYPE_CHECKING:
    from ramulus.design import Design


def effort_table(
    design: Design, player: str | None = None, *, skill_level: int | None = None, only_open: bool = True
) -> pd.DataFrame:
    """Return what one encounter with each source takes and pays at each level.

    Args:
        design: the design; it needs sources and the time of an encounter.
        player: the profile (default: every one).
        skill_level: the skill level for sources that depend on a skill (default: the skill's start level; a
            level past its cap counts as the cap).
        only_open: leave out sources at levels where they are closed.

    Returns:
        A row a profile, level and source: `chance` of being the next encounter; `seconds` an attempt takes;
        `success`, its chance; `award`, the mean XP on success; `xp_per_hour`, mean XP over mean time with failures
        and the seconds between encounters (not a number where no time passes); then the columns that the design
        shows. Timed multipliers are off.

    Raises:
        MissingPartError: sources or times are missing.
        DesignError: a formula fails, or gives what its place does not allow.
    """
    tables = make_tables(design, [player] if player is not None else None)
    columns = columns_at(tables, skill_level)
    effort = Effort(tables)
    shown = {name: values[:, :, columns] for name, values in tables.encounter.shown.items()}
    parts = {
        "chance": effort.chance(columns),
        "seconds": tables.encounter.seconds[:, :, columns],
        "success": tables.encounter.success[:, :, columns],
        "award": effort.award[:, :, columns],
        "xp_per_hour": effort.xp_per_hour[:, :, columns],
        **shown,
    }
    table = by_profile_level_source(tables, columns, parts)
    is_open = np.broadcast_to(tables.grid.open[:, columns], parts["chance"].shape).ravel()
    return table[is_open].reset_index(drop=True) if only_open else table


class Effort:
    """Mean XP and mean seconds of an encounter over the grid, each (P, L, C)."""

    def __init__(self, tables: Tables, on: frozenset[int] | None = None) -> None:
        self.tables = tables
        design = tables.design
        failure = design.encounter.failure if design.encounter else None
        product = tables.product(on)
        success = tables.encounter.success
        self.award = tables.mean_award(product)
        consolation = tables.mean_award(product, float(failure.xp_share)) if failure and failure.xp_share else 0.0
        self.xp = success * self.award + (1 - success) * consolation
        extra = float(failure.extra_seconds) if failure else 0.0
        between = np.array([_between(design, name) for name in tables.grid.profiles])[:, None, None]
        self.seconds = tables.encounter.seconds + (1 - success) * extra + between

    @property
    def xp_per_hour(self) -> Array:
        """Mean XP over mean time, (P, L, C); not a number where no time passes."""
        xp = np.broadcast_to(self.xp, self.seconds.shape)
        nothing = np.full(self.seconds.shape, np.nan)
        return np.asarray(np.divide(3600 * xp, self.seconds, out=nothing, where=self.seconds > 0))

    def chance(self, columns: NDArray[np.int64]) -> Array:
        """Return the chance of each source to be next, one column a source, (P, L, S)."""
        weight = self.tables.encounter.weight[:, :, columns]
        total = weight.sum(axis=2, keepdims=True)
        return np.asarray(np.divide(weight, total, out=np.zeros_like(weight), where=total > 0))

    def mix(self, columns: NDArray[np.int64]) -> tuple[Array, Array]:
        """Return mean XP and mean seconds of the next encounter, whichever it is, (P, L) each."""
        chance = self.chance(columns)
        return (chance * self.xp[:, :, columns]).sum(axis=2), (chance * self.seconds[:, :, columns]).sum(axis=2)


def _between(design: Design, profile: str) -> float:
    return float(design.players.get(profile, Player()).seconds_between)


def columns_at(tables: Tables, skill_level: int | None) -> NDArray[np.int64]:
    """Return one column a source: the one at a skill level, or at the skill's start."""
    grid = tables.grid
    if skill_level is None:
        return grid.first_column
    start = grid.skill_level[grid.first_column].astype(np.int64)
    return grid.first_column + np.clip(skill_level - start, 0, grid.width - 1)


def by_profile_level_source(tables: Tables, columns: NDArray[np.int64], parts: dict[str, Array]) -> pd.DataFrame:
    """Return arrays of shape (P, L, S) as a long table with `player`, `level` and `source` in front."""
    grid = tables.grid
    shape = (len(grid.profiles), len(grid.levels), len(columns))
    names = np.array(grid.sources, dtype=object)
    front = {
        "player": np.repeat(np.array(grid.profiles, dtype=object), shape[1] * shape[2]),
        "level": np.tile(np.repeat(grid.levels.astype(np.int64), shape[2]), shape[0]),
        "source": np.tile(names, shape[0] * shape[1]),
    }
    return pd.DataFrame({**front, **{key: np.broadcast_to(part, shape).ravel() for key, part in parts.items()}})
