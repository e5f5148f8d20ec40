"""The last section: the design's numbers, its text, and how to repeat the page."""

from __future__ import annotations

import platform

import numpy as np

from ramulus import __version__
from ramulus.page.context import Context
from ramulus.page.parts import Cell, Folded, Part, Section, Table, Words
from ramulus.words.writers import significant


def numbers(context: Context) -> Section:
    """The constants, what was played, and the design itself."""
    design, result = context.design, context.result
    parts: list[Part] = []
    if design.constants:
        rows = tuple((Cell(name), Cell(significant(value), float(value))) for name, value in design.constants.items())
        parts.append(Table("Constants", ("constant", "value"), rows, numeric=(False, True)))
    made = [f"Ramulus {__version__}, Python {platform.python_version()}, NumPy {np.__version__}"]
    if result is not None:
        who = ", ".join(f"{count:,} {name}" for name, count in result.players.items())
        made += [f"played: {who}", f"at most {result.hours:g} h each", f"seed {result.seed}"]
    parts.append(Words(("Made with " + "; ".join(made) + ". The same file, sizes and seed give the same numbers.",)))
    parts.append(Folded("The design file", (Words((), design.to_toml()),)))
    return Section("numbers", "Numbers", tuple(parts))
