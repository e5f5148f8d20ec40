"""`ramulus report`: everything a design says, on one page."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from ramulus.cli import options
from ramulus.cli.closing import PAGE, Closing, closed
from ramulus.cli.compare import named_designs
from ramulus.cli.logs import Asked
from ramulus.cli.output import waiting
from ramulus.cli.sensitivity import moved
from ramulus.cli.simulate import progress_bar, progress_shares

if TYPE_CHECKING:
    import pandas as pd

    from ramulus.design import Design
    from ramulus.recorded.observed import Observed


def register(app: typer.Typer) -> None:
    """Add the command."""
    app.command()(closed(report, PAGE))


def report(
    file: options.File,
    players: options.Players = 2000,
    hours: options.Hours = None,
    seed: options.Seed = 0,
    also: Annotated[
        list[Path] | None, typer.Option("--also", help="Another design to set beside it (repeatable).")
    ] = None,
    variant: options.Variant = None,
    sensitivity: Annotated[
        bool, typer.Option("--sensitivity", help="Also how much each constant moves each goal: some seconds more.")
    ] = False,
    recorded: Annotated[
        str | None, typer.Option("--recorded", metavar="LOG", help="Also recorded play, beside the forecast.")
    ] = None,
    live: Annotated[bool, typer.Option("--live", hidden=True)] = False,
    *,
    closing: Closing,
) -> None:
    """Write one page: numbers, findings, goals, tables that sort, and every figure. It needs no network.

    To work on a design with the page beside you, use `ramulus bench FILE`.
    """
    if live:
        raise typer.BadParameter(f"has become a command of its own: ramulus bench {file}", param_hint="--live")
    target = closing.output or Path(f"{file.stem}.html")
    design, *others = (several := named_designs([file, *(also or [])], variant or [], closing)).values()
    variants = dict(zip(list(several)[1:], others, strict=True))
    table = moved(design, None, 600, seed, closing) if sensitivity else None
    observed = None if recorded is None else held_against(design, recorded, seed, closing)
    write_page(design, target, players, hours, seed, variants, table, observed, quiet=closing.quiet)
    closing.printing("report").say(f"wrote {target} ({target.stat().st_size / 1e6:.1f} MB); open it in a browser")


def held_against(design: Design, recorded: str, seed: int, closing: Closing) -> Observed:
    """Return a log held against the forecast, with a progress bar."""
    from ramulus.recorded.observed import observed

    log = Asked(recorded).open(design)
    with progress_shares("holding the log against the forecast", closing.quiet) as progress:
        return observed(design, log, seed=seed, progress=progress)


def write_page(
    design: Design, target: Path, players: int, hours: float | None, seed: int, variants: dict[str, Design],
    sensitivity: pd.DataFrame | None, observed: Observed | None = None, *, quiet: bool,
) -> None:  # fmt: skip
    """Write a page, with a progress bar while players are played and a word while figures are drawn."""
    from ramulus.design import write_whole
    from ramulus.page.making import context_of, page_of

    with progress_bar(quiet) as progress:
        context = context_of(
            design, players, hours, seed, variants=variants, sensitivity=sensitivity, progress=progress
        )
    with waiting("drawing the figures", quiet=quiet):
        write_whole(target, page_of(replace(context, observed=observed)).text)
