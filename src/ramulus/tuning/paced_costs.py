"""What a search for costs came to."""

from __future__ import annotations

from dataclasses import dataclass
from html import escape
from typing import TYPE_CHECKING

import pandas as pd

if TYPE_CHECKING:
    from ramulus.design import Design


COLUMNS = ("level", "wish", "found", "low", "high", "off", "holds")


@dataclass(frozen=True, eq=False)
class PacedCosts:
    """Costs that give the hours that were wished.

    Attributes:
        design: the design with these costs.
        before: the design as it was.
        player: the profile.
        wishes: a row a wish: `level`, `wish`, `found`, `low`, `high` (hours), `off` (a share), `holds`.
        costs: a row a level: `level`, `before`, `after` (XP).
        notes: what else there is to know, a sentence each.
        unread: constants that nothing reads any more.
        stopped: whether it was interrupted, so that these are the best costs so far.
    """

    design: Design
    before: Design
    player: str
    wishes: pd.DataFrame
    costs: pd.DataFrame
    notes: tuple[str, ...]
    unread: tuple[str, ...] = ()
    stopped: bool = False

    def __repr__(self) -> str:
        held = f"{int(self.wishes['holds'].sum())} of {len(self.wishes)} wishes hold"
        return f"<PacedCosts for {self.player}: {held}>"

    def _repr_html_(self) -> str:
        notes = "".join(f"<li>{escape(note)}</li>" for note in self.notes)
        return str(self.wishes.to_html(index=False, float_format="{:.3g}".format)) + (
            f"<ul>{notes}</ul>" if notes else ""
        )
