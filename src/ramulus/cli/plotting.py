"""What every kind of figure shares: the group of commands, the design and what is played of it, the file."""

from __future__ import annotations

from collections.abc import Callable
from io import BytesIO
from pathlib import Path
from typing import TYPE_CHECKING, Any

import typer
from typer.core import TyperGroup

from ramulus.cli import options
from ramulus.cli.closing import FIGURE, Closing, closed
from ramulus.cli.simulate import run_simulation
from ramulus.showing import harmless

if TYPE_CHECKING:
    from matplotlib.axes import Axes

    from ramulus.results.result import SimulationResult


class _Kinds(TyperGroup):
    """Figures by kind; `plot KIND --help` needs no file, and the file may stand after the kind."""

    def parse_args(self, ctx: Any, args: list[str]) -> list[str]:
        if args and args[0] in self.commands and not Path(args[0]).exists():
            swaps = len(args) > 1 and not args[1].startswith("-")
            args = [args[1], args[0], *args[2:]] if swaps else ["-", *args]
        return super().parse_args(ctx, args)


kinds = typer.Typer(cls=_Kinds, no_args_is_help=True, rich_markup_mode=None)


@kinds.callback(subcommand_metavar="KIND [OPTIONS]")
def plot(context: typer.Context, file: options.File) -> None:
    """Draw one figure of a design into a PNG, SVG or PDF file; each KIND has its own --help."""
    context.obj = file


class Drawing:
    """One call of `plot`: the design to draw from, and where the figure goes."""

    def __init__(self, context: typer.Context, closing: Closing) -> None:
        self._closing = closing
        self._target = closing.output or Path(f"{context.info_name}.png")
        self.design = closing.load(context.obj)

    def played(
        self, players: int, hours: float | None, seed: int, player: str | None, track: str | None
    ) -> SimulationResult:
        """Simulate the design."""
        options.one_player(self.design, player)
        self.design.track(track)
        until = [track] if track else []
        return run_simulation(self.design, players, hours, seed, self._closing.quiet, player, until)

    def save(self, ax: Axes) -> None:
        """Write the figure of some axes."""
        save_figure(ax, self._target)
        self._closing.printing("plot").say(f"wrote {self._target}")


def kind(command: Callable[..., None]) -> None:
    """Register the command of a kind of figure."""
    kinds.command()(closed(command, FIGURE))


def save_figure(ax: Axes, path: Path) -> None:
    """Write the figure of some axes, whole or not at all."""
    import matplotlib.pyplot as plt
    from matplotlib.figure import Figure

    from ramulus.design import write_whole
    from ramulus.plots.style import project_style

    drawn = ax.figure
    assert isinstance(drawn, Figure)
    written = BytesIO()
    with project_style():
        drawn.savefig(written, format=path.suffix[1:].lower())
    plt.close(drawn)
    is_text = path.suffix.lower() == ".svg"
    write_whole(path, harmless(written.getvalue().decode()) if is_text else written.getbuffer())
