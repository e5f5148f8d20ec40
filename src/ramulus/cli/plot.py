"""`ramulus plot FILE KIND`: one figure into a file. Each kind is a command with options of its own."""

from __future__ import annotations

import typer

from ramulus.cli import plot_designs, plot_runs  # noqa: F401 — each kind of figure makes itself known there.
from ramulus.cli.plotting import kinds


def register(app: typer.Typer) -> None:
    """Add the command."""
    app.add_typer(kinds, name="plot")
