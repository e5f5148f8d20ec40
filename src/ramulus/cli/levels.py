"""`ramulus levels`: the level table, of one track or of all, and the level that some XP pays for."""

from __future__ import annotations

from dataclasses import asdict
from typing import TYPE_CHECKING, Annotated

import typer

from ramulus.cli import options
from ramulus.cli.closing import Closing, closed
from ramulus.cli.options import Format
from ramulus.cli.output import Printing
from ramulus.words.heads import LEVELS

if TYPE_CHECKING:
    from ramulus.design import Design


def register(app: typer.Typer) -> None:
    """Add the command."""
    app.command()(closed(levels))


def levels(
    file: options.File,
    from_level: options.FromLevel = None,
    to_level: options.ToLevel = None,
    at_xp: Annotated[float | None, typer.Option("--at-xp", help="The level that so much XP in all pays for.")] = None,
    track: options.Track = None,
    all_tracks: Annotated[
        bool, typer.Option("--all-tracks", help="Every track: a sheet each in a workbook, a key each in JSON.")
    ] = False,
    player: options.PlayerOption = None,
    *,
    closing: Closing,
) -> None:
    """What each level costs and adds up to, how it grows from the level before, and the stats."""
    design = closing.load(file)
    printing = closing.printing("levels")
    if at_xp is not None:
        _at_xp(design, at_xp, track, closing, printing)
    elif all_tracks:
        _every_track(design, player, printing)
    else:
        from ramulus.tables.levels import jump_levels, level_columns, shape_in_words

        columns = level_columns(design, track, player, from_level, to_level)
        name, jumps = track or design.main_track_name, set(jump_levels(design, track))
        bought = f", stats as {player} buys" if player else ", no upgrades bought" if design.upgrades else ""
        printing.table(
            columns,
            LEVELS,
            f"{design.title}: {name}{bought}",
            shape_in_words(design, track),
            strong=[level in jumps for level in columns["level"].tolist()],
        )


def _at_xp(design: Design, at_xp: float, track: str | None, closing: Closing, printing: Printing) -> None:
    from ramulus.tables.level_at import level_at

    found = level_at(design, at_xp, track)
    if closing.shows_table:
        print(found)
        return
    import pandas as pd

    printing.table(pd.DataFrame([asdict(found)]), {})


def _every_track(design: Design, player: str | None, printing: Printing) -> None:
    """Show all tracks: side by side where the output holds several tables, else one below the other."""
    import pandas as pd

    from ramulus.tables.levels import level_table

    tables = {name: level_table(design, name, player=player) for name in design.track_order}
    ending = printing.output.suffix.lower() if printing.output else ""
    holds_several = ending in (".xlsx", ".json") if printing.output else printing.format is Format.json
    if holds_several and printing.format is not Format.records:
        main, *others = tables
        printing.table(tables[main], LEVELS, more={name: tables[name] for name in others}, sheet=main)
        return
    for name, table in tables.items():
        table.insert(0, "track", name)
    printing.table(pd.concat(list(tables.values()), ignore_index=True), LEVELS, f"{design.title}: every track")
