"""`ramulus simulate`: many players, and how fast they level."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import TYPE_CHECKING, Annotated

import typer

from ramulus.cli import options
from ramulus.cli.closing import Closing, closed
from ramulus.cli.output import COMPILES, Column, number, percent

if TYPE_CHECKING:
    import pandas as pd

    from ramulus.analysis.result import SimulationResult
    from ramulus.design import Design
    from ramulus.simulation.run import Progress

HEADS = {
    "player": Column("player"),
    "level": Column("level", number()),
    "reached": Column("reached", percent(0)),
    "hours_p10": Column("p10\nhours", number(2)),
    "hours_p50": Column("p50\nhours", number(2)),
    "hours_p90": Column("p90\nhours", number(2)),
    "encounters_p50": Column("encounters\np50", number()),
    "days_p50": Column("day\np50", number()),
    "hours_in_level_p50": Column("hours to the\nnext level p50", number(2)),
}
_ENDED = {
    "out of time": "ran out of time",
    "no open source": "found no open source",
    "too many encounters": "were given up after too many encounters",
}
INTERVAL_HEADS = {
    **{name: HEADS[name] for name in ("player", "level", "reached")},
    **{
        f"hours_p{q}{end}": Column(f"p{q}{end.replace('_', ' ')}\nhours", number(2))
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
    hours: options.Hours = 200.0,
    seed: options.Seed = 0,
    track: options.Track = None,
    player: options.PlayerOption = None,
    every: Annotated[int, typer.Option("--every", min=1, help="Show every N-th level of the table.")] = 1,
    interval: Annotated[bool, typer.Option("--interval", help="Add 95 % intervals of the quantiles.")] = False,
    *,
    closing: Closing,
) -> None:
    """Play many players of each profile and show how fast each kind reaches each level.

    p10, p50, p90: a tenth, half, nine tenths of the players got there in that time. A player who did not get there
    counts as later than all who did.
    """
    from ramulus.analysis.simulate import SimulationStopped

    design = closing.load(file)
    options.one_player(design, player)
    stopped = None
    try:
        result = run_simulation(design, players, hours, seed, closing.quiet, player)
    except SimulationStopped as stop:
        if stop.result is None:
            raise
        print(f"{stop}; what follows is of those.", file=sys.stderr)
        stopped, result = stop, stop.result
    table = result.pace(track, interval=0.95 if interval else None)
    printing = closing.printing("simulate", stopped=str(stopped or ""))
    if closing.shows_table:
        table = table[(table["level"] % every == 0) | (table["level"] == table["level"].max())]
    heads = INTERVAL_HEADS if interval else HEADS
    printing.table(table, heads, title_of(result), summary(result))
    if stopped is not None:
        raise typer.Exit(130)


def title_of(result: SimulationResult) -> str:
    """Return what was played: the design, the players, the horizon and the seed."""
    who = ", ".join(f"{count:,} {name}" for name, count in result.players.items())
    return f"{result.design.title}: {who}; at most {result.hours:g} h each, seed {result.seed}"


def summary(result: SimulationResult) -> str:
    """Return what a designer asks next: who got stuck where, what was wasted, what they lived on."""
    lines = ["", *_endings(result.stuck()), *_left_empty(result), *_waste(result), *_income(result)]
    if not result.keeps_players:
        lines.append("Quantiles are within 0.4 %: the run is too large to keep every player.")
    return "\n".join(lines)


def _endings(stuck: pd.DataFrame) -> list[str]:
    if stuck.empty:
        return ["Everyone reached the cap."]
    lines = []
    for (player, reason), rows in stuck.groupby(["player", "reason"], sort=False):
        worst = rows.loc[rows["players"].idxmax()]
        where = f"most at level {worst['level']}" if len(rows) > 1 else f"at level {worst['level']}"
        lines.append(f"{player}: {rows['share'].sum():.1%} {_ENDED[reason]}, {where}.")
    return lines


def _left_empty(result: SimulationResult) -> list[str]:
    """Return from which level on the hours within a level are not known, and what would show them."""
    found = [f"{player} from level {first}" for player, first in result.cut_off_from().items()]
    if not found:
        return []
    return [
        "Hours to the next level are empty where more than a tenth of the players ran out of time before they had left "
        f"it ({', '.join(found)}); more than --hours {result.hours:g} shows more."
    ]


def _waste(result: SimulationResult) -> list[str]:
    lines = []
    for player, rows in result.waste().groupby("player", sort=False):
        wasted, lost = rows["wasted"].sum(), rows["lost"].sum()
        if wasted or lost:
            lines.append(f"{player}: {wasted:,.0f} XP wasted and {lost:,.0f} XP lost a player.")
    return lines


def _income(result: SimulationResult) -> list[str]:
    """Return the main sources of each profile's XP, said once for all who lived on the same."""
    players: dict[str, list[str]] = {}
    for player, rows in result.income().groupby("player", sort=False):
        by_source = rows.groupby("source", sort=False)["xp"].sum().sort_values(ascending=False)
        if by_source.sum() > 0:
            parts = [f"{name} {share:.0%}" for name, share in (by_source / by_source.sum()).head(4).items()]
            players.setdefault(", ".join(parts), []).append(player)
    return [f"{', '.join(who)} had their XP from: {sources}" for sources, who in players.items()]


def run_simulation(
    design: Design, players: int, hours: float, seed: int, quiet: bool, player: str | None = None
) -> SimulationResult:
    """Simulate with a progress bar on standard error.

    Raises:
        SimulationStopped: it was interrupted; the error holds what was done.
    """
    from ramulus.analysis.simulate import simulate as run

    counts = {player: players} if player is not None else players
    with progress_bar(quiet) as progress:
        return run(design, counts, hours, seed, progress=progress)


@contextmanager
def progress_bar(quiet: bool) -> Iterator[Callable[[Progress], object] | None]:
    """Show players done, rate and time left on standard error; nothing where nobody watches."""
    if quiet or not sys.stderr.isatty():
        yield None
        return
    from rich.console import Console
    from rich.progress import BarColumn, TaskProgressColumn, TextColumn, TimeRemainingColumn
    from rich.progress import Progress as Bar

    columns = (
        TextColumn("{task.description}"), BarColumn(), TaskProgressColumn(), TextColumn("{task.fields[rate]}"),
        TimeRemainingColumn(),
    )  # fmt: skip
    with Bar(*columns, console=Console(stderr=True), transient=True) as bar:
        task = bar.add_task(f"getting ready ({COMPILES})", total=None, rate="")

        def show(state: Progress) -> None:
            if state.players_done:
                rate = f"{state.players_done / max(state.seconds, 1e-9):,.0f} players/s"
                bar.update(
                    task, description=f"{state.players_done:,} of {state.players:,} players",
                    total=state.players, completed=state.players_done, rate=rate,
                )  # fmt: skip

        yield show
