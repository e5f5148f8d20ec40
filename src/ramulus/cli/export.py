"""`ramulus export`: the design as tables that a game loads, and as a file of code for each language."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from ramulus.cli import options
from ramulus.cli.closing import Changes, Quiet
from ramulus.cli.output import Printing

CHOICES = "json, csharp, cpp, javascript, lua, python"


def register(app: typer.Typer) -> None:
    """Add the command."""
    app.command()(export)


def export(
    file: options.File,
    folder: Annotated[
        Path, typer.Argument(help="Where the files go; it is made where it is not there.", show_default=False)
    ],
    languages: Annotated[
        str, typer.Option("--for", metavar="A,B,…", help=f"Languages to write code in: {CHOICES} (tables alone).")
    ] = "json",
    name: Annotated[
        str | None, typer.Option("--name", help="The namespace of the code (default: from the title).")
    ] = None,
    check: Annotated[
        bool, typer.Option("--check", help="Write nothing; exit 1 where the folder is not what would be written.")
    ] = False,
    changes: Changes = None,
    quiet: Quiet = False,
) -> None:
    """Write the design for a game to load: tables, and code with the rule at a threshold."""
    from ramulus.game import differing, exported, write_export

    wanted = [one.strip() for one in languages.split(",") if one.strip()]
    found = exported(options.load(file, changes), wanted, name)
    printing = Printing("export", quiet=quiet)
    if check:
        others = differing(found, folder)
        printing.say(
            f"{folder}: {'as the design has it' if not others else 'differs from the design'} ({found.design})"
        )
        for one in others:
            printing.say(f"  {one}: {'differs' if (folder / one).exists() else 'is missing'}")
        if others:
            named = f" --name {name}" if name else ""
            printing.say(f"next: ramulus export {file} {folder} --for {languages}{named}")
            raise typer.Exit(1)
        return
    written = write_export(found, folder)
    printing.say(f"wrote {len(written)} files into {folder} (design {found.design}): {', '.join(written)}")
    if kept := [one for one in found.files if one not in written]:
        printing.say(f"  kept as they are, as your own calls may stand in them: {', '.join(kept)}")
    for words in found.respelt:
        printing.say(f"  spelt otherwise, as the language or the file has that word itself — {words}")
    if wanted in ([], ["json"]):
        printing.say(f"next: with --for {CHOICES.removeprefix('json, ')} also the rule itself, as code")
