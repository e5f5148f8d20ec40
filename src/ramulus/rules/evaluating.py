"""Evaluate a design's formula, so that a failure names the place it stands at."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ramulus.errors import DesignError, FormulaError, Problem
from ramulus.formula import evaluate, parse
from ramulus.formula.functions import Array


def evaluate_at(
    place: str, value: float | str, names: Mapping[str, Any], where: NDArray[np.bool_] | None = None
) -> Array:
    """Return the value of a number or formula that stands at `place`; only elements in `where` must be finite.

    Raises:
        DesignError: the formula has no finite value somewhere; the problem gives the values of its names.
    """
    if not isinstance(value, str):
        return np.asarray(value, dtype=np.float64)
    try:
        return evaluate(parse(value), names, where=where)
    except FormulaError as error:
        raise DesignError([error.at(place)]) from None


def fault(place: str, found: str, allowed: str = "", code: str = "invalid-value") -> DesignError:
    """Return a DesignError of one problem."""
    return DesignError([Problem(place, found, allowed, code=code)])
