"""`ramulus plot`: one figure into a file."""

from __future__ import annotations

from enum import StrEnum
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from ramulus.cli import options
from ramulus.cli.output import Printing
from ramulus.cli.simulate import Hours, Players, run_simulation
from ramulus.errors import DataError

if TYPE_CHECKING:
    from matplotlib.axes import Axes

ENDINGS = (".png", ".svg", ".pdf")


class Kind(StrEnum):
    """What to draw."""

    pace = "pace"


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
    changes: options.SetValues = None,
    quiet: options.Quiet = False,
) -> None:
    """Draw one figure of a design into a PNG, SVG or PDF file (default: KIND.png)."""
    target = output or Path(f"{kind.value}.png")
    check_ending(target)
    design = options.load(file, changes)
    from ramulus import plots

    result = run_simulation(design, players, hours, seed, quiet)
    save_figure(plots.pace(result, track=track), target)
    Printing("plot", quiet=quiet).say(f"wrote {target}")


def check_ending(path: Path) -> None:
    """Refuse a figure's file that is neither PNG, SVG nor PDF, before any work is done."""
    if path.suffix.lower() not in ENDINGS:
        raise DataError(f"{path}: a figure cannot be written as {path.suffix or 'a file without ending'}; allowed: {', '.join(ENDINGS)}")


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
