"""`ramulus levels`: the level table."""

from __future__ import annotations

from typing import Annotated

import typer

from ramulus.cli import options
from ramulus.cli.output import Column, Printing, number, percent, xp

HEADS = {
    "level": Column("level", number()),
    "cost": Column("cost\nXP", xp),
    "total": Column("total\nXP", xp),
    "growth": Column("growth", percent()),
}


def register(app: typer.Typer) -> None:
    """Add the command."""
    app.command()(levels)


def levels(
    file: options.File,
    from_level: Annotated[int | None, typer.Option("--from", help="The first level to show.")] = None,
    to_level: Annotated[int | None, typer.Option("--to", help="The last level to show.")] = None,
    track: options.Track = None,
    player: options.PlayerOption = None,
    changes: options.SetValues = None,
    form: options.FormatOption = options.Format.table,
    output: options.Output = None,
    quiet: options.Quiet = False,
) -> None:
    """What each level costs and adds up to, how it grows from the level before, and the stats."""
    from ramulus.analysis.level_table import level_table, shape_in_words

    design = options.load(file, changes)
    table = level_table(design, track, player=player, from_level=from_level, to_level=to_level)
    name = track or design.main_track_name
    bought = f", stats as {player} buys" if player else ", no upgrades bought" if design.upgrades else ""
    title = f"{design.title}: {name}{bought}"
    Printing("levels", form, output, quiet).table(table, HEADS, title, shape_in_words(design, track))
