"""What a search by playing shows while it goes on."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import TYPE_CHECKING

from ramulus.cli.console import console
from ramulus.cli.output import tell_of_compiling

if TYPE_CHECKING:
    from ramulus.tuning import TrialProgress


@contextmanager
def trials_bar(quiet: bool) -> Iterator[Callable[[TrialProgress], object] | None]:
    """Show on standard error how many variants have been played; nothing where nobody watches."""
    if quiet or not sys.stderr.isatty():
        yield None
        return
    from rich.progress import BarColumn, Progress, TextColumn, TimeElapsedColumn

    columns = TextColumn("{task.description}"), BarColumn(), TextColumn("{task.fields[runs]}"), TimeElapsedColumn()
    tell_of_compiling()
    with Progress(*columns, console=console(stderr=True), transient=True) as bar:
        task = bar.add_task("getting ready", total=None, runs="")

        def show(state: TrialProgress) -> None:
            of = f" of about {state.runs}" if state.runs is not None else ""
            runs = f"{state.runs_done}{of} variants played"
            bar.update(task, description=state.doing, total=state.runs, completed=state.runs_done, runs=runs)

        yield show
