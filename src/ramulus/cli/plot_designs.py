"""Figures of what needs no chance: `ramulus plot FILE costs`, `stats`, `gain` and their like."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import count
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from ramulus.cli import options
from ramulus.cli.closing import Closing
from ramulus.cli.plotting import Drawing, kind

if TYPE_CHECKING:
    from ramulus.design import Design


@kind
def costs(
    context: typer.Context,
    track: Annotated[list[str] | None, typer.Option("--track", help="A track (repeatable).")] = None,
    also: Annotated[list[Path] | None, typer.Option("--also", help="Another design to lay over (repeatable).")] = None,
    *, closing: Closing,
) -> None:  # fmt: skip
    """What each level costs and adds up to, of several tracks or designs."""
    from ramulus import plots

    drawing = Drawing(context, closing)
    designs = {drawing.design.title: drawing.design}
    for path in also or []:
        other = options.load(path)
        designs[next(name for name in _names_of(other, path) if name not in designs)] = other
    drawing.save(plots.costs(designs if also else drawing.design, track)[0])


def _names_of(design: Design, path: Path) -> Iterator[str]:
    """Yield the names that a design may have beside others: its title, with its file, with a number."""
    yield design.title
    yield f"{design.title} ({path.name})"
    for number in count(2):
        yield f"{design.title} ({path.name}, {number})"


@kind
def awards(
    context: typer.Context,
    award: Annotated[list[float] | None, typer.Option("--award", min=0, help="An award in XP (repeatable).")] = None,
    times: Annotated[int, typer.Option("--times", min=1, max=1_000_000, help="Repeat the awards.")] = 1,
    track: options.Track = None, *, closing: Closing,
) -> None:  # fmt: skip
    """How awards climb through the thresholds, and what is wasted."""
    from ramulus import plots
    from ramulus.tables.trace import trace

    if not award:
        raise typer.BadParameter("no awards to draw; give --award 40 --award 90", param_hint="--award")
    drawing = Drawing(context, closing)
    drawing.save(plots.awards(drawing.design, trace(drawing.design, award * times, track), track=track))


@kind
def stats(
    context: typer.Context, player: options.PlayerOption = None,
    relative: Annotated[bool, typer.Option("--relative", help="Over their value at the start.")] = False,
    *, closing: Closing,
) -> None:  # fmt: skip
    """How stats grow with level."""
    from ramulus import plots

    drawing = Drawing(context, closing)
    drawing.save(plots.stats(drawing.design, player=player, relative=relative)[0])


@kind
def effort(
    context: typer.Context,
    column: Annotated[str, typer.Option("--column", help="The column of the effort table.")] = "xp_per_hour",
    player: options.PlayerOption = None, ability: options.Ability = 0.5, *, closing: Closing,
) -> None:  # fmt: skip
    """One column of the effort table over levels and sources."""
    from ramulus import plots

    drawing = Drawing(context, closing)
    drawing.save(plots.effort(drawing.design, column, player=player, ability=ability))


@kind
def income(
    context: typer.Context, player: options.PlayerOption = None, ability: options.Ability = 0.5, *, closing: Closing
) -> None:
    """What an hour brings, by level."""
    from ramulus import plots

    drawing = Drawing(context, closing)
    drawing.save(plots.income(drawing.design, player=player, ability=ability))


@kind
def gain(
    context: typer.Context, player: options.PlayerOption = None, ability: options.Ability = 0.5,
    during: options.During = None, *, closing: Closing,
) -> None:  # fmt: skip
    """How awards scale with the level gap."""
    from ramulus import plots

    drawing = Drawing(context, closing)
    drawing.save(plots.gain(drawing.design, player=player, during=during or (), ability=ability)[0])
