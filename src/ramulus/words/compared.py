"""A comparison for a reader: milestones with their differences, and in words what changed and what came of it."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any

from ramulus.words.milestones import LEVEL, milestones
from ramulus.words.writers import MINUTES_BELOW, Column, duration, number, plus_minus

if TYPE_CHECKING:
    import pandas as pd

    from ramulus.comparing import Comparison

LARGE = 0.05  # Of a profile's XP, from one source.
NOTABLE = 0.005  # Of all XP, or of all players: smaller changes go unsaid.


def parts_of(comparison: Comparison) -> dict[str, pd.DataFrame]:
    """Return the tables of a comparison beside its pace, by name."""
    parts = {
        "within_levels": comparison.within_levels(), "totals": comparison.totals(), "income": comparison.income(),
        "findings": comparison.findings(),
    }  # fmt: skip
    if comparison.first.design.goals:
        parts["goals"] = comparison.goals()
    return parts


def compared_at_a_glance(comparison: Comparison, table: pd.DataFrame) -> tuple[pd.DataFrame, dict[str, Column]]:
    """Return milestones with a column a profile; of more than two designs, a row each at the highest level."""
    import pandas as pd

    players, days = list(comparison.first.players), _days(comparison)

    def cell(row: Any) -> str:
        return _cell(row, days.get((row.variant, row.player, row.level), math.nan))

    dated = {who for (_, who, _), day in days.items() if not math.isnan(day)}
    words = {who: "p50 (difference), day" if who in dated else "p50 (difference)" for who in players}
    if len(comparison.variants) > 2:
        top = int(table["level"].max())
        cells = {(row.variant, row.player): cell(row) for row in table[table["level"] == top].itertuples()}
        rows = [[name, *(cells.get((name, who), "") for who in players)] for name in comparison.variants]
        heads = {who: Column(f"{who}, level {top}\n{words[who]}") for who in players}
        return pd.DataFrame(rows, columns=["variant", *players]), {"variant": Column("variant"), **heads}
    shown = milestones(int(table["level"].min()), int(table["level"].max()))
    other = table[table["variant"] == comparison.variants[1]]
    cells = {(row.level, row.player): cell(row) for row in other.itertuples()}
    by_level = [[level, *(cells.get((level, who), "") for who in players)] for level in shown]
    heads = {who: Column(f"{who}\n{words[who]}") for who in players}
    return pd.DataFrame(by_level, columns=[LEVEL, *players]), {LEVEL: Column("level", number()), **heads}


def _cell(row: Any, day: float) -> str:
    """Return a median and its difference from the first design's, as far as its interval reaches, and the day."""
    if math.isnan(row.hours_p50):
        return f"{row.reached:.0%} get there"
    unit, times, digits = ("min", 60, 1) if row.hours_p50 < MINUTES_BELOW else ("h", 1, 2)
    text = f"{times * row.hours_p50:.{digits}f} {unit}"
    if not math.isnan(row.difference):
        if row.difference == row.difference_low == row.difference_high == 0:
            text += " (same)"
        else:
            change, low, high = (times * end for end in (row.difference, row.difference_low, row.difference_high))
            text += f" ({plus_minus(change, low, high, digits)})"
    if not math.isnan(day):
        text += f", {day:.0f}"
    return text


def _days(comparison: Comparison) -> dict[tuple[str, str, int], float]:
    """Return the median day of each variant, profile and level; without schedules none is known."""
    found = {}
    for variant, result in comparison.results.items():
        for row in result.days().itertuples():
            found[variant, str(row.player), int(row.level)] = float(row.days_p50)
    return found


def compared_in_words(comparison: Comparison, more: dict[str, pd.DataFrame]) -> list[str]:
    """Return in words what changed in the file and what came of it, a block a variant."""
    lines = ["", "Differences are paired: player by player, ± the farther end of their 95 % intervals."]
    if comparison.conservative:
        lines.append("Some times stand on a lattice: their intervals are wider than they need be.")
    for variant, changed in comparison.changes().items():
        lines += ["", variant, *[f"  {change}" for change in changed[:8]]]
        lines += [f"  … {len(changed) - 8} more keys"] if len(changed) > 8 else []
        lines += [f"  {line}" for line in _pace_words(comparison, variant, more)]
        lines += [f"  {line}" for line in _changed_words(comparison, variant, more)]
    return lines


def _pace_words(comparison: Comparison, variant: str, more: dict[str, pd.DataFrame]) -> list[str]:
    differences, lines = comparison.differences(), []
    mine = differences[differences["variant"] == variant]
    within = more["within_levels"].set_index(["variant", "player"])
    for player, rows in mine.groupby("player", sort=False):
        known = rows.dropna(subset=["difference"])
        row = within.loc[(variant, player)] if (variant, player) in within.index else None
        if known.empty or row is None or math.isnan(row["parts_at"]):
            lines.append(
                f"{player}: nothing differs" if row is not None and not known.empty else f"{player}: not known"
            )
            continue
        last = known.iloc[-1]
        before, after = last["hours_p50"] - last["difference"], last["hours_p50"]
        share = f"{after / before - 1:+.0%}" if before else "from nothing"
        lines.append(
            f"{player} reaches {last['level']} after {duration(after)} instead of {duration(before)} ({share})"
        )
        if not math.isnan(row["level"]):
            most = f"level {row['level']:g} takes {duration(row['after'])} instead of {duration(row['before'])}"
            lines.append(f"  parts from level {row['parts_at']:g} on; {most}")
    return lines


def _changed_words(comparison: Comparison, variant: str, more: dict[str, pd.DataFrame]) -> list[str]:
    """Return what else is different: waste, who still plays, income, findings, goals."""
    lines, first = [], comparison.variants[0]
    totals = more["totals"].set_index(["variant", "player"])
    for player in comparison.first.players:
        for column, words in (("wasted", "XP wasted"), ("still_playing", "still playing at the cap")):
            before, after = (totals[column].get((name, player), math.nan) for name in (first, variant))
            if abs(after - before) >= NOTABLE:
                lines.append(f"{player}: {words} {after:.1%} instead of {before:.1%}")
    shares = more["income"].pivot_table(index=["player", "source"], columns="variant", values="share").fillna(0.0)
    if first in shares and variant in shares:
        apart = (shares[variant] - shares[first]).sort_values(key=abs, ascending=False)
        for player, source in apart[abs(apart) >= LARGE].head(3).index:
            now, then = shares[variant][player, source], shares[first][player, source]
            lines.append(f"{player}: {source} gives {now:.0%} of the XP instead of {then:.0%}")
    found = more["findings"]
    mine = found[found["variant"] == variant]
    lines += [f"finding {row.change}: {row.code} at {row.place}" for row in mine.itertuples()]
    if "goals" in more:
        lines += _goal_words(more["goals"], first, variant)
    return lines


def _goal_words(goals: pd.DataFrame, first: str, variant: str) -> list[str]:
    mine = [goals[goals["variant"] == name].reset_index(drop=True) for name in (first, variant)]
    if not len(mine[1]) or len(mine[0]) != len(mine[1]):
        return []
    pairs = zip(mine[0].itertuples(), mine[1].itertuples(), strict=True)
    changed = [
        f"goal {after.verdict} instead of {before.verdict}: {after.player}, {after.goal}"
        for before, after in pairs
        if before.verdict != after.verdict
    ]
    counts = ", ".join(f"{count} {word}" for word, count in mine[1]["verdict"].value_counts().items())
    return [*changed, f"goals: {counts}"]
