"""`ramulus report`: everything a design says, on one page."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from ramulus.cli import options
from ramulus.cli.closing import PAGE, Closing, closed, files_of
from ramulus.cli.compare import named_designs
from ramulus.cli.logs import Asked
from ramulus.cli.output import waiting
from ramulus.cli.sensitivity import moved
from ramulus.cli.simulate import progress_bar, progress_shares
from ramulus.errors import RamulusError

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
    live: Annotated[
        bool, typer.Option("--live", help="Serve the page on this machine, and draw it anew when the file is saved.")
    ] = False,
    port: Annotated[int, typer.Option("--port", min=0, max=65_535, help="With --live: where (0: a free one).")] = 0,
    *,
    closing: Closing,
) -> None:
    """Write one page: numbers, findings, goals, tables that sort, and every figure. It needs no network.

    With --live no page is written: it is served to this machine alone, follows the file as you save it, and says what
    each save changed. Its sliders try constants; they are written into the file when you keep them. Ctrl-C ends it.
    """
    if live:
        _refuse_beside_live(
            {"--also": also, "--variant": variant, "--sensitivity": sensitivity, "--recorded": recorded}, closing
        )
        follow(file, players, hours, seed, port, closing)
        return
    if port:
        raise typer.BadParameter("goes with --live", param_hint="--port")

    target = closing.output or Path(f"{file.stem}.html")
    design, *others = (several := named_designs([file, *(also or [])], variant or [], closing)).values()
    variants = dict(zip(list(several)[1:], others, strict=True))
    table = moved(design, None, 600, seed, closing) if sensitivity else None
    observed = None if recorded is None else held_against(design, recorded, seed, closing)
    write_page(design, target, players, hours, seed, variants, table, observed, quiet=closing.quiet)
    closing.printing("report").say(f"wrote {target} ({target.stat().st_size / 1e6:.1f} MB); open it in a browser")


def _refuse_beside_live(given: dict[str, object], closing: Closing) -> None:
    for option, value in {**given, "--output": closing.output}.items():
        if value:
            found = f"goes without {option}: it serves one design and writes no page"
            raise typer.BadParameter(found, param_hint="--live")
    if closing.changes:
        found = "goes without --set: a value that stands over the file's no save would change; try it on the page"
        raise typer.BadParameter(found, param_hint="--live")


def follow(file: Path, players: int, hours: float | None, seed: int, port: int, closing: Closing) -> None:
    """Serve the page of a file until Ctrl-C."""
    try:
        from ramulus.page.live.serving import GRACE, serve
    except ImportError as error:
        found = f"--live needs {error.name}; python -m pip install starlette uvicorn watchfiles"
        raise RamulusError(found) from None
    from ramulus.cli import terminal
    from ramulus.page.live import Session, Sizes

    say = closing.printing("report").say
    session = Session(file, lambda: closing.load(file), Sizes(players, hours, seed))
    with waiting(f"playing {file}", quiet=closing.quiet):
        session.start()

    def files() -> set[Path]:
        try:
            return {file, *files_of(closing.load(file))}
        except RamulusError:  # A file at fault names no others; that it is mended shows on it.
            return {file}

    def ready(address: str) -> None:
        print(address, flush=True)
        say(f"open this address in a browser; it follows {file}, and Ctrl-C ends it")

    serve(session, files, port, ready)
    say("ended")
    if not session.at_rest(GRACE):
        terminal.end_at_once(0)


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
