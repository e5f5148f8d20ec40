"""What a figure is drawn from: a person first passes a path, or a design where a result is wanted."""

from __future__ import annotations

import functools
import inspect
from collections.abc import Callable
from typing import Any

from ramulus.errors import RamulusError, shortly

WANTED = {
    "SimulationResult": "a result, as simulate(design) gives it",
    "Comparison": "a comparison, as compare({…}) gives it",
    "Observed": "a log held against the forecast, as observed(design, log) gives it",
    "PartyRun": "parties, as play_party(design) gives them",
    "pd.DataFrame": "a table, as its docstring says",
    "Design": "a design, as load_design(path) reads it",
}


def told(figure: Callable[..., Any]) -> Callable[..., Any]:
    """Return a figure that says what it wants where it is given something else.

    Raises:
        RamulusError: it is given a path, or a design that is to be played first.
    """
    first = next(iter(inspect.signature(figure).parameters.values()))
    kind = str(first.annotation)
    wanted = next((words for name, words in WANTED.items() if name in kind), "")

    @functools.wraps(figure)
    def drawn(given: Any, *others: Any, **options: Any) -> Any:
        is_design = hasattr(given, "derived") and "Design" not in kind
        if wanted and (is_design or isinstance(given, str) or hasattr(given, "__fspath__")):
            what = "a design" if is_design else "a path"
            raise RamulusError(f"plots.{figure.__name__}: {what} was given ({shortly(given)}); allowed: {wanted}")
        return figure(given, *others, **options)

    return drawn
