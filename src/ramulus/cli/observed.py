"""`ramulus observed`: the forecast beside what players did."""

from __future__ import annotations

from typing import Annotated

import typer

from ramulus.cli import logs, options
from ramulus.cli.closing import VERDICTS, Closing, closed
from ramulus.cli.console import say
from ramulus.cli.output import in_width


def register(app: typer.Typer) -> None:
    """Add the command."""
    app.command()(closed(logs.over_log(observed), VERDICTS))


def observed(
    file: options.File,
    track: options.Track = None,
    players: Annotated[int, typer.Option("--players", min=50, help="Players of each profile in the forecast.")] = 1000,
    seed: options.Seed = 0,
    in_level: Annotated[bool, typer.Option("--in-level", help="Show hours within each level instead.")] = False,
    all_levels: Annotated[bool, typer.Option("--all", help="Show every level.")] = False,
    *,
    asked: logs.Asked,
    closing: Closing,
) -> None:
    """Hold what players did against the forecast, each profile: is the game as fast as designed, and where not?

    Hours are played hours as a log can count them, within sittings. Who was not seen to the end is not left out
    (Kaplan and Meier). Exit 1 where players and forecast differ beyond chance. Needs the extra recorded.
    """
    from ramulus.cli.simulate import progress_shares
    from ramulus.recorded.observed import observed as run
    from ramulus.words.goals import goal_lines
    from ramulus.words.milestones import milestones
    from ramulus.words.recorded import OBSERVED, observed_lines, observed_verdicts

    design = closing.load(file)
    opened = asked.open(design)
    with progress_shares("holding the log against the forecast", closing.quiet) as progress:
        found = run(design, opened, track=track, players=players, seed=seed, progress=progress)
    if closing.verdicts:
        logs.print_verdicts(closing, "observed", file, observed_verdicts(found))
    else:
        shown = found.in_level() if in_level else found.pace()
        lines = [*opened.said(), "", *observed_lines(found)]
        if closing.shows_table and not all_levels and not in_level:
            levels = milestones(int(shown["level"].min()), int(shown["level"].max()))
            shown = shown[shown["level"].isin(levels)]
        printing = closing.printing("observed")
        what = "hours within each level" if in_level else "hours to each level"
        title = f"{design.title}: {what}, recorded and forecast (seed {seed})"
        more = {"verdicts": found.verdicts(), **({"goals": found.goals()} if found.judged else {})}
        printing.table(shown, OBSERVED, title, "", more)
        if closing.shows_table:
            say(in_width("\n" + "\n".join([*lines, *goal_lines(found.judged, "Goals, on this log")])))
    if not found.agrees:
        raise typer.Exit(1)
