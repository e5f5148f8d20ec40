"""`ramulus explain`: a formula worked through."""

from __future__ import annotations

from typing import Annotated

import typer

from ramulus.cli import options
from ramulus.cli.closing import Closing, closed


def register(app: typer.Typer) -> None:
    """Add the command."""
    app.command()(closed(explain))


def explain(
    file: options.File,
    place: Annotated[str, typer.Argument(help="Where it stands, such as tracks.warden.cost or encounter.seconds.")],
    level: Annotated[int, typer.Option("--level", help="The player's level.")],
    player: options.PlayerOption = None,
    ability: options.Ability = 0.5,
    source: options.Source = None,
    skill_level: options.SkillLevel = None,
    *,
    closing: Closing,
) -> None:
    """Work a formula through at one level, innermost step first, with every rounding named."""
    design = closing.load(file)
    from ramulus.tables.explain import explain as work

    worked = work(design, place, level, player=player, ability=ability, source=source, skill_level=skill_level)
    if closing.shows_table:
        print(f"{worked}")
    else:
        closing.printing("explain").table(worked.table(), {})
