"""`ramulus explain`: a formula worked through."""

from __future__ import annotations

from typing import Annotated

import typer

from ramulus.cli import options
from ramulus.cli.output import Printing


def register(app: typer.Typer) -> None:
    """Add the command."""
    app.command()(explain)


def explain(
    file: options.File,
    place: Annotated[str, typer.Argument(help="Where it stands, such as tracks.warden.cost or encounter.seconds.")],
    level: Annotated[int, typer.Option("--level", help="The player's level.")],
    player: options.PlayerOption = None,
    source: Annotated[str | None, typer.Option("--source", help="The source, where one matters.")] = None,
    skill_level: Annotated[int | None, typer.Option("--skill-level", help="The level of the source's skill.")] = None,
    changes: options.SetValues = None,
    form: options.FormatOption = options.Format.table,
    output: options.Output = None,
    quiet: options.Quiet = False,
) -> None:
    """Work a formula through at one level, innermost step first, with every rounding named."""
    from ramulus.analysis.explain import explain as work

    design = options.load(file, changes)
    worked = work(design, place, level, player=player, source=source, skill_level=skill_level)
    if form is options.Format.table and output is None:
        print(f"{worked}")
    else:
        Printing("explain", form, output, quiet).table(worked.table(), {})
