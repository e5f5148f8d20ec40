"""Sensitivity for a reader."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ramulus.words.writers import Column, plus_minus, significant

if TYPE_CHECKING:
    import pandas as pd

HEADS = {
    "name": Column("number", lambda name: str(name).removeprefix("constants.")),
    "value": Column("now", significant),
    "change": Column("change"),
    "unit": Column("unit"),
    "needed": Column("meets it", significant),
    "note": Column("note"),
}
FOOT = (
    "\nchange: of what the goal measures, ± the farther end of its 95 % interval (paired runs on both sides)."
    "\nmeets it: the value with which this number alone meets the goal; – where none in reach does."
)


def sensitivity_rows(table: pd.DataFrame) -> pd.DataFrame:
    """Return a table of `sensitivity` as it is read: each change, and how far its interval reaches."""
    ends = zip(table["change"], table["low"], table["high"], strict=True)
    change = [plus_minus(*one) for one in ends]
    return table.assign(change=change)[["player", "goal", *HEADS]]
