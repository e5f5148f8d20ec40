"""What a figure is drawn from: a person first passes a path, or a design where a result is wanted."""

from __future__ import annotations

import functools
import inspect
from collections.abc import Callable, Mapping
from typing import Any

from ramulus.errors import RamulusError, shortly

WANTED = {
    "SimulationResult": "a result, as simulate(design) gives it",
    "Comparison": "a comparison, as compare({…}) gives it",
    "Observed": "a log held against the forecast, as observed(design, log) gives it",
    "PartyRun": "parties, as play_party(design) gives them",
    "DataFrame": "a table, as {figure}(design, …) gives it",
    "Design": "a design, as load_design(path) reads it",
}
GIVEN = {
    "SimulationResult": "a result", "Comparison": "a comparison", "PartyRun": "parties", "DataFrame": "a table",
    "Series": "a column", "Design": "a design", "str": "a path", "PurePath": "a path", "Findings": "findings",
}  # fmt: skip


def told(figure: Callable[..., Any]) -> Callable[..., Any]:
    """Return a figure that says what it wants where it is given something else.

    Tables of other libraries are taken where they can be made one of pandas.

    Raises:
        RamulusError: it is given a path, or a design that is to be played first, or anything else.
    """
    first = next(iter(inspect.signature(figure).parameters.values()))
    kind = str(first.annotation)
    wanted = next(name for name in WANTED if name in kind)
    several = "Mapping" in kind

    @functools.wraps(figure)
    def drawn(given: Any, *others: Any, **options: Any) -> Any:
        if wanted == "DataFrame" and not _is(wanted, given) and hasattr(given, "to_pandas"):
            given = given.to_pandas()
        for one in given.values() if several and isinstance(given, Mapping) else [given]:
            if not _is(wanted, one):
                what = next((words for name, words in GIVEN.items() if _is(name, one)), type(one).__name__)
                allowed = WANTED[wanted].format(figure=figure.__name__)
                raise RamulusError(f"plots.{figure.__name__}: {what} was given ({shortly(one)}); allowed: {allowed}")
        return figure(given, *others, **options)

    return drawn


def _is(kind: str, given: Any) -> bool:
    """Return whether something is of a kind, by its name: nothing is loaded to find that out."""
    return any(one.__name__ == kind for one in type(given).__mro__)
