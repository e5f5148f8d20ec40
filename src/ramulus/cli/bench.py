"""`ramulus bench`: the workbench in the browser, where a number is turned and what comes of it is seen at once."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer

from ramulus.cli import options
from ramulus.cli.closing import Changes, Closing, Quiet, files_of
from ramulus.cli.output import waiting
from ramulus.errors import RamulusError

if TYPE_CHECKING:
    from ramulus.design import Design


def register(app: typer.Typer) -> None:
    """Add the command."""
    app.command()(bench)


def bench(
    file: options.File,
    players: options.Players = 2000,
    hours: options.Hours = None,
    seed: options.Seed = 0,
    port: Annotated[int, typer.Option("--port", min=0, max=65_535, help="Where to serve it (0: a free one).")] = 0,
    changes: Changes = None,
    quiet: Quiet = False,
) -> None:
    """Open the workbench: turn a number, bend a curve, hand out XP, and see at once what comes of it.

    With --set it begins with some numbers tried.

    It is served to this machine alone, at the address that is printed. It follows the file as you save it, and writes
    it only when you press Keep. Ctrl-C ends it.
    """
    try:
        from ramulus.page.bench.serving import GRACE, serve
    except ImportError as error:
        found = (
            f"the bench needs {str(error.name).partition('.')[0]}; python -m pip install starlette uvicorn watchfiles"
        )
        raise RamulusError(found) from None
    from ramulus.cli import terminal
    from ramulus.page.bench import Session, Sizes

    options.refuse_standard_input(file, "the bench follows a file")
    closing = Closing(quiet=quiet)
    say = closing.printing("bench").say
    trial = _tried(closing.load(file), changes)
    session = Session(file, lambda: closing.load(file), Sizes(players, hours, seed), trial)
    with waiting(f"playing {file}", quiet=quiet):
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


def _tried(design: Design, changes: list[str] | None) -> dict[str, Any]:
    """Return the values of `--set` by place, each of which the design takes."""
    from ramulus.design import full_place

    values = dict(options.split_change(change, "--set") for change in changes or [])
    placed = {full_place(design, name): value for name, value in values.items()}
    design.with_values(placed)
    return placed
