"""`ramulus compare`: designs, or variants of one, side by side."""

from __future__ import annotations

import math
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from ramulus.analysis.words.glance import LEVEL, duration, milestones
from ramulus.analysis.words.heads import COMPARED
from ramulus.analysis.words.writers import Column, number
from ramulus.cli import options
from ramulus.cli.closing import Closing, closed
from ramulus.cli.output import Printing
from ramulus.cli.simulate import progress_bar

if TYPE_CHECKING:
    import pandas as pd

    from ramulus.analysis.comparing import Comparison
    from ramulus.design import Design

LARGE = 0.05  # Of a profile's XP, from one source.
NOTABLE = 0.005  # Of all XP, or of all players: smaller changes go unsaid.
MOST_VARIANTS = 50


def register(app: typer.Typer) -> None:
    """Add the command."""
    app.command()(closed(compare))


def compare(
    files: Annotated[list[Path], typer.Argument(help="Design files, TOML or JSON.", show_default=False)],
    variant: options.Variant = None,
    players: options.Players = 2000,
    hours: options.Hours = None,
    seed: options.Seed = 0,
    player: options.PlayerOption = None,
    all_levels: Annotated[bool, typer.Option("--all", help="Show every level.")] = False,
    *,
    closing: Closing,
) -> None:
    """Play designs, or variants of one, with the same draws, and show what differs and by how much.

    Differences are taken player by player, so their intervals are far narrower than those of two separate runs.
    """
    comparison = play_compared(files, variant or [], players, hours, seed, player, closing)
    _show(comparison, closing.printing("compare"), all_levels=all_levels)


def play_compared(
    files: list[Path], variants: list[str], players: int, hours: float | None, seed: int, player: str | None,
    closing: Closing,
) -> Comparison:  # fmt: skip
    """Play what the command line asks for."""
    from ramulus.analysis.comparing import compare as run

    designs = _designs(files, variants, closing)
    for design in designs.values():
        options.one_player(design, player)
    with progress_bar(closing.quiet) as progress:
        return run(designs, {player: players} if player is not None else players, hours, seed, progress=progress)


def _designs(files: list[Path], variants: list[str], closing: Closing) -> dict[str, Design]:
    """Return the designs by name: files by theirs, variants by what they set."""
    designs = {name: closing.load(file) for name, file in zip(_names(files), files, strict=True)}
    first = next(iter(designs.values()))
    for text in variants:
        for name, values in _variants(text):
            if name in designs:
                raise typer.BadParameter(f"{name!r} is there twice", param_hint="--variant")
            designs[name] = options.changed(first, values)
    if len(designs) > MOST_VARIANTS:
        raise typer.BadParameter(f"{len(designs)} designs; allowed: at most {MOST_VARIANTS}", param_hint="--variant")
    if len(designs) < 2:
        raise typer.BadParameter("one design only; give another file, or --variant NAME=VALUE", param_hint="FILES")
    return designs


def _names(files: list[Path]) -> list[str]:
    """Return names for files: as short as tells them apart."""
    for names in ([file.stem for file in files], [file.name for file in files], [str(file) for file in files]):
        if len(set(names)) == len(files):
            return names
    raise typer.BadParameter("the same file twice", param_hint="FILES")


def _variants(text: str) -> list[tuple[str, dict[str, Any]]]:
    """Return the variants that one option asks for, by name."""
    changes = [options.split_change(part, "--variant") for part in _parts(text)]
    spans = [(name, _span(value)) for name, value in changes if isinstance(value, str) and value.count(":") == 2]
    if not spans:
        return [(text.strip(), dict(changes))]
    if len(changes) > 1:
        raise typer.BadParameter(f"{text!r}: LOW:HIGH:STEPS goes alone", param_hint="--variant")
    ((name, values),) = spans
    return [(f"{name}={value:.12g}", {name: value}) for value in values]


def _parts(text: str) -> list[str]:
    """Return the changes of a variant: what stands between commas that are in no brackets."""
    parts, depth = [""], 0
    for letter in text:
        depth += (letter in "[{(") - (letter in "]})")
        if letter == "," and depth == 0:
            parts.append("")
        else:
            parts[-1] += letter
    return parts


def _span(text: str) -> list[float]:
    try:
        low, high, steps = (float(part) for part in text.split(":"))
    except ValueError:
        low, high, steps = math.nan, math.nan, 0
    if not (math.isfinite(low) and math.isfinite(high) and steps == int(steps) and 2 <= steps <= MOST_VARIANTS):
        allowed = f"LOW:HIGH:STEPS, three numbers, 2 … {MOST_VARIANTS} steps"
        raise typer.BadParameter(f"{text!r}; allowed: {allowed}", param_hint="--variant")
    # Twelve digits, so that 1.6 is not 1.5999999999999999.
    return [float(f"{low + (high - low) * step / (int(steps) - 1):.12g}") for step in range(int(steps))]


def _show(comparison: Comparison, printing: Printing, *, all_levels: bool) -> None:
    table = comparison.pace()
    more = {
        "within_levels": comparison.within_levels(), "totals": comparison.totals(), "income": comparison.income(),
        "findings": comparison.findings(),
    }  # fmt: skip
    if comparison.first.design.goals:
        more["goals"] = comparison.goals()
    counts = ", ".join(f"{count:,} {who}" for who, count in comparison.first.players.items())
    title = f"{comparison.first.design.title}: {counts}; seed {comparison.first.seed}, the same draws for all"
    heads = COMPARED
    if printing.for_a_reader and not (all_levels or printing.columns):
        table, heads = _at_a_glance(comparison, table)
    printing.table(table, heads, title, "\n".join(_said(comparison, more)), more)


def _at_a_glance(comparison: Comparison, table: pd.DataFrame) -> tuple[pd.DataFrame, dict[str, Column]]:
    """Return milestones with a column a profile; of more than two designs, a row each at the highest level."""
    import pandas as pd

    players = list(comparison.first.players)
    if len(comparison.variants) > 2:
        top = int(table["level"].max())
        cells = {(row.variant, row.player): _cell(row) for row in table[table["level"] == top].itertuples()}
        rows = [[name, *(cells.get((name, who), "") for who in players)] for name in comparison.variants]
        heads = {who: Column(f"{who}, level {top}\np50 (difference)") for who in players}
        return pd.DataFrame(rows, columns=["variant", *players]), {"variant": Column("variant"), **heads}
    shown = milestones(int(table["level"].min()), int(table["level"].max()))
    other = table[table["variant"] == comparison.variants[1]]
    cells = {(row.level, row.player): _cell(row) for row in other.itertuples()}
    by_level = [[level, *(cells.get((level, who), "") for who in players)] for level in shown]
    heads = {who: Column(f"{who}\np50 (difference)") for who in players}
    return pd.DataFrame(by_level, columns=[LEVEL, *players]), {LEVEL: Column("level", number()), **heads}


def _cell(row: Any) -> str:
    """Return a median and its difference from the first design's, with half of its interval."""
    if math.isnan(row.hours_p50):
        return f"{row.reached:.0%} get there"
    if math.isnan(row.difference):
        return f"{row.hours_p50:.2f} h"
    if row.difference == row.difference_low == row.difference_high == 0:
        return f"{row.hours_p50:.2f} h (same)"
    half = (row.difference_high - row.difference_low) / 2
    return f"{row.hours_p50:.2f} h ({row.difference:+.2f} ± {half:.2f})"


def _said(comparison: Comparison, more: dict[str, pd.DataFrame]) -> list[str]:
    """Return in words what changed in the file and what came of it, a block a variant."""
    lines = ["", "Differences are paired: player by player, with 95 % intervals."]
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
