"""`ramulus levels`: the level table."""

from __future__ import annotations

import typer

from ramulus.cli import options
from ramulus.cli.closing import Closing, closed
from ramulus.cli.output import Column, number, percent, xp

HEADS = {
    "level": Column("level", number()),
    "cost": Column("cost\nXP", xp),
    "total": Column("total\nXP", xp),
    "growth": Column("growth", percent()),
}


def register(app: typer.Typer) -> None:
    """Add the command."""
    app.command()(closed(levels))


def levels(
    file: options.File,
    from_level: options.FromLevel = None,
    to_level: options.ToLevel = None,
    track: options.Track = None,
    player: options.PlayerOption = None,
    *,
    closing: Closing,
) -> None:
    """What each level costs and adds up to, how it grows from the level before, and the stats."""
    from ramulus.analysis.level_table import level_table, shape_in_words

    design = closing.load(file)
    table = level_table(design, track, player=player, from_level=from_level, to_level=to_level)
    name = track or design.main_track_name
    bought = f", stats as {player} buys" if player else ", no upgrades bought" if design.upgrades else ""
    title = f"{design.title}: {name}{bought}"
    closing.printing("levels").table(table, HEADS, title, shape_in_words(design, track))
