"""`ramulus plot`: one figure into a file."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from ramulus.cli import options
from ramulus.cli.output import Printing
from ramulus.cli.simulate import Hours, Players, run_simulation
from ramulus.errors import DataError

if TYPE_CHECKING:
    import numpy as np
    from matplotlib.axes import Axes

    from ramulus.design import Design

ENDINGS = (".png", ".svg", ".pdf")


class Kind(StrEnum):
    """What to draw."""

    pace = "pace"
    costs = "costs"
    awards = "awards"
    stats = "stats"
    effort = "effort"
    income = "income"
    gain = "gain"
    party = "party"


@dataclass(frozen=True)
class Drawing:
    """What is asked of a figure, whichever kind it is."""

    players: int
    hours: float
    seed: int
    track: str | None
    player: str | None
    quiet: bool
    column: str
    awards: list[float]
    others: list[Path]
    relative: bool


def register(app: typer.Typer) -> None:
    """Add the command."""
    app.command()(plot)


def plot(
    file: options.File,
    kind: Annotated[Kind, typer.Argument(help="What to draw.")],
    output: Annotated[Path | None, typer.Option("--output", help=f"The file, {', '.join(ENDINGS)}.")] = None,
    players: Players = 2000,
    hours: Hours = 200.0,
    seed: options.Seed = 0,
    track: options.Track = None,
    player: options.PlayerOption = None,
    column: Annotated[str, typer.Option("--column", help="effort: the column to draw.")] = "xp_per_hour",
    award: Annotated[
        list[float] | None, typer.Option("--award", min=0, help="awards: an award in XP (repeatable).")
    ] = None,
    times: Annotated[int, typer.Option("--times", min=1, max=1_000_000, help="awards: repeat the awards.")] = 1,
    also: Annotated[
        list[Path] | None, typer.Option("--also", help="costs: another design to lay over (repeatable).")
    ] = None,
    relative: Annotated[bool, typer.Option("--relative", help="stats: over their value at the start.")] = False,
    changes: options.SetValues = None,
    quiet: options.Quiet = False,
) -> None:
    """Draw one figure of a design into a PNG, SVG or PDF file (default: KIND.png)."""
    target = output or Path(f"{kind.value}.png")
    check_ending(target)
    if kind is Kind.awards and not award:
        raise typer.BadParameter("no awards to draw; give --award 40 --award 90", param_hint="--award")
    design = options.load(file, changes)
    options.one_player(design, player)
    wanted = Drawing(players, hours, seed, track, player, quiet, column, (award or []) * times, also or [], relative)
    save_figure(_draw(design, kind, wanted), target)
    Printing("plot", quiet=quiet).say(f"wrote {target}")


def _draw(design: Design, kind: Kind, wanted: Drawing) -> Axes:
    """Draw a figure and return one of its axes."""
    from ramulus import plots

    match kind:
        case Kind.pace:
            result = run_simulation(design, wanted.players, wanted.hours, wanted.seed, wanted.quiet, wanted.player)
            return plots.pace(result, track=wanted.track)
        case Kind.costs:
            designs = {design.title: design, **{d.title: d for d in map(options.load, wanted.others)}}
            return _first(plots.costs(designs if wanted.others else design, wanted.track))
        case Kind.awards:
            from ramulus.analysis.trace import trace

            return plots.awards(design, trace(design, wanted.awards, wanted.track), track=wanted.track)
        case Kind.stats:
            return _first(plots.stats(design, player=wanted.player, relative=wanted.relative))
        case Kind.effort:
            return plots.effort(design, wanted.column, player=wanted.player)
        case Kind.income:
            return plots.income(design, player=wanted.player)
        case Kind.gain:
            return _first(plots.gain(design, player=wanted.player))
        case Kind.party:
            from ramulus.analysis.party import play_party

            return _first(plots.party(play_party(design, until_even=True)))


def _first(axes: np.ndarray[Any, Any]) -> Axes:
    first: Axes = axes[0]
    return first


def check_ending(path: Path) -> None:
    """Refuse a figure's file that is neither PNG, SVG nor PDF, before any work is done."""
    if path.suffix.lower() not in ENDINGS:
        raise DataError(
            f"{path}: a figure cannot be written as {path.suffix or 'a file without ending'}; allowed: "
            f"{', '.join(ENDINGS)}"
        )


def save_figure(ax: Axes, path: Path) -> None:
    """Write the figure of some axes, whole or not at all."""
    import matplotlib.pyplot as plt
    from matplotlib.figure import Figure

    from ramulus.design import write_whole
    from ramulus.plots.style import project_style

    figure = ax.figure
    assert isinstance(figure, Figure)
    with project_style():
        write_whole(path, lambda file: figure.savefig(file))
    plt.close(figure)
