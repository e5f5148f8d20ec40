"""`ramulus tune`: the numbers that meet the goals, or the costs that give wished hours."""

from __future__ import annotations

import math
import sys
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from ramulus.cli import options
from ramulus.cli.closing import Closing, closed
from ramulus.cli.trials import trials_bar
from ramulus.errors import DataError, RamulusError
from ramulus.words.milestones import milestones
from ramulus.words.writers import Column, hours, number, significant, xp

if TYPE_CHECKING:
    import pandas as pd

    from ramulus.design import Design
    from ramulus.tuning import PacedCosts, Tuning


def _reached(found: object) -> str:
    return "too few" if isinstance(found, float) and math.isnan(found) else significant(found)


VALUES = {
    "name": Column("number"),
    "before": Column("before", significant),
    "after": Column("after", significant),
    "low": Column("from", significant),
    "high": Column("to", significant),
    "determined": Column("pinned\ndown", lambda known: "yes" if known else "no"),
    "at_bound": Column("at\nbound"),
}
GOALS = {
    "player": Column("player"),
    "goal": Column("goal"),
    "found_before": Column("before", _reached),
    "found": Column("after", _reached),
    "verdict": Column("verdict"),
}
WISHES = {
    "level": Column("level", number()),
    "wish": Column("wish\nhours", hours),
    "found": Column("found\nhours", hours),
    "low": Column("from", hours),
    "high": Column("to", hours),
    "off": Column("off", lambda off: "–" if math.isnan(off) else f"{off:+.1%}"),
    "holds": Column("holds", lambda holds: "yes" if holds else "no"),
}
COSTS = {"level": Column("level", number()), "before": Column("XP\nbefore", xp), "after": Column("XP\nafter", xp)}


def register(app: typer.Typer) -> None:
    """Add the command."""
    app.command()(closed(tune))


def tune(
    file: options.File,
    wishes: Annotated[
        list[str] | None,
        typer.Argument(
            metavar="[LEVEL=HOURS]...", help="With --costs: when to reach which level; LEVEL=45d for the 45th day."
        ),
    ] = None,
    vary: Annotated[
        list[str] | None,
        typer.Option("--vary", metavar="NAME[=LOW:HIGH]", help="A number to find (repeatable)."),
    ] = None,
    whole: Annotated[
        list[str] | None,
        typer.Option("--whole", metavar="NAME", help="One of them that is to stay whole (repeatable)."),
    ] = None,
    costs: Annotated[
        str | None, typer.Option("--costs", metavar="PLAYER", help="Find the costs that give a profile these hours.")
    ] = None,
    write: Annotated[bool, typer.Option("--write", help="Change the numbers in the file; all else stays.")] = False,
    drop_unread: Annotated[
        bool, typer.Option("--drop-unread", help="With --costs: leave out constants that nothing reads any more.")
    ] = False,
    force: Annotated[bool, typer.Option("--force", help="Write also where the goals come off worse.")] = False,
    players: options.TrialPlayers = 2000,
    seed: options.Seed = 0,
    *,
    closing: Closing,
) -> None:
    """Find the numbers that meet the goals, by playing; or with --costs the costs that give wished hours.

    Without bounds a number is sought between a tenth of it and ten times it. Ctrl-C ends with the best so far.
    """
    _refuse_mixed(vary, whole, costs, wishes, closing, written=file if write else None)
    from ramulus.design import bytes_now
    from ramulus.design.reading import MAX_BYTES

    first = bytes_now(file, MAX_BYTES) if write else b""
    design = closing.load(file)
    read = {one: bytes_now(one, MAX_BYTES) for one in design.files[1:]} | {file: first} if write else {}
    with trials_bar(closing.quiet) as progress:
        from ramulus.tuning import PacedCosts, pace_costs
        from ramulus.tuning import tune as run

        if costs is not None:
            in_hours, in_days = _wishes(wishes or [])
            found: Tuning | PacedCosts = pace_costs(design, costs, in_hours, seed, days=in_days, progress=progress)
        else:
            bounds = dict(_bounds(text) for text in vary or [])
            found = run(design, bounds, whole or [], players, seed, progress=progress)
    _show(found, closing)
    if found.stopped:
        raise typer.Exit(130)
    after, must_missed = found.design, False
    if isinstance(found, PacedCosts):
        after = after.without_constants(found.unread) if drop_unread else after
    else:
        must_missed = found.must_missed
        if write and found.worse and not force:
            raise RamulusError(f"{found.worse[0]}; nothing is written (--force writes all the same)")
    _finish(after, design, file, read, closing, write=write)
    if must_missed:
        raise typer.Exit(1)


def _refuse_mixed(
    vary: list[str] | None, whole: list[str] | None, costs: str | None, wishes: list[str] | None, closing: Closing,
    *, written: Path | None,
) -> None:  # fmt: skip
    if (vary is None) == (costs is None):
        raise typer.BadParameter("--vary NAME for numbers that meet the goals, or --costs PLAYER LEVEL=HOURS for costs")
    if costs is None and wishes:
        raise typer.BadParameter(f"{wishes[0]!r} goes with --costs PLAYER", param_hint="LEVEL=HOURS")
    if costs is not None and not wishes:
        raise typer.BadParameter("no wish; add one or more LEVEL=HOURS, such as 10=2.5", param_hint="--costs")
    if costs is not None and whole:
        raise typer.BadParameter("goes with --vary", param_hint="--whole")
    if written is not None:
        options.refuse_standard_input(written, "--write changes a file")
    if written is not None and closing.changes:
        raise typer.BadParameter(
            "with --set would write those values too; put them into the file first", param_hint="--write"
        )


def _bounds(text: str) -> tuple[str, tuple[float, float] | None]:
    """Return name and bounds of NAME[=LOW:HIGH]."""
    name, equals, span = text.partition("=")
    if not equals:
        return name.strip(), None
    low, colon, high = span.partition(":")
    try:
        return name.strip(), (float(low), float(high if colon else "none"))
    except ValueError:
        raise typer.BadParameter(
            f"{text!r}; write NAME=LOW:HIGH, such as steepness=1.2:1.8", param_hint="--vary"
        ) from None


def _wishes(wishes: list[str]) -> tuple[dict[int, float], dict[int, int]]:
    """Return wishes for hours, and those for days, by level."""
    in_hours: dict[int, float] = {}
    in_days: dict[int, int] = {}
    for wish in wishes:
        level, equals, when = wish.partition("=")
        try:
            key = int(level if equals else "none")
            value = int(when[:-1]) if when.endswith("d") else float(when)
        except ValueError:
            allowed = "write LEVEL=HOURS, such as 10=2.5, or LEVEL=DAYd, such as 25=45d"
            raise typer.BadParameter(f"{wish!r}; {allowed}", param_hint="LEVEL=HOURS") from None
        if key in in_hours or key in in_days:
            raise typer.BadParameter(f"level {key} is there twice", param_hint="LEVEL=HOURS")
        if when.endswith("d"):
            in_days[key] = int(value)
        else:
            in_hours[key] = float(value)
    return in_hours, in_days


def _show(found: Tuning | PacedCosts, closing: Closing) -> None:
    import pandas as pd

    from ramulus.tuning import Tuning

    stopped = "interrupted" if found.stopped else ""
    printing = closing.printing("tune", stopped=stopped)
    said = list(found.notes)
    if not isinstance(found, Tuning) and found.unread:
        said.append(f"nothing reads {' and '.join(found.unread)} any more; --drop-unread takes them out of the file")
    notes, foot = pd.DataFrame({"note": said}), "".join(f"\n- {note}" for note in said)
    if isinstance(found, Tuning):
        first, heads, others = found.values, VALUES, {"goals": found.goals}
        both = [
            now if now == then else f"{now} (was {then})"
            for now, then in zip(found.goals["verdict"], found.goals["verdict_before"], strict=True)
        ]
        second, its_heads = _in_percents(found).assign(verdict=both)[list(GOALS)], GOALS
        title = f"{found.design.title}: numbers for its goals"
    else:
        first, heads, others = found.wishes, WISHES, {"costs": found.costs}
        levels = found.costs["level"]
        second = found.costs[levels.isin(milestones(int(levels.min()), int(levels.max())))]
        its_heads, title = COSTS, f"{found.design.title}: costs for the hours of {found.player}"
    two = printing.for_a_reader and not printing.columns and len(second) > 0
    printing.table(first, heads, title, "" if two else foot, {**others, "notes": notes})
    if two:
        print()
        below = "the goals, judged by other draws and more players" if isinstance(found, Tuning) else "the costs"
        printing.table(second, its_heads, below, foot)


def _in_percents(found: Tuning) -> pd.DataFrame:
    """Return what became of the goals, with shares written as percents."""
    from ramulus.goals import SHARES

    table = found.goals.astype({"found_before": object, "found": object})
    for row, goal in enumerate(found.design.goals[: len(table)]):
        if isinstance(goal, SHARES):
            for column in ("found_before", "found"):
                share = table.loc[row, column]
                table.loc[row, column] = share if math.isnan(share) else f"{share:.1%}"
    return table


def _finish(
    after: Design, before: Design, file: Path, read: dict[Path, bytes], closing: Closing, *, write: bool
) -> None:
    """Write the design back, or say how that is done."""
    from ramulus.design import bytes_now
    from ramulus.design.reading import MAX_BYTES

    say = closing.printing("tune").say
    if after == before:
        say(f"nothing to change in {file}")
    elif not write:
        if sys.stderr.isatty():
            say(f"--write changes the numbers in {file}")
    else:
        for one, before_it in read.items():
            if bytes_now(one, MAX_BYTES) != before_it:
                raise DataError(f"{one}: it was changed while numbers were sought; nothing is written")
        say(f"wrote {', '.join(map(str, after.save(file)))}")
