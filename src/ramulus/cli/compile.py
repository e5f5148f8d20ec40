"""`ramulus compile`: compile beforehand what the first simulation on a machine waits for."""

from __future__ import annotations

import time

import typer

from ramulus.cli.closing import Quiet
from ramulus.cli.output import Printing
from ramulus.errors import RamulusError


def register(app: typer.Typer) -> None:
    """Add the command."""
    app.command("compile")(compile_kernels)


def compile_kernels(quiet: Quiet = False) -> None:
    """Compile all kernels now, so that no simulation on this machine has to wait for one.

    Without it each kernel is compiled by the first command that needs it, once on a machine. Good for a container's
    image, or before many machines begin at once.
    """
    from ramulus.results.beforehand import TASKS, compile_beforehand

    printing = Printing("compile", quiet=quiet)
    printing.say(f"compiling {len(TASKS)} kernels: a minute, or several on a slow machine")
    begun = time.monotonic()
    done = compile_beforehand()
    if not done.kept:
        where = "in " + " or ".join(sorted(done.folders)) if done.folders else "beside the package or in your home"
        raise RamulusError(
            f"nothing can be written {where}: kernels are not kept; NUMBA_CACHE_DIR names another folder"
        )
    places, spent = ", ".join(sorted(done.folders)), time.monotonic() - begun
    printing.say(f"{done.compiled} of {done.kernels} kernels compiled, {spent:.0f} s; all are kept in {places}")
