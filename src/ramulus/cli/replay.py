"""`ramulus replay`: recorded awards through the ledger."""

from __future__ import annotations

import typer

from ramulus.cli import logs, options
from ramulus.cli.closing import VERDICTS, Closing, closed
from ramulus.cli.console import say
from ramulus.cli.output import in_width


def register(app: typer.Typer) -> None:
    """Add the command."""
    app.command()(closed(logs.over_log(replay), VERDICTS))


def replay(
    file: options.File,
    *,
    asked: logs.Asked,
    closing: Closing,
) -> None:
    """Take recorded awards through the ledger: does the game do at a threshold what the design says?

    Each award is judged from the logged state before it. Where awards come out otherwise it is said what the game does
    instead, as far as the log tells. Exit 1 where it does something else. Needs the extra recorded.
    """
    from ramulus.cli.simulate import progress_shares
    from ramulus.recorded.replay import replay as run
    from ramulus.words.recorded import replay_lines, replay_verdicts

    design = closing.load(file)
    opened = asked.open(design)
    with progress_shares("replaying", closing.quiet) as progress:
        found = run(design, opened, progress=progress)
    if closing.verdicts:
        logs.print_verdicts(closing, "replay", file, replay_verdicts(found))
    elif closing.shows_table:
        say(in_width("\n".join([*opened.said(), "", *replay_lines(found)])))
    else:
        closing.printing("replay").table(found.rules(), {}, more={"awards": found.awards()})
    if not found.agrees:
        raise typer.Exit(1)
