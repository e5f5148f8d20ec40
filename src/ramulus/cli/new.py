"""`ramulus new` and `ramulus schema`: a design to start from, and what editors complete from."""

from __future__ import annotations

import json
import re
import tomllib
from pathlib import Path
from typing import Annotated

import typer

from ramulus.cli.closing import Quiet
from ramulus.cli.output import Printing
from ramulus.errors import DataError, DesignError

SCHEMA_FILE = "ramulus.schema.json"


def register(app: typer.Typer) -> None:
    """Add the commands."""
    app.command()(new)
    app.command()(schema)


def new(
    file: Annotated[Path, typer.Argument(help="Where to write it (.toml).", show_default=False)],
    force: Annotated[bool, typer.Option("--force", help="Replace a file that is there.")] = False,
    schema: Annotated[
        bool, typer.Option("--schema", help=f"Write {SCHEMA_FILE} beside it, which editors complete and check from.")
    ] = False,
    track: Annotated[str, typer.Option("--track", metavar="NAME", help="What the track is called.")] = "warden",
    stat: Annotated[str, typer.Option("--stat", metavar="NAME", help="What the stat is called.")] = "shear",
    pack: Annotated[
        Path | None, typer.Option("--from", metavar="LEVELS.JSON", help="Read the tables of an export back instead.")
    ] = None,
    quiet: Quiet = False,
) -> None:
    """Write a commented starter design."""
    from ramulus.design import starter_text, write_all

    if file.suffix.lower() != ".toml":
        raise DataError(f"{file}: a starter design is TOML; allowed: a name that ends in .toml")
    if file.exists() and not force:
        raise DataError(f"{file}: is there already; --force replaces it")
    text = _named(starter_text(), track, stat).replace("THIS_FILE", file.name) if pack is None else _read_back(pack)
    beside = {}
    if schema:
        # Editors that know TOML read this line; it is a comment to everybody else.
        text = f"#:schema ./{SCHEMA_FILE}\n{text}"
        beside = {file.with_name(SCHEMA_FILE): _schema_for(file.with_name(SCHEMA_FILE))}
    write_all({**beside, file: text})
    printing = Printing("new", quiet=quiet)
    for path in beside:
        printing.say(f"wrote {path}")
    printing.say(f"wrote {file}; next: ramulus levels {file}")


def _read_back(pack: Path) -> str:
    """Return a design with the tables of an export, as a file."""
    from ramulus.design import toml_text
    from ramulus.game import design_of

    told = "# The tables of {}: costs, points, stats and awards. Times, chances, players and goals are not in it.\n\n"
    return told.format(pack.name) + toml_text(design_of(pack), None)


def _named(text: str, track: str, stat: str) -> str:
    """Return the starter with names of the author's for its track and its stat."""
    from ramulus.design import Design

    text = re.sub(r"\bwarden\b", track, re.sub(r"\bshear\b", stat, text))
    try:
        Design.from_dict(tomllib.loads(text))
    except (DesignError, ValueError) as error:
        raise typer.BadParameter(f"{track!r} and {stat!r} cannot be names here: {error}") from None
    return text


def schema(
    output: Annotated[Path | None, typer.Option("--output", "-o", help="Write it to a file instead.")] = None,
    quiet: Quiet = False,
) -> None:
    """Print the JSON Schema of design files."""
    from ramulus.design import write_whole

    if output is None:
        print(_schema_text())
        return
    write_whole(output, _schema_for(output))
    Printing("schema", quiet=quiet).say(f"wrote {output}")


def _schema_text() -> str:
    from ramulus.design import design_schema

    return json.dumps(design_schema(), indent=2, ensure_ascii=False)


def _schema_for(file: Path) -> str:
    """Return the schema for a file, which may hold nothing else before."""
    from ramulus.files import refuse_strange

    refuse_strange(file, ('{"$schema"',), "a JSON Schema")
    return _schema_text() + "\n"
