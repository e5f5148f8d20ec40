"""`ramulus fit`: the numbers of the profiles, read off recorded play."""

from __future__ import annotations

from typing import Annotated

import typer

from ramulus.cli import logs, options
from ramulus.cli.closing import Closing, closed
from ramulus.cli.console import say
from ramulus.cli.output import in_width


def register(app: typer.Typer) -> None:
    """Add the command."""
    app.command()(closed(logs.over_log(fit)))


def fit(
    file: options.File,
    write: Annotated[
        bool, typer.Option("--write", help="Write the numbers that are not as designed into the file.")
    ] = False,
    traits: Annotated[
        bool,
        typer.Option(
            "--traits", help="Look for a trait's mean where hours alone are logged: it is known to a third or so."
        ),
    ] = False,
    seed: options.Seed = 0,
    *,
    asked: logs.Asked,
    closing: Closing,
) -> None:
    """Read off a log who the players are, in the numbers of the profiles, each with a 95 % interval.

    The design with these numbers is held against the log; where it cannot have made it, that is said, nothing is
    written, and the exit status is 1. Needs the extra recorded.
    """
    from ramulus.cli.simulate import progress_shares
    from ramulus.recorded.fit import fit as run
    from ramulus.words.recorded import FITTED, fit_lines

    if write:
        options.refuse_standard_input(file, "--write changes a file")
    design = closing.load(file)
    opened = asked.open(design)
    with progress_shares("fitting", closing.quiet) as progress:
        found = run(design, opened, traits=traits, seed=seed, progress=progress)
    strong = [one.changes for one in found.estimates]
    title = f"{design.title}: numbers that the log tells (95 % intervals; strong: not as designed)"
    more = {} if found.found_kinds is None else {"kinds": found.kinds()}
    closing.printing("fit").table(found.table(), FITTED, title, "", more, strong=strong)
    if closing.shows_table:
        say(in_width("\n" + "\n".join([*opened.said(), *fit_lines(found)])))
    if found.refused:
        if not closing.shows_table:
            closing.printing("fit").say(f"refused: {found.refused}")
        raise typer.Exit(1)
    if write:
        changed = sum(strong)
        for path in found.design.save(file) if changed else ():
            closing.printing("fit").say(f"wrote {changed} numbers that are not as designed to {path}")
        closing.printing("fit").say(f"next: ramulus check {file} --goals")
