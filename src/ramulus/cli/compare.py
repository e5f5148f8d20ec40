"""`ramulus compare`: designs, or variants of one, side by side."""

from __future__ import annotations

import math
from itertools import product
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from ramulus.cli import options
from ramulus.cli.closing import Closing, closed
from ramulus.cli.output import Printing
from ramulus.cli.simulate import progress_bar
from ramulus.words.compared import compared_at_a_glance, compared_in_words, parts_of
from ramulus.words.heads import COMPARED

if TYPE_CHECKING:
    from ramulus.comparing import Comparison
    from ramulus.design import Design

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
    from ramulus.comparing import compare as run

    designs = named_designs(files, variants, closing)
    if len(designs) < 2:
        raise typer.BadParameter("one design only; give another file, or --variant NAME=VALUE", param_hint="FILES")
    for design in designs.values():
        options.one_player(design, player)
    with progress_bar(closing.quiet) as progress:
        return run(designs, {player: players} if player is not None else players, hours, seed, progress=progress)


def named_designs(files: list[Path], variants: list[str], closing: Closing) -> dict[str, Design]:
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
    spans = {name: span_of(value) for name, value in changes if isinstance(value, str) and value.count(":") == 2}
    if not spans:
        return [(text.strip(), dict(changes))]
    # A variant a value, of two numbers one a pair; what stands beside them holds in all.
    fixed = {name: value for name, value in changes if name not in spans}
    found = []
    for values in product(*spans.values()):
        own = dict(zip(spans, values, strict=True))
        words = ", ".join(
            [f"{name}={value:.12g}" for name, value in own.items()] + [f"{n}={v}" for n, v in fixed.items()]
        )
        found.append((words, {**own, **fixed}))
    return found


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


def span_of(text: str, option: str = "--variant") -> list[float]:
    """Return the values of LOW:HIGH:STEPS."""
    try:
        low, high, steps = (float(part) for part in text.split(":"))
    except ValueError:
        low, high, steps = math.nan, math.nan, 0
    if not (math.isfinite(low) and math.isfinite(high) and steps == int(steps) and 2 <= steps <= MOST_VARIANTS):
        allowed = f"LOW:HIGH:STEPS, three numbers, 2 … {MOST_VARIANTS} steps"
        raise typer.BadParameter(f"{text!r}; allowed: {allowed}", param_hint=option)
    # Twelve digits, so that 1.6 is not 1.5999999999999999.
    return [float(f"{low + (high - low) * step / (int(steps) - 1):.12g}") for step in range(int(steps))]


def _show(comparison: Comparison, printing: Printing, *, all_levels: bool) -> None:
    table = comparison.pace()
    more = parts_of(comparison)
    counts = ", ".join(f"{count:,} {who}" for who, count in comparison.first.players.items())
    title = f"{comparison.first.design.title}: {counts}; seed {comparison.first.seed}, the same draws for all"
    heads = COMPARED
    if printing.for_a_reader and not (all_levels or printing.columns):
        table, heads = compared_at_a_glance(comparison, table)
    printing.table(table, heads, title, "\n".join(compared_in_words(comparison, more)), more)
