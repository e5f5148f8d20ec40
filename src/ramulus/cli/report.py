"""`ramulus report`: everything a design says, on one page."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from ramulus.cli import options
from ramulus.cli.closing import PAGE, Closing, closed
from ramulus.cli.compare import named_designs
from ramulus.cli.output import waiting
from ramulus.cli.sensitivity import moved
from ramulus.cli.simulate import progress_bar

if TYPE_CHECKING:
    import pandas as pd

    from ramulus.design import Design


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
    *,
    closing: Closing,
) -> None:
    """Write one page: numbers, findings, goals, tables that sort, and every figure. It needs no network."""
    from ramulus.page.making import check_page_ending

    target = closing.output or Path(f"{file.stem}.html")
    check_page_ending(target)
    design, *others = (several := named_designs([file, *(also or [])], variant or [], closing)).values()
    variants = dict(zip(list(several)[1:], others, strict=True))
    table = moved(design, None, 600, seed, closing) if sensitivity else None
    write_page(design, target, players, hours, seed, variants, table, quiet=closing.quiet)
    closing.printing("report").say(f"wrote {target} ({target.stat().st_size / 1e6:.1f} MB); open it in a browser")


def write_page(
    design: Design, target: Path, players: int, hours: float | None, seed: int, variants: dict[str, Design],
    sensitivity: pd.DataFrame | None, *, quiet: bool,
) -> None:  # fmt: skip
    """Write a page, with a progress bar while players are played and a word while figures are drawn."""
    from ramulus.page.making import drawn, played, written

    with progress_bar(quiet) as progress:
        context = played(design, players, hours, seed, variants=variants, sensitivity=sensitivity, progress=progress)
    with waiting("drawing the figures", quiet=quiet):
        written(target, drawn(context).text)
