"""The section of costs and stats: what no chance touches."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ramulus import plots
from ramulus.errors import RamulusError
from ramulus.page.context import Context, figure, nothing
from ramulus.page.parts import Folded, Part, Section, table_of
from ramulus.tables.levels import level_table, shape_in_words
from ramulus.tables.trace import trace_source
from ramulus.words.heads import LEVELS

if TYPE_CHECKING:
    import pandas as pd

AWARDS = 30


def levels(context: Context) -> Section:
    """What each level costs and gives, of every track."""
    design = context.design
    tables = {track: level_table(design, track) for track in design.track_order}
    main, *others = tables
    parts: list[Part] = [
        figure(
            "costs", "Costs", lambda: _cost_words(tables[main], shape_in_words(design)), plots.costs, design,
            numbers=lambda: table_of(tables[main], LEVELS, f"Levels of {main}"),
        )
    ]  # fmt: skip
    parts += [
        Folded(f"Levels of {track}", (table_of(tables[track], LEVELS, f"Levels of {track}"),)) for track in others
    ]
    if design.stats:
        player = context.profiles[0] if design.upgrades and context.profiles else None
        parts.append(figure("stats", "Stats", lambda: _stat_words(tables[main]), plots.stats, design))
        if player is not None:
            bought = level_table(design, player=player)
            title = f"Levels of {main}, stats as {player} buys"
            parts.append(Folded(title, (table_of(bought, LEVELS, title),)))
    parts.append(_awards(context))
    return Section("levels", "Levels", tuple(parts))


def _awards(context: Context) -> Part:
    """Draw the first awards of the first source that is open at the start, where there is one."""
    design, title = context.design, "What awards do"
    start = design.track().start_level
    source = next(
        (name for name, one in design.sources.items() if (one.from_level or start) <= start),
        next(iter(design.sources), ""),
    )
    try:
        table, _ = trace_source(design, source, AWARDS)
    except RamulusError as error:
        return nothing(title, error)
    last = table.iloc[-1]
    held = f"{last['earned']:,.0f} XP, up to {last['label']}"
    said = f"{len(table)} successes at {source}: {held}, {table['wasted'].sum():,.0f} XP wasted."
    return figure("awards", title, lambda: said, plots.awards, design, table)


def _cost_words(table: pd.DataFrame, shape: str) -> str:
    costs = table.dropna(subset=["cost"])
    first, last = costs.iloc[0], costs.iloc[-1]
    return (
        f"Level {first['level']:g} costs {first['cost']:,.0f} XP, level {last['level']:g} {last['cost']:,.0f} XP; "
        f"the cap needs {table['total'].iloc[-1]:,.0f} XP in all. {shape}"
    )


def _stat_words(table: pd.DataFrame) -> str:
    stats = [name for name in table.columns if name not in LEVELS]
    first, last = table.iloc[0], table.iloc[-1]
    said = [f"{name} from {first[name]:,.4g} to {last[name]:,.4g}" for name in stats]
    return f"From level {first['level']:g} to {last['level']:g}, no upgrades bought: {'; '.join(said)}."
