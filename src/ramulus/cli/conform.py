"""`ramulus conform`: the game's own code held against the design."""

from __future__ import annotations

import shutil
import sys
import textwrap
from pathlib import Path
from typing import Annotated

import typer

from ramulus.cli import options
from ramulus.cli.closing import Changes, Quiet
from ramulus.cli.output import Printing
from ramulus.showing import harmless


def register(app: typer.Typer) -> None:
    """Add the command."""
    app.command()(conform)


def conform(
    file: options.File,
    command: Annotated[
        list[str] | None,
        typer.Argument(
            metavar="[-- COMMAND…]", help="What starts the game: a program and its arguments.", show_default=False
        ),
    ] = None,
    requests: Annotated[
        Path | None, typer.Option("--requests", help="Write the runs to ask a game for, a line of JSON each, instead.")
    ] = None,
    recorded: Annotated[
        Path | None, typer.Option("--recorded", help="Judge a file of answers to those runs instead.")
    ] = None,
    budget: Annotated[
        float, typer.Option("--budget", min=0.1, help="Seconds to find out what it does instead.")
    ] = 30.0,
    start_timeout: Annotated[
        float, typer.Option("--start-timeout", min=0.1, help="Seconds for the first answer.")
    ] = 60.0,
    timeout: Annotated[float, typer.Option("--timeout", min=0.1, help="Seconds for each later answer.")] = 10.0,
    form: Annotated[
        options.ConformFormat, typer.Option("--format", help="How to print it.")
    ] = options.ConformFormat.text,
    changes: Changes = None,
    quiet: Quiet = False,
) -> None:
    """Hold the game's own code against the design: awards, losses, saves and what encounters pay.

    The game is asked for runs of awards, a line of JSON each, and answers a line each; the harness in an export does
    it for exported code. Where it differs, it is said what it does instead. Exit 1 where it differs.
    """
    from ramulus.design import write_whole
    from ramulus.game.conforming import conform as hold
    from ramulus.game.conforming import conform_recorded, requests_for
    from ramulus.game.requests import Heard, lines_of
    from ramulus.game.told import sentences
    from ramulus.words.judged import Verdict, junit_text

    if sum((bool(command), requests is not None, recorded is not None)) != 1:
        raise typer.BadParameter("one of -- COMMAND…, --requests FILE and --recorded FILE", param_hint="COMMAND")
    design, printing = options.load(file, changes), Printing("conform", quiet=quiet)
    if requests is not None:
        lines = requests_for(design)
        write_whole(requests, "".join(f"{line}\n" for line in lines))
        printing.say(f"wrote {len(lines)} runs to {requests}; next: let the game answer them, a line each, then")
        printing.say(f"  ramulus conform {file} --recorded ANSWERS.jsonl")
        return
    if recorded is not None:
        heard = Heard()
        for line in lines_of(recorded):
            heard.hear(line)
        found = conform_recorded(design, heard)
    else:
        found = hold(design, command or [], budget=budget, start_timeout=start_timeout, timeout=timeout)
    said = list(sentences(found))
    if form is options.ConformFormat.junit:
        verdict = Verdict("conform", "none" if found.conforms else "error", "", "; ".join(said))
        print(junit_text([verdict], str(file), strict=False))
    else:
        _print_wrapped(said)
    if not found.conforms:
        raise typer.Exit(1)


def _print_wrapped(said: list[str]) -> None:
    """Print sentences; on a terminal a long one goes on below, a little to the right."""
    width = shutil.get_terminal_size().columns if sys.stdout.isatty() else 10_000
    for line in said:
        print(harmless(textwrap.fill(line, width, subsequent_indent="  ", break_long_words=False)))
