"""`ramulus party`: the members' levels, encounter by encounter, and when they have caught up."""

from __future__ import annotations

from typing import TYPE_CHECKING, Annotated

import typer

from ramulus.cli import options
from ramulus.cli.closing import Closing, closed
from ramulus.cli.output import waiting
from ramulus.words.heads import PARTY

if TYPE_CHECKING:
    import pandas as pd

ROWS = 12


def register(app: typer.Typer) -> None:
    """Add the command."""
    app.command()(closed(party))


def party(
    file: options.File,
    encounters: Annotated[
        int, typer.Option("--encounters", min=1, max=100_000, help="Shared encounters to play.")
    ] = 200,
    parties: Annotated[int, typer.Option("--parties", min=1, help="Parties to play.")] = 400,
    every: Annotated[
        int | None, typer.Option("--every", min=1, help=f"Show every N-th encounter (default: about {ROWS} of them).")
    ] = None,
    seed: options.Seed = 0,
    *,
    closing: Closing,
) -> None:
    """Play the party many times through shared encounters: its members' levels, and when they have caught up.

    p10, p50, p90: a tenth, half, nine tenths of the parties have the member at that level or below.
    """
    design = closing.load(file)
    from ramulus.results.party import play_party

    with waiting("playing the parties", quiet=closing.quiet):
        run = play_party(design, encounters, parties=parties, seed=seed)
    table = run.levels()
    if closing.shows_table:
        step = every or max(encounters // ROWS, 1)
        table = table[(table["encounter"] % step == 0) | (table["encounter"] == table["encounter"].max())]
    title = f"{design.title}: {run.parties:,} parties, seed {run.seed}"
    quits = run.quits()
    foot = _foot(run.caught_up(), encounters) + _quitting(quits)
    more = {"quits": quits} if quits["share"].any() else None
    closing.printing("party").table(table, PARTY, title, foot, more)


def _foot(caught_up: pd.DataFrame, encounters: int) -> str:
    """Say when half of the parties have caught up: on one level, and within one level."""
    lines = [""]
    for name, words in (("even", "on one level"), ("close", "within one level of each other")):
        after, hours = (caught_up[f"{name}_{what}"] for what in ("after", "hours"))
        share = after.notna().mean()
        text = f"{share:.0%} of the parties come to be {words} within {encounters:,} encounters"
        if share >= 0.5:
            text += f", half of all after {_half(after):.0f} ({_half(hours):.2f} h)"
        lines.append(f"{text}.")
    return "\n".join(lines)


def _quitting(quits: pd.DataFrame) -> str:
    """Say which members quit, where any does."""
    lines = [
        f"\n{row['member']} quits in {row['share']:.0%} of the parties, half of those by {row['hours_p50']:.1f} h."
        for row in quits[quits["share"] > 0].to_dict("records")
    ]
    return "".join(lines)


def _half(values: pd.Series) -> float:
    """Return the value that half of all parties are at or below; one that has none is above all."""
    return float(values.fillna(float("inf")).sort_values().iloc[(len(values) - 1) // 2])
