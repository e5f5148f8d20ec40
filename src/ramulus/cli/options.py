"""The options that commands share, and the design they ask for."""

from __future__ import annotations

import tomllib
from enum import StrEnum
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from ramulus.errors import UnknownNameError

if TYPE_CHECKING:
    from ramulus.design import Design


class Format(StrEnum):
    """How a table is printed."""

    table = "table"
    csv = "csv"
    json = "json"


File = Annotated[Path, typer.Argument(help="The design file, TOML or JSON.", show_default=False)]
SetValues = Annotated[
    list[str] | None,
    typer.Option("--set", metavar="NAME=VALUE", help="Try a value without editing the file (repeatable)."),
]
FormatOption = Annotated[Format, typer.Option("--format", help="How to print the table.")]
Output = Annotated[
    Path | None,
    typer.Option("--output", help="Write the table to a file instead, by its ending: .csv .json .xlsx .parquet"),
]
Track = Annotated[str | None, typer.Option("--track", help="The track (default: the main one).")]
PlayerOption = Annotated[str | None, typer.Option("--player", help="The player profile.")]
Seed = Annotated[int, typer.Option("--seed", min=0, help="The seed of every random draw.")]
Quiet = Annotated[bool, typer.Option("--quiet", help="No progress and no messages.")]


def load(file: Path, changes: list[str] | None = None) -> Design:
    """Return the design of a file with the values of `--set` put in."""
    from ramulus.design import load_design

    values = dict(_split(change) for change in changes or [])
    design = load_design(file)
    return design.with_values(values) if values else design


def _split(change: str) -> tuple[str, Any]:
    name, equals, text = change.partition("=")
    if not equals or not name.strip() or not text.strip():
        raise typer.BadParameter(f"{change!r}; write NAME=VALUE, such as constants.steepness=1.4", param_hint="--set")
    return name.strip(), value_of(text.strip())


def value_of(text: str) -> Any:
    """Return a value as a design file would read it: a number, true, a list; anything else is text."""
    try:
        return tomllib.loads(f"value = {text}")["value"]
    except tomllib.TOMLDecodeError:
        return text


def one_player(design: Design, player: str | None) -> str | None:
    """Return a profile's name after making sure that it exists."""
    if player is not None and player not in design.players:
        raise UnknownNameError("player profile", player, design.players)
    return player
