"""Rounding: of the float64 value as it is, with no snapping to a nearby whole number."""

from __future__ import annotations

from typing import Any

import numpy as np

from ramulus.formula import round_half_away
from ramulus.formula.functions import Array

ROUNDINGS: dict[str, Any] = {
    "none": lambda values: values,
    "down": np.floor,
    "nearest": round_half_away,
    "up": np.ceil,
}


def rounded(values: Array | float, rounding: str) -> Array:
    """Return the values rounded "down", to the "nearest" (halves away from zero), "up", or not ("none")."""
    result: Array = ROUNDINGS[rounding](np.asarray(values, dtype=np.float64))
    return result
