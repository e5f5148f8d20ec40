"""The sections of what was played: pace, where it drags, where players are, who stays."""

from __future__ import annotations

from typing import TYPE_CHECKING

from ramulus import plots
from ramulus.page.context import Context, few_profiles, figure, name_of
from ramulus.page.parts import Folded, Part, Section, table_of
from ramulus.plots.drags import drags_of
from ramulus.words.writers import Column, duration, hours, number, percent

if TYPE_CHECKING:
    import pandas as pd

    from ramulus.results.result import SimulationResult

IN_LEVEL = {
    "player": Column("player"), "level": Column("level", number()),
    **{f"hours_p{q}": Column(f"p{q} hours", hours) for q in (10, 50, 90)},
}  # fmt: skip
STILL = {
    "player": Column("player"),
    "day": Column("day", number()),
    "still_playing": Column("still playing", percent()),
    "still_playing_low": Column("from", percent()),
    "still_playing_high": Column("to", percent()),
}  # fmt: skip


def pace(context: Context) -> Section | None:
    """How fast each kind of player levels, and where it drags."""
    result = context.result
    if result is None:
        return None
    table = result.pace()
    parts: list[Part] = [
        figure(
            "time-in-level", "Time in each level", lambda: _drag_words(result), plots.time_in_level, result,
            numbers=lambda: table_of(result.time_in_level(), IN_LEVEL, "Hours within each level"),
        ),
        figure("reached", "Who has reached the cap", lambda: _cap_words(table), plots.reached, result),
    ]  # fmt: skip
    shown, left_out = few_profiles(list(result.players), "levels-over-time")
    over_time = [_over_time(result, player, index) for index, player in enumerate(shown)]
    others = (*over_time[1:], *left_out)
    parts += [over_time[0], *([Folded("The other profiles over time", others)] if others else [])]
    if result.keeps_players:
        parts.append(figure("skill-or-luck", "Skill or luck", lambda: _luck_words(result), plots.skill_or_luck, result))
    return Section("pace", "Where it drags", tuple(parts))


def _over_time(result: SimulationResult, player: str, index: int) -> Part:
    return figure(
        f"levels-over-time-{name_of(player, index)}", f"Where {player} players are",
        lambda: _bands_words(result, player), plots.levels_over_time, result, player,
    )  # fmt: skip


def _drag_words(result: SimulationResult) -> str:
    drags = [drag.words for drag in drags_of(result)]
    slowest = [
        f"{row.player}: level {row.level:g}, {duration(row.hours)}"
        for row in result.slowest().dropna(subset=["hours"]).itertuples()
    ]
    longest = f"The longest level of each profile, median: {'; '.join(slowest) or 'not known'}."
    return f"{longest} {'; '.join(drags) or 'No level is seen to stand out from its neighbours'}."


def _cap_words(table: pd.DataFrame) -> str:
    """Tell which share is at the highest level in the end, and when half are."""
    top = table[table["level"] == table["level"].max()]
    said = [
        f"{row.player}: {row.reached:.0%} within what was played"
        + (f", half of them after {duration(row.hours_p50)}" if row.hours_p50 == row.hours_p50 else "")
        for row in top.itertuples()
    ]
    return f"Share of the players at level {top['level'].iloc[0]}. {'; '.join(said)}."


def _luck_words(result: SimulationResult) -> str:
    """Tell what makes players of one kind faster or slower."""
    said = []
    for row in result.skill_or_luck().dropna(subset=["luck"]).to_dict("records"):
        parts = f"ability {row['ability']:.0%}, own speed {row['speed']:.0%}, luck {row['luck']:.0%}"
        said.append(f"{row['player']}, hours to level {row['level']}: {parts}")
    return f"What the differences between players of one kind come from. {'; '.join(said)}."


def _bands_words(result: SimulationResult, player: str) -> str:
    mine = result.pace()
    mine = mine[mine["player"] == player].dropna(subset=["hours_p50"])
    if mine.empty:
        return f"Fewer than half of the {player} players reach a second level."
    last = float(mine["hours_p50"].iloc[-1])
    said = []
    for part in (0.25, 0.5, 0.75):
        at = result.level_at(part * last)
        at = at[at["player"] == player]
        most = at.loc[at["share"].idxmax()]
        said.append(f"after {duration(part * last)} most, {most['share']:.0%}, are at level {most['level']:g}")
    return f"{player}: {'; '.join(said)}."


def staying(context: Context) -> Section | None:
    """Who is still playing, where anybody can quit."""
    result = context.result
    if result is None or not result.can_quit:
        return None
    still = result.still_playing()
    return Section(
        "staying", "Who stays",
        (
            figure(
                "retention", "Still playing", lambda: _still_words(still), plots.retention, result,
                numbers=lambda: table_of(still, STILL, "Still playing at the end of each day"),
            ),
        ),
    )  # fmt: skip


def _still_words(still: pd.DataFrame) -> str:
    said = []
    for player, rows in still.groupby("player", sort=False):
        days = [
            f"{row.still_playing:.0%} after day {row.day}" for row in rows.itertuples() if row.day in (1, 7, 30, 90)
        ]
        said.append(f"{player}: {', '.join(days) or 'no calendar days'}")
    return f"Share that has not quit. {'; '.join(said)}."
