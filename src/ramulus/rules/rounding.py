"""Rounding: of the float64 value as it is, with no snapping to a nearby whole number."""

from __future__ import annotations

import math
from typing import Any

import numpy as np

from ramulus.formula import Step, number_text, round_half_away
from ramulus.formula.functions import Array

ROUNDINGS: dict[str, Any] = {
    "none": lambda values: values,
    "down": np.floor,
    "nearest": round_half_away,
    "up": np.ceil,
}
NONE, DOWN, NEAREST, UP = 0, 1, 2, 3
ROUNDING_CODES = {"none": NONE, "down": DOWN, "nearest": NEAREST, "up": UP}
_FORMULAS = {"down": "floor", "nearest": "round", "up": "ceil"}
IN_WORDS = {
    "down": "rounded down",
    "up": "rounded up",
    "nearest": "rounded to nearest, halves away from zero",
}


def rounded(values: Array | float, rounding: str) -> Array:
    """Return the values rounded "down", to the "nearest" (halves away from zero), "up", or not ("none")."""
    result: Array = ROUNDINGS[rounding](np.asarray(values, dtype=np.float64))
    return result


def round_amount(value: float, code: int) -> float:
    """Return one amount of 0 or more rounded as `rounded` does; plain numbers only, so that a kernel compiles it."""
    if code == DOWN:
        return math.floor(value) * 1.0
    if code == NEAREST:
        whole = math.floor(value) * 1.0
        return whole + 1.0 if value - whole >= 0.5 else whole
    if code == UP:
        return math.ceil(value) * 1.0
    return value


def rounding_steps(name: str, value: float, rounding: str) -> list[Step]:
    """Return the working of a rounding: one line, or none where nothing is rounded."""
    if rounding == "none":
        return []
    whole = float(rounded(value, rounding))
    note = IN_WORDS[rounding] if whole != value else "already whole"
    return [Step(name, f"{_FORMULAS[rounding]}({number_text(value)})", whole, note)]
