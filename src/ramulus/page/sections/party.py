"""The section of the party."""

from __future__ import annotations

from functools import cache

from ramulus import plots
from ramulus.page.context import Context, figure
from ramulus.page.parts import Section, Table, table_of
from ramulus.results.party import PartyRun, play_party
from ramulus.words.heads import PARTY
from ramulus.words.writers import number

EVERY = 10


def party(context: Context) -> Section | None:
    """How the members of the party catch up, where there is one."""
    if context.design.party is None:
        return None

    @cache
    def run() -> PartyRun:
        return play_party(context.design)

    def words() -> str:
        table, caught = run().levels(), run().caught_up()
        last = table[table["encounter"] == table["encounter"].max()]
        levels = ", ".join(f"{row.member} {number()(row.level_p50)}" for row in last.itertuples())
        shares = [f"{caught[f'{name}_after'].notna().mean():.0%}" for name in ("close", "even")]
        return (
            f"After {table['encounter'].max()} shared encounters the median levels are: {levels}. Of {run().parties} "
            f"parties {shares[0]} have been within one level of each other, {shares[1]} on one level."
        )

    def numbers() -> Table:
        table = run().levels()
        return table_of(table[table["encounter"] % EVERY == 0], PARTY, f"Every {EVERY}th encounter")

    drawn = figure("party", "Party", words, plots.party, run, numbers=numbers)
    return Section("party", "Party", (drawn,))
