"""The options that commands share, and the design they ask for."""

from __future__ import annotations

import sys
import tomllib
from enum import StrEnum
from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from ramulus.cli import completing

if TYPE_CHECKING:
    from ramulus.design import Design


class Format(StrEnum):
    """How a table is printed."""

    table = "table"
    csv = "csv"
    json = "json"
    records = "records"


class VerdictFormat(StrEnum):
    """How verdicts are printed: as a table is, or as code hosts and test reports read them."""

    table = "table"
    csv = "csv"
    json = "json"
    records = "records"
    sarif = "sarif"
    junit = "junit"


class ConformFormat(StrEnum):
    """How it is printed whether a game conforms: in sentences, or as test reports read it."""

    text = "text"
    junit = "junit"


File = Annotated[
    Path, typer.Argument(help="The design file, TOML or JSON; - reads standard input.", show_default=False)
]
Track = Annotated[
    str | None, typer.Option("--track", help="The track (default: the main one).", autocompletion=completing.tracks)
]
Until = Annotated[
    list[str] | None,
    typer.Option("--until", metavar="TRACK", help="Play on to the cap of this track too (repeatable)."),
]
PlayerOption = Annotated[
    str | None, typer.Option("--player", help="The player profile.", autocompletion=completing.players)
]
Source = Annotated[str | None, typer.Option("--source", help="The source.", autocompletion=completing.sources)]
SkillLevel = Annotated[
    int | None, typer.Option("--skill-level", help="The skill level, for sources that depend on one.")
]
Variant = Annotated[
    list[str] | None,
    typer.Option(
        "--variant",
        metavar='"NAME=VALUE, …"',
        help="The first design with other values (repeatable); NAME=LOW:HIGH:STEPS makes one a value.",
    ),
]
Ability = Annotated[
    float,
    typer.Option("--ability", min=0, max=1, help="Where the player stands among its like: 0 … 1."),
]
FromLevel = Annotated[int | None, typer.Option("--from", help="The first level to show.")]
ToLevel = Annotated[int | None, typer.Option("--to", help="The last level to show.")]
During = Annotated[list[str] | None, typer.Option("--during", help="Count a timed multiplier as on (repeatable).")]
Players = Annotated[int, typer.Option("--players", min=1, help="Players of each profile.")]
Hours = Annotated[
    float | None,
    typer.Option("--hours", min=0.001, help="How long they play at most, hours (default: 200, more where goals ask)."),
]
Seed = Annotated[int, typer.Option("--seed", min=0, help="The seed of every random draw.")]


Vary = Annotated[
    list[str] | None,
    typer.Option(
        "--vary",
        metavar="NAME",
        help="A number to move (repeatable; default: all constants).",
        autocompletion=completing.constants,
    ),
]
TrialPlayers = Annotated[int, typer.Option("--players", min=15, help="Players of each profile that has a goal.")]


def load(file: Path, changes: list[str] | None = None) -> Design:
    """Return the design of a file with the values of `--set` put in."""
    from ramulus.design import design_of_text, load_design

    values = dict(split_change(change, "--set") for change in changes or [])
    return changed(design_of_text(_standard_input()) if is_standard_input(file) else load_design(file), values)


def is_standard_input(file: Path) -> bool:
    """Return whether a file is said to be what comes in by standard input."""
    return str(file) == "-"


def refuse_standard_input(file: Path, why: str) -> None:
    """Refuse a design of standard input where a file is needed.

    Raises:
        BadParameter: it is one.
    """
    if is_standard_input(file):
        raise typer.BadParameter(f"- is standard input; {why}", param_hint="FILE")


@cache
def _standard_input() -> bytes:
    """Return all that comes in by standard input, which can be read once."""
    from ramulus.design.reading import MAX_BYTES

    return sys.stdin.buffer.read(MAX_BYTES + 1)


def changed(design: Design, values: dict[str, Any]) -> Design:
    """Return a design with some values put in, by places or bare names."""
    from ramulus.design import full_place

    return design.with_values({full_place(design, name): value for name, value in values.items()}) if values else design


def split_change(change: str, option: str) -> tuple[str, Any]:
    """Return name and value of NAME=VALUE."""
    name, equals, text = change.partition("=")
    if not equals or not name.strip() or not text.strip():
        raise typer.BadParameter(f"{change!r}; write NAME=VALUE, such as constants.steepness=1.4", param_hint=option)
    return name.strip(), value_of(text.strip())


def value_of(text: str) -> Any:
    """Return a value as a design file would read it: a number, true, a list; anything else is text."""
    try:
        return tomllib.loads(f"value = {text}")["value"]
    except ValueError:  # No TOML, or a number of more digits than Python reads.
        return text


def one_player(design: Design, player: str | None) -> str | None:
    """Return a profile's name after making sure that it exists."""
    if player is not None:
        design.profile(player)
    return player
