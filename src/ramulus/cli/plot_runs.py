"""Figures of what was played: `ramulus plot FILE pace`, `reached`, `compare` and their like."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from ramulus.cli import logs, options
from ramulus.cli.closing import Closing
from ramulus.cli.compare import play_compared, span_of
from ramulus.cli.output import waiting
from ramulus.cli.plotting import Drawing, kind, save_figure
from ramulus.cli.sensitivity import moved
from ramulus.cli.simulate import progress_bar, progress_shares


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

    drawing = Drawing(context, closing)
    result = drawing.played(players, hours, seed, player, track)
    drawing.save(plots.pace(result, track=track, by_ability=by_ability))


@kind
def observed(
    context: typer.Context,
    recorded: Annotated[str, typer.Option("--recorded", metavar="LOG", help="The log.", show_default=False)],
    column: logs.ColumnNames = None,
    players: Annotated[int, typer.Option("--players", min=50, help="Players of each profile in the forecast.")] = 1000,
    seed: options.Seed = 0, track: options.Track = None, *, closing: Closing,
) -> None:  # fmt: skip
    """How fast recorded players were, over the forecast."""
    from ramulus import plots
    from ramulus.recorded.observed import observed as run

    drawing = Drawing(context, closing)
    log = logs.Asked(recorded, column).open(drawing.design)
    with progress_shares("holding the log against the forecast", closing.quiet) as progress:
        found = run(drawing.design, log, track=track, players=players, seed=seed, progress=progress)
    drawing.save(plots.observed(found)[0])


@kind
def retention(
    context: typer.Context, players: options.Players = 2000, hours: options.Hours = None, seed: options.Seed = 0,
    player: options.PlayerOption = None, *, closing: Closing,
) -> None:  # fmt: skip
    """Who is still playing, by calendar day and by level."""
    from ramulus import plots

    drawing = Drawing(context, closing)
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

    drawing = Drawing(context, closing)
    drawing.save(plots.skill_or_luck(drawing.played(players, hours, seed, player, None), level=level))


ByDays = Annotated[bool, typer.Option("--by-days", help="Against calendar days instead of played hours.")]


@kind
def time_in_level(
    context: typer.Context, players: options.Players = 2000, hours: options.Hours = None, seed: options.Seed = 0,
    track: options.Track = None, player: options.PlayerOption = None, *, closing: Closing,
) -> None:  # fmt: skip
    """How long each level keeps players, and where it drags."""
    from ramulus import plots

    drawing = Drawing(context, closing)
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

    drawing = Drawing(context, closing)
    result = drawing.played(players, hours, seed, player, track)
    drawing.save(plots.reached(result, level, by="days" if by_days else "hours", track=track))


@kind
def levels_over_time(
    context: typer.Context, by_days: ByDays = False, players: options.Players = 2000, hours: options.Hours = None,
    seed: options.Seed = 0, track: options.Track = None, player: options.PlayerOption = None, *, closing: Closing,
) -> None:  # fmt: skip
    """Which share of a profile's players is in which levels, as time goes by."""
    from ramulus import plots

    drawing = Drawing(context, closing)
    result = drawing.played(players, hours, seed, player or next(iter(drawing.design.profiles)), track)
    drawing.save(plots.levels_over_time(result, by="days" if by_days else "hours", track=track))


@kind
def xp_by_source(
    context: typer.Context, players: options.Players = 2000, hours: options.Hours = None, seed: options.Seed = 0,
    player: options.PlayerOption = None, *, closing: Closing,
) -> None:  # fmt: skip
    """What the XP of each level came from, as played."""
    from ramulus import plots

    drawing = Drawing(context, closing)
    drawing.save(plots.xp_by_source(drawing.played(players, hours, seed, player, None))[0])


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

    drawing = Drawing(context, closing)
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
    drawing = Drawing(context, closing)
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

    drawing = Drawing(context, closing)
    drawing.save(plots.sensitivity(moved(drawing.design, vary, players, seed, closing))[0])
