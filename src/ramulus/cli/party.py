"""`ramulus party`: the members' levels, encounter by encounter."""

from __future__ import annotations

from typing import Annotated

import typer

from ramulus.cli import options
from ramulus.cli.output import Column, Printing, number

HEADS = {
    "encounter": Column("encounter", number()),
    "hours": Column("hours", number(2)),
    "source": Column("source"),
    "leader": Column("leader"),
}


def register(app: typer.Typer) -> None:
    """Add the command."""
    app.command()(party)


def party(
    file: options.File,
    encounters: Annotated[
        int, typer.Option("--encounters", min=1, max=100_000, help="Shared encounters to play.")
    ] = 200,
    parties: Annotated[int, typer.Option("--parties", min=1, help="Play this many parties with chance.")] = 1,
    seed: Annotated[
        int | None, typer.Option("--seed", min=0, help="Play with chance; without it, by expected values.")
    ] = None,
    every: Annotated[
        int | None, typer.Option("--every", min=1, help="Show every N-th encounter (default: about 25 rows).")
    ] = None,
    changes: options.SetValues = None,
    form: options.FormatOption = options.Format.table,
    output: options.Output = None,
    quiet: options.Quiet = False,
) -> None:
    """Play the party through shared encounters and show the members' levels.

    By expected values, or with chance when --seed or --parties is given.
    """
    from ramulus.analysis.party import play_party

    design = options.load(file, changes)
    chance = seed if seed is not None or parties == 1 else 0
    run = play_party(design, encounters, parties=parties, seed=chance)
    table = run.levels() if run.parties == 1 else run.spread()
    if form is options.Format.table and output is None:
        step = every or max(encounters // 25, 1)
        last = table["encounter"].max()
        table = table[(table["encounter"] % step == 0) | (table["encounter"] == last)]
    heads = {**HEADS, **{name: Column(f"{name}\nlevel", number()) for name in run.members}}
    heads.update(member=Column("member"), hours_p50=Column("hours\np50", number(2)))
    kind = "by expected values" if chance is None else f"{run.parties} with chance, seed {chance}"
    Printing("party", form, output, quiet).table(
        table, heads, f"{design.title}: the party, {kind}", _foot(run.even_after())
    )


def _foot(even: object) -> str:
    import pandas as pd

    assert isinstance(even, pd.Series)
    known = even.dropna()
    if known.empty:
        return "The party is never on one level within these encounters."
    if len(even) == 1:
        return f"All members are first on one level after {known.iloc[0]:.0f} encounters."
    half = f"half of those within {known.median():.0f} encounters"
    return f"{len(known)} of {len(even)} parties come to be on one level; {half}."
