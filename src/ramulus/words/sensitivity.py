"""Sensitivity for a reader."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ramulus.words.writers import Column, significant

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
    "\nchange: of what the goal measures, ± half of its 95 % interval (paired runs on both sides)."
    "\nmeets it: the value with which this number alone meets the goal; – where none in reach does."
)


def sensitivity_rows(table: pd.DataFrame) -> pd.DataFrame:
    """Return a table of `sensitivity` as it is read: each change with half of its interval."""
    half = (table["high"] - table["low"]) / 2
    change = [f"{value:+.2f} ± {error:.2f}" for value, error in zip(table["change"], half, strict=True)]
    return table.assign(change=change)[["player", "goal", *HEADS]]
