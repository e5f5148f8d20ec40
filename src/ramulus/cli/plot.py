"""`ramulus plot FILE KIND`: one figure into a file. Each kind is a command with options of its own."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from io import BytesIO
from itertools import count
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer
from typer.core import TyperGroup

from ramulus.cli import options
from ramulus.cli.closing import FIGURE, Closing, closed
from ramulus.cli.compare import play_compared, span_of
from ramulus.cli.output import waiting
from ramulus.cli.sensitivity import moved
from ramulus.cli.simulate import progress_bar, run_simulation

if TYPE_CHECKING:
    from matplotlib.axes import Axes

    from ramulus.design import Design
    from ramulus.results.result import SimulationResult


class _Kinds(TyperGroup):
    """Figures by kind; `plot KIND --help` needs no file, and the file may stand after the kind."""

    def parse_args(self, ctx: Any, args: list[str]) -> list[str]:
        if args and args[0] in self.commands and not Path(args[0]).exists():
            swaps = len(args) > 1 and not args[1].startswith("-")
            args = [args[1], args[0], *args[2:]] if swaps else ["-", *args]
        return super().parse_args(ctx, args)


kinds = typer.Typer(cls=_Kinds, no_args_is_help=True, rich_markup_mode=None)


def register(app: typer.Typer) -> None:
    """Add the command."""
    app.add_typer(kinds, name="plot")


@kinds.callback(subcommand_metavar="KIND [OPTIONS]")
def plot(context: typer.Context, file: options.File) -> None:
    """Draw one figure of a design into a PNG, SVG or PDF file; each KIND has its own --help."""
    context.obj = file


class _Drawing:
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


@kind
def pace(
    context: typer.Context, players: options.Players = 2000, hours: options.Hours = None, seed: options.Seed = 0,
    track: options.Track = None, player: options.PlayerOption = None,
    by_ability: Annotated[
        bool, typer.Option("--by-ability", help="The slow, middle and able third of each profile.")
    ] = False,
    *, closing: Closing,
) -> None:  # fmt: skip
    """How fast each kind of player levels: the median player, and p10 to p90."""
    from ramulus import plots

    drawing = _Drawing(context, closing)
    result = drawing.played(players, hours, seed, player, track)
    drawing.save(plots.pace(result, track=track, by_ability=by_ability))


@kind
def retention(
    context: typer.Context, players: options.Players = 2000, hours: options.Hours = None, seed: options.Seed = 0,
    player: options.PlayerOption = None, *, closing: Closing,
) -> None:  # fmt: skip
    """Who is still playing, by calendar day and by level."""
    from ramulus import plots

    drawing = _Drawing(context, closing)
    drawing.save(plots.retention(drawing.played(players, hours, seed, player, None))[0])


@kind
def skill_or_luck(
    context: typer.Context, players: options.Players = 2000, hours: options.Hours = None, seed: options.Seed = 0,
    player: options.PlayerOption = None,
    level: Annotated[
        int | None, typer.Option("--level", help="Hours to this level (default: the last that all reach).")
    ] = None,
    *, closing: Closing,
) -> None:  # fmt: skip
    """What makes players of one kind faster or slower: ability, own speed, luck."""
    from ramulus import plots

    drawing = _Drawing(context, closing)
    drawing.save(plots.skill_or_luck(drawing.played(players, hours, seed, player, None), level=level))


ByDays = Annotated[bool, typer.Option("--by-days", help="Against calendar days instead of played hours.")]


@kind
def time_in_level(
    context: typer.Context, players: options.Players = 2000, hours: options.Hours = None, seed: options.Seed = 0,
    track: options.Track = None, player: options.PlayerOption = None, *, closing: Closing,
) -> None:  # fmt: skip
    """How long each level keeps players, and where it drags."""
    from ramulus import plots

    drawing = _Drawing(context, closing)
    drawing.save(plots.time_in_level(drawing.played(players, hours, seed, player, track), track=track))


@kind
def reached(
    context: typer.Context,
    level: Annotated[int | None, typer.Option("--level", help="The level (default: the highest).")] = None,
    by_days: ByDays = False, players: options.Players = 2000, hours: options.Hours = None, seed: options.Seed = 0,
    track: options.Track = None, player: options.PlayerOption = None, *, closing: Closing,
) -> None:  # fmt: skip
    """Which share of the players has reached a level, by hours or days."""
    from ramulus import plots

    drawing = _Drawing(context, closing)
    result = drawing.played(players, hours, seed, player, track)
    drawing.save(plots.reached(result, level, by="days" if by_days else "hours", track=track))


@kind
def levels_over_time(
    context: typer.Context, by_days: ByDays = False, players: options.Players = 2000, hours: options.Hours = None,
    seed: options.Seed = 0, track: options.Track = None, player: options.PlayerOption = None, *, closing: Closing,
) -> None:  # fmt: skip
    """Which share of a profile's players is in which levels, as time goes by."""
    from ramulus import plots

    drawing = _Drawing(context, closing)
    result = drawing.played(players, hours, seed, player or next(iter(drawing.design.profiles)), track)
    drawing.save(plots.levels_over_time(result, by="days" if by_days else "hours", track=track))


@kind
def xp_by_source(
    context: typer.Context, players: options.Players = 2000, hours: options.Hours = None, seed: options.Seed = 0,
    player: options.PlayerOption = None, *, closing: Closing,
) -> None:  # fmt: skip
    """What the XP of each level came from, as played."""
    from ramulus import plots

    drawing = _Drawing(context, closing)
    drawing.save(plots.xp_by_source(drawing.played(players, hours, seed, player, None))[0])


@kind
def costs(
    context: typer.Context,
    track: Annotated[list[str] | None, typer.Option("--track", help="A track (repeatable).")] = None,
    also: Annotated[list[Path] | None, typer.Option("--also", help="Another design to lay over (repeatable).")] = None,
    *, closing: Closing,
) -> None:  # fmt: skip
    """What each level costs and adds up to, of several tracks or designs."""
    from ramulus import plots

    drawing = _Drawing(context, closing)
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
    drawing = _Drawing(context, closing)
    drawing.save(plots.awards(drawing.design, trace(drawing.design, award * times, track), track=track))


@kind
def stats(
    context: typer.Context, player: options.PlayerOption = None,
    relative: Annotated[bool, typer.Option("--relative", help="Over their value at the start.")] = False,
    *, closing: Closing,
) -> None:  # fmt: skip
    """How stats grow with level."""
    from ramulus import plots

    drawing = _Drawing(context, closing)
    drawing.save(plots.stats(drawing.design, player=player, relative=relative)[0])


@kind
def effort(
    context: typer.Context,
    column: Annotated[str, typer.Option("--column", help="The column of the effort table.")] = "xp_per_hour",
    player: options.PlayerOption = None, ability: options.Ability = 0.5, *, closing: Closing,
) -> None:  # fmt: skip
    """One column of the effort table over levels and sources."""
    from ramulus import plots

    drawing = _Drawing(context, closing)
    drawing.save(plots.effort(drawing.design, column, player=player, ability=ability))


@kind
def income(
    context: typer.Context, player: options.PlayerOption = None, ability: options.Ability = 0.5, *, closing: Closing
) -> None:
    """What an hour brings, by level."""
    from ramulus import plots

    drawing = _Drawing(context, closing)
    drawing.save(plots.income(drawing.design, player=player, ability=ability))


@kind
def gain(
    context: typer.Context, player: options.PlayerOption = None, ability: options.Ability = 0.5,
    during: options.During = None, *, closing: Closing,
) -> None:  # fmt: skip
    """How awards scale with the level gap."""
    from ramulus import plots

    drawing = _Drawing(context, closing)
    drawing.save(plots.gain(drawing.design, player=player, during=during or (), ability=ability)[0])


@kind
def party(
    context: typer.Context,
    encounters: Annotated[int, typer.Option("--encounters", min=1, max=100_000, help="Shared encounters.")] = 200,
    parties: Annotated[int, typer.Option("--parties", min=1, help="Parties to play.")] = 400,
    seed: options.Seed = 0, *, closing: Closing,
) -> None:  # fmt: skip
    """How the members of the party catch up."""
    from ramulus import plots
    from ramulus.results.party import play_party

    drawing = _Drawing(context, closing)
    with waiting("playing the parties", quiet=closing.quiet):
        run = play_party(drawing.design, encounters, parties=parties, seed=seed)
    drawing.save(plots.party(run)[0])


@kind
def compare(
    context: typer.Context,
    also: Annotated[list[Path] | None, typer.Option("--also", help="Another design (repeatable).")] = None,
    variant: options.Variant = None, players: options.Players = 2000, hours: options.Hours = None,
    seed: options.Seed = 0, player: options.PlayerOption = None, *, closing: Closing,
) -> None:  # fmt: skip
    """The paces of designs or variants, and their paired differences."""
    from ramulus import plots

    comparison = play_compared([context.obj, *(also or [])], variant or [], players, hours, seed, player, closing)
    target = closing.output or Path("compare.png")
    save_figure(plots.compare(comparison, player=player)[0], target)
    closing.printing("plot").say(f"wrote {target}")


@kind
def sweep(
    context: typer.Context,
    vary: Annotated[
        list[str] | None, typer.Option("--vary", metavar="NAME=LOW:HIGH:STEPS", help="One number, or two.")
    ] = None,
    level: Annotated[int | None, typer.Option("--level", help="Of two: hours to this level.")] = None,
    players: options.Players = 1000, hours: options.Hours = None, seed: options.Seed = 0,
    player: options.PlayerOption = None, *, closing: Closing,
) -> None:  # fmt: skip
    """Played time for values of one number, or as a map over two."""
    from ramulus import plots
    from ramulus.comparing import sweep as run

    given = [options.split_change(text, "--vary") for text in vary or []]
    if not 1 <= len(given) <= 2:
        raise typer.BadParameter("give one number or two, such as --vary steepness=1.3:1.7:5", param_hint="--vary")
    drawing = _Drawing(context, closing)
    values = {name: span_of(str(text), "--vary") for name, text in given}
    options.one_player(drawing.design, player)
    counts = {player: players} if player is not None else players
    with progress_bar(closing.quiet) as progress:
        table = run(drawing.design, values, counts, hours, seed, progress=progress)
    drawing.save(plots.sweep(table, player=player, level=level))


@kind
def sensitivity(
    context: typer.Context, vary: options.Vary = None, players: options.TrialPlayers = 600,
    seed: options.Seed = 0, *, closing: Closing,
) -> None:  # fmt: skip
    """How much each number moves each goal."""
    from ramulus import plots

    drawing = _Drawing(context, closing)
    drawing.save(plots.sensitivity(moved(drawing.design, vary, players, seed, closing))[0])


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
    write_whole(path, written.getbuffer())
