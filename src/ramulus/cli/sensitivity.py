"""`ramulus sensitivity`: how much each number moves each goal."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import typer

from ramulus.cli import options
from ramulus.cli.closing import Closing, closed
from ramulus.cli.output import Printing
from ramulus.cli.trials import trials_bar
from ramulus.words.sensitivity import FOOT, HEADS, sensitivity_rows
from ramulus.words.writers import significant

if TYPE_CHECKING:
    import pandas as pd

    from ramulus.design import Design


def register(app: typer.Typer) -> None:
    """Add the command."""
    app.command()(closed(sensitivity))


def sensitivity(
    file: options.File,
    vary: options.Vary = None,
    players: options.TrialPlayers = 600,
    seed: options.Seed = 0,
    *,
    closing: Closing,
) -> None:
    """Say how much each number moves each goal, and which value of it alone would meet the goal.

    Numbers move by 3 % up and down, whole ones and rounded XP by whole steps; all runs share their draws.
    """
    design = closing.load(file)
    table = moved(design, vary, players, seed, closing)
    printing = closing.printing("sensitivity")
    if printing.for_a_reader and not printing.columns:
        _show(table, printing, f"{design.title}: {players:,} players of each profile that has a goal, seed {seed}")
    else:
        printing.table(table, {})


def moved(design: Design, vary: list[str] | None, players: int, seed: int, closing: Closing) -> pd.DataFrame:
    """Move numbers, with a progress bar."""
    from ramulus.tuning import sensitivity as run

    with trials_bar(closing.quiet) as progress:
        return run(design, vary, players, seed=seed, progress=progress)


def _show(table: pd.DataFrame, printing: Printing, title: str) -> None:
    """Print a table a goal."""
    print(title)
    goals = list(table.groupby(["player", "goal"], sort=False))
    for index, ((player, goal), rows) in enumerate(goals):
        found = rows["found"].iloc[0]
        now = f"now {significant(found)}" if not math.isnan(found) else "too few get there now"
        last = FOOT if index == len(goals) - 1 else ""
        print()
        printing.table(sensitivity_rows(rows)[list(HEADS)], HEADS, f"{player}: {goal}; {now}", last)
