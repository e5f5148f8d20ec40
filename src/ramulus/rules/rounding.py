"""Rounding: of the float64 value as it is, with no snapping to a nearby whole number."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Protocol

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


@dataclass(frozen=True)
class Rounder:
    """How a quantity becomes whole.

    Attributes:
        kind: "down", "nearest" (halves away from zero), "up" or "none".
        to: a multiple of what it becomes; 1 is whole numbers.
    """

    kind: str
    to: float = 1.0

    @classmethod
    def of(cls, part: _Rounded) -> Rounder:
        """Return the rounding that a part of the design asks for."""
        return cls(part.rounding, float(part.rounding_to or 1))

    def __call__(self, values: Array | float) -> Array:
        """Return the values rounded."""
        values = np.asarray(values, dtype=np.float64)
        rounded: Array = ROUNDINGS[self.kind](values) if self.to == 1 else _TO_MULTIPLES[self.kind](values, self.to)
        return rounded

    @property
    def in_words(self) -> str:
        """How it rounds, in words."""
        return IN_WORDS[self.kind] + (f", to a multiple of {number_text(self.to)}" if self.to != 1 else "")

    @property
    def briefly(self) -> str:
        """How it rounds, in a word or two."""
        return IN_WORDS[self.kind].split(",")[0] + (f" to a multiple of {number_text(self.to)}" if self.to != 1 else "")

    def steps(self, name: str, value: float) -> list[Step]:
        """Return the working of the rounding of a value: one line, or none where nothing is rounded."""
        if self.kind == "none":
            return []
        whole, text = float(self(value)), number_text(value)
        form = (
            f"{_FORMULAS[self.kind]}({text})" if self.to == 1 else _MULTIPLE_FORMULAS[self.kind](text, value, self.to)
        )
        return [Step(name, form, whole, self.in_words if whole != value else "already whole")]


class _Rounded(Protocol):
    """A part of the design that says how it is rounded."""

    @property
    def rounding(self) -> str: ...

    @property
    def rounding_to(self) -> float | None: ...


# A remainder is exact where a quotient is not: 29.999999999999996 / 10 may come out as 3, and is no 3.
def _nearest_multiple(values: Array, to: float) -> Array:
    size = np.abs(values)
    rest = np.mod(size, to)
    return np.asarray(np.copysign(size - rest + np.where(rest >= to / 2, to, 0.0), values))


_TO_MULTIPLES: dict[str, Callable[[Array, float], Array]] = {
    "none": lambda values, to: values,
    "down": lambda values, to: values - np.mod(values, to),
    "nearest": _nearest_multiple,
    "up": lambda values, to: values + np.mod(-values, to),
}


def _nearest_formula(text: str, value: float, to: float) -> str:
    size, sign = (text, "") if value >= 0 else (text.removeprefix("-"), "-")
    to_text, half = number_text(to), number_text(to / 2)
    return f"{sign}({size} - {size} % {to_text} + ({to_text} if {size} % {to_text} >= {half} else 0))"


_MULTIPLE_FORMULAS: dict[str, Callable[[str, float, float], str]] = {
    "down": lambda text, value, to: f"{text} - {text} % {number_text(to)}",
    "nearest": _nearest_formula,
    "up": lambda text, value, to: f"{text} + (-{text}) % {number_text(to)}",
}


def round_amount(value: float, code: int, to: float) -> float:
    """Return one amount of 0 or more rounded as a `Rounder` does; plain numbers only, so that a kernel compiles it."""
    if to != 1.0 and code != NONE:
        rest = value % to
        if code == UP:
            return value + (-value) % to
        return value - rest + to if code == NEAREST and rest >= to / 2 else value - rest
    if code == DOWN:
        return math.floor(value) * 1.0
    if code == NEAREST:
        whole = math.floor(value) * 1.0
        return whole + 1.0 if value - whole >= 0.5 else whole
    if code == UP:
        return math.ceil(value) * 1.0
    return value
