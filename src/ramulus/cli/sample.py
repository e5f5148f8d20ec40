"""`ramulus sample`: a log as a game would write it, made up from a design."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from ramulus.cli import options
from ramulus.cli.closing import Changes, Quiet
from ramulus.cli.output import Printing


def register(app: typer.Typer) -> None:
    """Add the command."""
    app.command()(sample)


def sample(
    file: options.File,
    output: Annotated[
        Path, typer.Option("--output", "-o", help="The log, by its ending: .parquet .csv .jsonl", show_default=False)
    ],
    players: Annotated[int, typer.Option("--players", min=1, help="Players, by the profiles' shares.")] = 500,
    days: Annotated[int, typer.Option("--days", min=1, max=10_000, help="Calendar days that the log is long.")] = 60,
    seed: options.Seed = 0,
    faults: Annotated[
        float, typer.Option("--faults", min=0, max=0.5, help="The share of rows lost, and of rows that come twice.")
    ] = 0.0,
    meals: Annotated[
        float, typer.Option("--meals", min=0, max=1, help="The share of play days with a pause of 40 to 80 minutes.")
    ] = 0.1,
    unlabelled: Annotated[bool, typer.Option("--unlabelled", help="Leave out of which profile players are.")] = False,
    changes: Changes = None,
    quiet: Quiet = False,
) -> None:
    """Make up a log as a game would write it, to try replay and observed before there is a game.

    Who would quit is gone from then on, the end of the log cuts off all others, and times are whole seconds. With
    --set something is other than designed, in secret. Needs the extra recorded.
    """
    from ramulus.cli.simulate import progress_shares
    from ramulus.recorded.sample_files import Made, sample_log

    design, printing = options.load(file, changes), Printing("sample", quiet=quiet)
    with progress_shares("playing", quiet) as progress:
        made = sample_log(
            design, output, players=players, days=days, seed=seed, faults=faults, meals=meals,
            labelled=not unlabelled, progress=progress,
        )  # fmt: skip
    assert isinstance(made, Made)
    printing.say(f"wrote {made.awards:,} awards of {made.players:,} players to {output}; next:")
    printing.say(f"  ramulus replay {file} {output}")
    printing.say(f"  ramulus observed {file} {output}")
