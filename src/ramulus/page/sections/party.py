"""The section of the party."""

from __future__ import annotations

from ramulus import plots
from ramulus.analysis.party import play_party
from ramulus.analysis.words.heads import PARTY
from ramulus.analysis.words.writers import number
from ramulus.errors import RamulusError
from ramulus.page.context import Context, figure, nothing
from ramulus.page.parts import Section, table_of

EVERY = 10


def party(context: Context) -> Section | None:
    """How the members of the party catch up, where there is one."""
    if context.design.party is None:
        return None
    try:
        run = play_party(context.design)
    except RamulusError as error:
        return Section("party", "Party", (nothing("The party", error),))
    caught = run.caught_up()
    table = run.levels()

    def words() -> str:
        last = table[table["encounter"] == table["encounter"].max()]
        levels = ", ".join(f"{row.member} {number()(row.level_p50)}" for row in last.itertuples())
        shares = [f"{caught[f'{name}_after'].notna().mean():.0%}" for name in ("close", "even")]
        return (
            f"After {table['encounter'].max()} shared encounters the median levels are: {levels}. Of {run.parties} "
            f"parties {shares[0]} have been within one level of each other, {shares[1]} on one level."
        )

    some = table[table["encounter"] % EVERY == 0]
    drawn = figure(
        "party", "Party", words, plots.party, run,
        numbers=lambda: table_of(some, PARTY, f"Every {EVERY}th encounter"),
    )  # fmt: skip
    return Section("party", "Party", (drawn,))
