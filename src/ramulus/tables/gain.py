"""Gain: what each source awards at each level, with the multipliers behind it."""

from __future__ import annotations

from collections.abc import Iterable
from typing import TYPE_CHECKING

import numpy as np

from ramulus.errors import UnknownNameError, refuse_single_name
from ramulus.rules.ability import class_at
from ramulus.rules.tabulation import tabulated
from ramulus.tables.by_source import Table, by_level_and_source, one_below_the_other

if TYPE_CHECKING:
    import pandas as pd

    from ramulus.design import Design


def gain_table(
    design: Design,
    player: str | None = None,
    *,
    during: Iterable[str] = (),
    ability: float = 0.5,
    skill_level: int | None = None,
    only_open: bool = True,
) -> pd.DataFrame:
    """Return what each source awards on success at each level.

    Args:
        design: the design.
        player: the profile (default: every one).
        during: names of timed multipliers to count as on.
        ability: where its players stand among their like, 0 … 1, where traits vary.
        skill_level: the skill level for sources that depend on a skill (default: its start level).
        only_open: leave out sources at levels where they are closed; else their numbers are not a number there.

    Returns:
        A row a profile, level and source: `base`, mean XP before multipliers; `factor`, their product; `award`, the
        mean award after rounding; then a column a multiplier with its factor, not a number where it does not apply.

    Raises:
        MissingPartError: sources are missing.
        UnknownNameError: `during` names no timed multiplier.
        RamulusError: the ability is outside 0 … 1.

    Examples:
        >>> import ramulus as rm
        >>> table = rm.gain_table(rm.demo_design(), "steady")
        >>> table.columns[:6].tolist()
        ['player', 'level', 'source', 'base', 'factor', 'award']
    """
    import pandas as pd

    return pd.DataFrame(gain_columns(design, player, during, ability, skill_level, only_open=only_open))


def gain_columns(
    design: Design, player: str | None, during: Iterable[str], ability: float, skill_level: int | None, *,
    only_open: bool = True,
) -> Table:  # fmt: skip
    """Return the columns of `gain_table` by name, for whoever only shows them."""
    tabulation, on = tabulated(design), rules_on(design, during)
    at = tabulation.columns.at_skill(skill_level)
    tables = []
    for name in [player] if player is not None else design.profiles:
        profile = tabulation.profile(name, class_at(ability))
        pay = profile.mean_pay(on)
        parts = {"base": pay.base[:, at], "factor": pay.awards.product[:, at], "award": pay.award[:, at]}
        for index, rule in enumerate(design.multipliers):
            factor = profile.alone.factors[index][:, at]
            parts[rule.name] = factor if index in on else np.full_like(factor, np.nan)
        tables.append(by_level_and_source(profile.name, tabulation.columns, at, parts, only_open=only_open))
    return one_below_the_other(tables)


def how_rules_stack(design: Design) -> str:
    """Return how the factors of a product come together, in words; nothing where they all just multiply."""
    by_stack: dict[str, list[str]] = {}
    for rule in design.multipliers:
        by_stack.setdefault(rule.stack, []).append(rule.name)
    if set(by_stack) <= {"multiply"}:
        return ""
    words = {
        "multiply": "{} multiply", "add": "{} add up to one factor, 1 + the sum of (factor − 1)",
        "best": "of {} only the largest counts",
    }  # fmt: skip
    return f"How rules stack: {'; '.join(words[stack].format(', '.join(names)) for stack, names in by_stack.items())}."


def rules_on(design: Design, during: Iterable[str] = ()) -> frozenset[int]:
    """Return the indices of the rules that always hold and of the timed ones named.

    Raises:
        UnknownNameError: a name is no timed multiplier.
    """
    timed = {rule.name: index for index, rule in enumerate(design.multipliers) if rule.timed}
    refuse_single_name(during, "during")
    chosen = list(during)
    for name in chosen:
        if name not in timed:
            raise UnknownNameError("timed multiplier", name, timed)
    return tabulated(design).always_on | {timed[name] for name in chosen}
