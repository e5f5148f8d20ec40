"""Gain: what each source awards at each level, and the chain of multipliers behind it."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
import pandas as pd

from ramulus.analysis.effort import by_profile_level_source, columns_at
from ramulus.errors import UnknownNameError
from ramulus.rules.multipliers import always_on, award_of, stacked
from ramulus.rules.tables import Tables, make_tables
from ramulus.rules.xp_units import plain_number

if TYPE_CHECKING:
    from ramulus.design import Design


def gain_table(
    design: Design,
    player: str | None = None,
    *,
    during: Iterable[str] = (),
    skill_level: int | None = None,
    only_open: bool = True,
) -> pd.DataFrame:
    """Return what each source awards on success at each level.

    Args:
        design: the design.
        player: the profile (default: every one).
        during: names of timed multipliers to count as on.
        skill_level: the skill level for sources that depend on a skill (default: its start level).
        only_open: leave out sources at levels where they are closed.

    Returns:
        A row a profile, level and source: `base`, mean XP before multipliers; `factor`, their product; `award`, the
        mean award after rounding; then a column a multiplier with its factor, not a number where it does not apply.

    Raises:
        MissingPartError: sources or times are missing.
        UnknownNameError: `during` names no timed multiplier.
    """
    tables = make_tables(design, [player] if player is not None else None)
    on = rules_on(design, during)
    columns = columns_at(tables, skill_level)
    product = tables.product(on)
    base = tables.encounter.xp.fixed[:, tables.grid.source_of][None]
    parts = {
        "base": base[:, :, columns],
        "factor": product[:, :, columns],
        "award": tables.mean_award(product)[:, :, columns],
    }
    for index, rule in enumerate(design.multipliers):
        factor = tables.factors[index][:, :, columns]
        parts[rule.name] = factor if index in on else np.full_like(factor, np.nan)
    table = by_profile_level_source(tables, columns, parts)
    is_open = np.broadcast_to(tables.grid.open[:, columns], parts["factor"].shape).ravel()
    return table[is_open].reset_index(drop=True) if only_open else table


def rules_on(design: Design, during: Iterable[str] = ()) -> frozenset[int]:
    """Return the indices of the rules that always hold and of the timed ones named.

    Raises:
        UnknownNameError: a name is no timed multiplier.
    """
    timed = {rule.name: index for index, rule in enumerate(design.multipliers) if rule.timed}
    chosen = list(during)
    for name in chosen:
        if name not in timed:
            raise UnknownNameError("timed multiplier", name, timed)
    return frozenset(always_on(design)) | {timed[name] for name in chosen}


@dataclass(frozen=True)
class AwardChain:
    """One award, link by link.

    Attributes:
        source: the source's name.
        base: XP drawn.
        links: name and factor of each multiplier that applies and is not 1, in file order.
        product: what they come to together.
        rounding: how the award became whole.
        award: XP awarded.
    """

    source: str
    base: float
    links: tuple[tuple[str, float], ...]
    product: float
    rounding: str
    award: float

    def __str__(self) -> str:
        links = "".join(f" × {name} {factor:.6g}" for name, factor in self.links)
        exact = self.base * self.product
        rounded = f" = {exact:.10g} rounded {self.rounding}" if exact != self.award and self.rounding != "none" else ""
        return f"base {plain_number(self.base):,}{links}{rounded} = {plain_number(self.award):,}"


class AwardChains:
    """Makes award chains for one player profile, from the tables that everything else reads."""

    def __init__(self, design: Design, player: str | None = None, during: Iterable[str] = ()) -> None:
        profiles = [player] if player is not None else list(design.players)[:1] or None
        self.tables: Tables = make_tables(design, profiles)
        self.on = sorted(rules_on(design, during))

    def is_open(self, source: str, level: int) -> bool:
        """Whether a source is open at a level."""
        grid = self.tables.grid
        column = int(grid.first_column[grid.sources.index(source)])
        return bool(grid.open[level - int(grid.levels[0]), column])

    def chain(self, source: str, level: int, base: float, *, skill_level: int | None = None) -> AwardChain:
        """Return the chain of an award of `base` XP by a source at a level."""
        tables, design = self.tables, self.tables.design
        index = list(design.sources).index(source)
        cell = (0, level - int(tables.grid.levels[0]), int(columns_at(tables, skill_level)[index]))
        factors = [np.asarray(factor[cell]) for factor in tables.factors]
        product = np.asarray(stacked(design, factors, self.on)).reshape(-1)[0]
        links = tuple(
            (design.multipliers[i].name, float(factors[i]))
            for i in self.on
            if not np.isnan(factors[i]) and factors[i] != 1
        )
        award = float(award_of(design, np.float64(base), np.float64(product)))
        return AwardChain(source, base, links, float(product), design.awards.rounding, award)
