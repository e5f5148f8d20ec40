"""The same awards under other overflow rules, side by side."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from ramulus.errors import RamulusError
from ramulus.tables.trace import trace

if TYPE_CHECKING:
    import pandas as pd

    from ramulus.design import Design


def compare_rules(
    design: Design,
    awards: Sequence[float],
    variants: Mapping[str, Mapping[str, Any]],
    track: str | None = None,
    *,
    level: int | None = None,
    xp: float | None = None,
) -> pd.DataFrame:
    """Return the same awards under other overflow rules, side by side.

    Args:
        design: the design.
        awards: XP.
        variants: overflow values by a name for each variant, such as ``{"carry=0": {"carry": 0}}``;
            ``may_drop_levels`` counts as one too.
        track: as in `trace`.
        level: as in `trace`.
        xp: as in `trace`.

    Returns:
        A row an award: `step`, `amount`, then for the design as it is ("now") and each variant its level, XP and
        wasted XP, such as ``level (carry=0)``.

    Raises:
        DesignError: a variant's value is not allowed.
        UnknownNameError: a variant names no overflow rule.
        RamulusError: a variant is called "now".

    Examples:
        >>> import ramulus as rm
        >>> table = rm.compare_rules(rm.demo_design(), [40, 400], {"none": {"carry": 0}})
        >>> table[["amount", "level (now)", "level (none)", "wasted (none)"]]
           amount  level (now)  level (none)  wasted (none)
        0      40            1             1              0
        1     400            4             2            380
    """
    if "now" in variants:
        raise RamulusError("a variant is called 'now', which is what the design is called as it is; give another name")
    name = track or design.main_track_name
    tables = {"now": trace(design, awards, name, level=level, xp=xp)}
    for title, rules in variants.items():
        places = {_rule_place(name, key): value for key, value in rules.items()}
        tables[title] = trace(design.with_values(places), awards, name, level=level, xp=xp)
    columns: dict[str, Any] = {"step": tables["now"]["step"], "amount": tables["now"]["amount"]}
    for title, table in tables.items():
        for key in ("level", "xp", "wasted"):
            columns[f"{key} ({title})"] = table[key]
    import pandas as pd

    return pd.DataFrame(columns)


def _rule_place(track: str, key: str) -> str:
    return f"tracks.{track}.{key}" if key == "may_drop_levels" else f"tracks.{track}.overflow.{key}"


def totals_in_words(table: pd.DataFrame | Mapping[str, NDArray[Any]]) -> str:
    """Return the foot of a trace: levels gained, XP awarded, XP wasted and its share."""
    amounts, wasted = (np.asarray(table[name]).astype(np.float64) for name in ("amount", "wasted"))
    awarded, thrown, lost = float(amounts[amounts > 0].sum()), float(wasted.sum()), -float(amounts[amounts < 0].sum())
    share = thrown / awarded if awarded else 0.0
    levels = int(np.asarray(table["levels_gained"]).sum())
    gained = f"{levels} level{'' if levels == 1 else 's'} gained"
    amount = f"{awarded:,.10g}" if not math.isclose(awarded, round(awarded)) else f"{awarded:,.0f}"
    losses = f", {lost:,.10g} XP lost" if (amounts < 0).any() else ""
    count = int((amounts >= 0).sum())
    return f"{count:,} awards of {amount} XP in all: {gained}, {thrown:,.10g} XP wasted ({share:.1%}){losses}."
