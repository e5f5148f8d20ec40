"""What a shell offers behind an option: the names that the design file on the line has."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING

import typer

from ramulus.errors import RamulusError

if TYPE_CHECKING:
    from ramulus.design import Design


def _of_the_design(names: Callable[[Design], list[str]]) -> Callable[[typer.Context, str], list[str]]:
    """Return what completes a word by names of the design; by nothing where no design can be read."""

    def complete(context: typer.Context, incomplete: str) -> list[str]:
        from ramulus.design import load_design

        # While a line is completed its arguments may not have been taken for what they are yet.
        given = [context.params.get("file"), *(context.params.get("files") or ()), *context.args]
        file = next((one for one in given if one and Path(str(one)).is_file()), None)
        if file is None:
            return []
        try:
            return [name for name in names(load_design(file)) if name.startswith(incomplete)]
        except RamulusError:
            return []

    return complete


def _numbers(design: Design) -> list[str]:
    """Return the constants by their bare names, for --set and --vary."""
    return list(design.constants)


players = _of_the_design(lambda design: list(design.profiles))
tracks = _of_the_design(lambda design: list(design.tracks))
sources = _of_the_design(lambda design: list(design.sources))
constants = _of_the_design(_numbers)
settings = _of_the_design(lambda design: [f"{name}=" for name in _numbers(design)])
