"""The section of sources: what an hour brings, what an encounter takes and pays, what players lived on."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ramulus import plots
from ramulus.page.context import Context, few_profiles, figure, name_of
from ramulus.page.parts import Folded, Part, Section, Table, table_of
from ramulus.plots.labels import shortened
from ramulus.tables.effort import effort_table
from ramulus.tables.gain import gain_table
from ramulus.words.heads import EFFORT, gain_heads

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.results.result import SimulationResult

MOST_NAMED = 4


def sources(context: Context) -> Section | None:
    """What each source takes and pays, by level."""
    design = context.design
    if not design.sources:
        return None
    profiles, left_out = few_profiles(context.profiles, "income")
    parts: list[Part] = []
    if profiles:
        income = [_income(design, player, index) for index, player in enumerate(profiles)]
        parts += [income[0], _effort(design, profiles[0])]
        if profiles[1:]:
            effort = [_effort_numbers(design, player) for player in profiles[1:]]
            parts.append(Folded("The other profiles", (*income[1:], *effort, *left_out)))
        parts.append(_gain(design, profiles[0]))
    if context.result is not None:
        result = context.result
        parts.append(
            figure(
                "xp-by-source", "What players lived on", lambda: _income_in_words(result), plots.xp_by_source, result
            )
        )
    return Section("sources", "Sources", tuple(parts))


def _income(design: Design, player: str, index: int) -> Part:
    def words() -> str:
        rows = effort_table(design, player).dropna(subset=["xp_per_hour"])
        said = []
        for name, mine in rows.groupby("source", sort=False):
            best = mine.loc[mine["xp_per_hour"].idxmax()]
            said.append(f"{shortened(str(name), 40)} {best['xp_per_hour']:,.0f} at level {best['level']:g}")
        return f"XP per hour of each source where it pays {player} best: {'; '.join(said)}."

    return figure(
        f"income-{name_of(player, index)}", f"What an hour brings: {player}", words, plots.income, design, player=player
    )


def _effort_numbers(design: Design, player: str) -> Table:
    return table_of(effort_table(design, player), EFFORT, f"Effort of {player}")


def _effort(design: Design, player: str) -> Part:
    def words() -> str:
        rows = effort_table(design, player)
        least, most = rows.loc[rows["success"].idxmin()], rows.loc[rows["success"].idxmax()]
        return (
            f"XP per hour of {player} by level and source. Success lies between {least['success']:.0%} "
            f"({shortened(least['source'], 40)} at level {least['level']:g}) and {most['success']:.0%} "
            f"({shortened(most['source'], 40)} at level {most['level']:g})."
        )

    return figure(
        "effort", f"Effort: {player}", words, plots.effort, design, player=player,
        numbers=lambda: _effort_numbers(design, player),
    )  # fmt: skip


def _gain(design: Design, player: str) -> Part:
    def words() -> str:
        table = gain_table(design, player)
        least, most = table.loc[table["factor"].idxmin()], table.loc[table["factor"].idxmax()]
        ends = [
            f"×{row['factor']:.3g} ({shortened(row['source'], 40)} at level {row['level']:g})" for row in (least, most)
        ]
        return f"Multipliers of {player}, timed ones off: from {ends[0]} to {ends[1]}."

    return figure(
        "gain", f"Awards by level: {player}", words, plots.gain, design, player=player,
        numbers=lambda: table_of(gain_table(design, player), gain_heads(design), f"Awards to {player}"),
    )  # fmt: skip


def _income_in_words(result: SimulationResult) -> str:
    said = []
    for player, rows in result.income().groupby("player", sort=False):
        by_source = rows.groupby("source", sort=False)["xp"].sum().sort_values(ascending=False)
        shares = [
            f"{shortened(str(name), 40)} {share:.0%}"
            for name, share in (by_source / max(by_source.sum(), 1)).head(MOST_NAMED).items()
        ]
        said.append(f"{player}: {', '.join(shares)}")
    return f"Shares of all XP. {'; '.join(said)}."
