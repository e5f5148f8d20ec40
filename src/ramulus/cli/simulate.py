"""`ramulus simulate`: many players, and how fast they level."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from typing import TYPE_CHECKING, Annotated

import typer

from ramulus.cli import options
from ramulus.cli.closing import Closing, closed
from ramulus.cli.console import console
from ramulus.cli.output import Printing, tell_of_compiling
from ramulus.cli.side_by_side import side_by_side
from ramulus.words.heads import PACE
from ramulus.words.milestones import milestones
from ramulus.words.writers import Column, hours, number, percent

if TYPE_CHECKING:
    import pandas as pd

    from ramulus.design import Design
    from ramulus.results.result import SimulationResult
    from ramulus.simulation.in_flight import Progress

AT_HEADS = {
    "player": Column("player"),
    "level": Column("level", number()),
    "share": Column("at the\nlevel", percent()),
    "reached": Column("there or\nfurther on", percent()),
}
SMALLEST_SHARE = 0.005
MILESTONES_ONLY = -1
INTERVAL_HEADS = {
    **{name: PACE[name] for name in ("player", "level", "reached")},
    **{
        f"hours_p{q}{end}": Column(f"p{q}{end.replace('_', ' ')}\nhours", hours)
        for q in (50, 10, 90)
        for end in ("", "_low", "_high")
    },
}


def register(app: typer.Typer) -> None:
    """Add the command."""
    app.command()(closed(simulate))


def simulate(
    file: options.File,
    players: options.Players = 2000,
    hours: options.Hours = None,
    seed: options.Seed = 0,
    track: options.Track = None,
    until: options.Until = None,
    player: options.PlayerOption = None,
    every: Annotated[
        int | None, typer.Option("--every", min=1, help="Show every N-th level, one row a profile and level.")
    ] = None,
    all_levels: Annotated[bool, typer.Option("--all", help="Show every level, one row a profile and level.")] = False,
    interval: Annotated[bool, typer.Option("--interval", help="Add 95 % intervals to every number.")] = False,
    by_ability: Annotated[
        bool, typer.Option("--by-ability", help="Split each profile into its slow, middle and able third.")
    ] = False,
    at_hours: Annotated[
        float | None, typer.Option("--at-hours", help="Show instead how many players are at which level by then.")
    ] = None,
    no_leaps: Annotated[
        bool, typer.Option("--no-leaps", help="Play every encounter by itself, also where a level takes thousands.")
    ] = False,
    *,
    closing: Closing,
) -> None:
    """Play many players of each profile and show how fast each kind reaches each level.

    Play ends at the main track's cap; --track and --until play on to the cap of another track.
    p10, p50, p90: a tenth, half, nine tenths of the players got there in that time. A player who did not get there
    counts as later than all who did. Some levels are shown, the profiles side by side; --all shows every one.
    """
    design = closing.load(file)
    from ramulus.results.simulate import DEFAULT_HOURS, SimulationStopped

    options.one_player(design, player)
    asked = [*(until or []), *([track] if track else [])]
    if at_hours is not None and hours is not None and at_hours > hours:
        raise typer.BadParameter(f"{at_hours:g} h is beyond --hours {hours:g}", param_hint="--at-hours")
    if at_hours is not None and hours is None:
        hours = max(at_hours, DEFAULT_HOURS)
    stopped = None
    try:
        result = run_simulation(design, players, hours, seed, closing.quiet, player, asked, leaps=not no_leaps)
    except SimulationStopped as stop:
        if stop.result is None:
            raise
        print(f"{stop}; what follows is of those.", file=sys.stderr)
        stopped, result = stop, stop.result
    printing = closing.printing("simulate", stopped=str(stopped or ""))
    if at_hours is not None:
        _show_levels_at(result, at_hours, track, printing)
    else:
        many = bool(every or all_levels or interval or by_ability or printing.columns)
        step = every or (None if many else 0)
        if by_ability and not (all_levels or every):
            step = MILESTONES_ONLY
        _show_pace(result, track, printing, step, interval=interval, by_ability=by_ability)
    if stopped is not None:
        raise typer.Exit(130)


def _show_pace(
    result: SimulationResult, track: str | None, printing: Printing, every: int | None, *, interval: bool,
    by_ability: bool,
) -> None:  # fmt: skip
    """Print the pace: at a glance (`every` is 0), or a row a profile and level, of every N-th level or of all."""
    from ramulus.words.summary import summary

    if printing.for_a_reader and every == 0:
        side_by_side(printing, result, track, title_of(result))
        return
    table = result.pace(track, interval=0.95 if interval else None, by_ability=by_ability)
    heads = INTERVAL_HEADS if interval else PACE
    if by_ability:
        heads = {"player": PACE["player"], "third": Column("third"), **heads}
    foot = summary(result, track)
    if printing.for_a_reader and every == MILESTONES_ONLY:
        table = table[table["level"].isin(milestones(int(table["level"].min()), int(table["level"].max())))]
    elif printing.for_a_reader and every:
        table = table[(table["level"] % every == 0) | (table["level"] == table["level"].max())]
    more = {"slowest": result.slowest(track), "stuck": result.stuck(), "income": result.income()}
    if result.design.goals:
        more["goals"] = result.goals()
    if result.can_quit:
        more.update(quits=result.quits(), still_playing=result.still_playing())
    if result.keeps_players:
        more["skill_or_luck"] = result.skill_or_luck()
    printing.table(table, heads, title_of(result), foot, more, strong=_drags(result, table, track))


def _drags(result: SimulationResult, table: pd.DataFrame, track: str | None) -> list[bool]:
    """Return which rows of a pace table are of the level that drags most, for whoever it drags."""
    from ramulus.words.summary import NOTABLE

    slowest = result.slowest(track)
    notable = slowest[slowest["times"] >= NOTABLE]
    drags = set(zip(notable["player"], notable["drags_level"], strict=True))
    return [(player, level) in drags for player, level in zip(table["player"], table["level"], strict=True)]


def _show_levels_at(result: SimulationResult, hours: float, track: str | None, printing: Printing) -> None:
    """Print the share of players at each level by some hours, and of those who are there or further on."""
    table = result.level_at(hours, track)
    table["reached"] = table.groupby("player", sort=False)["share"].transform(lambda share: share[::-1].cumsum()[::-1])
    if printing.for_a_reader:
        table = table[table["share"] >= SMALLEST_SHARE]
    printing.table(table, AT_HEADS, f"{title_of(result)}: after {hours:g} h")


def title_of(result: SimulationResult) -> str:
    """Return what was played: the design, the players, the horizon and the seed."""
    who = ", ".join(f"{count:,} {name}" for name, count in result.players.items())
    return f"{result.design.title}: {who}; at most {result.hours:g} h each, seed {result.seed}"


def run_simulation(
    design: Design, players: int, hours: float | None, seed: int, quiet: bool, player: str | None = None,
    until: Sequence[str] = (), *, leaps: bool = True,
) -> SimulationResult:  # fmt: skip
    """Simulate with a progress bar on standard error.

    Raises:
        SimulationStopped: it was interrupted; the error holds what was done.
    """
    from ramulus.results.simulate import simulate as run

    counts = {player: players} if player is not None else players
    with progress_bar(quiet) as progress:
        return run(design, counts, hours, seed, progress=progress, until=until, leaps=leaps)


@contextmanager
def progress_shares(doing: str, quiet: bool) -> Iterator[Callable[[float], object] | None]:
    """Show the share of something that is done on standard error; nothing where nobody watches."""
    if quiet or not sys.stderr.isatty():
        yield None
        return
    from rich.progress import Progress as Bar

    tell_of_compiling()
    with Bar(console=console(stderr=True), transient=True) as bar:
        task = bar.add_task(doing, total=1.0)
        yield lambda share: bar.update(task, completed=share)


@contextmanager
def progress_bar(quiet: bool) -> Iterator[Callable[[Progress], object] | None]:
    """Show players done, rate and time left on standard error; nothing where nobody watches."""
    if quiet or not sys.stderr.isatty():
        yield None
        return
    from rich.progress import BarColumn, TaskProgressColumn, TextColumn, TimeRemainingColumn
    from rich.progress import Progress as Bar

    columns = (
        TextColumn("{task.description}"), BarColumn(), TaskProgressColumn(), TextColumn("{task.fields[rate]}"),
        TimeRemainingColumn(),
    )  # fmt: skip
    tell_of_compiling()
    with Bar(*columns, console=console(stderr=True), transient=True) as bar:
        task = bar.add_task("getting ready", total=None, rate="")

        def show(state: Progress) -> None:
            if state.players_done:
                rate = f"{state.players_done / max(state.seconds, 1e-9):,.0f} players/s"
                bar.update(
                    task, description=f"{state.players_done:,} of {state.players:,} players",
                    total=state.players, completed=state.players_done, rate=rate,
                )  # fmt: skip

        yield show
