"""The sliders of a live page: a span and a step for each constant."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from collections.abc import Mapping

STEPS = 150  # About how many places a slider has.
AROUND_ZERO = 1.0  # Half and twice of nothing are nothing.


@dataclass(frozen=True)
class Slider:
    """A constant and where its slider may go: from half of it to twice.

    Attributes:
        name: of the constant.
        value: as the file has it.
        low, high: the ends.
        step: between two places.
        whole: whether it is a whole number and stays one.
    """

    name: str
    value: float
    low: float
    high: float
    step: float
    whole: bool


def sliders_of(constants: Mapping[str, float]) -> list[Slider]:
    """Return a slider for each constant, in the order of the file."""
    return [slider_of(name, value) for name, value in constants.items()]


def slider_of(name: str, value: float) -> Slider:
    """Return the slider of a constant."""
    whole = isinstance(value, int)
    low, high = sorted((value / 2, value * 2)) if value else (-AROUND_ZERO, AROUND_ZERO)
    step = _round_step((high - low) / STEPS)
    if whole:
        step = max(1.0, step)
    low, high = math.floor(low / step) * step, math.ceil(high / step) * step
    low, high, step = (float(f"{number:.12g}") for number in (low, high, step))
    return Slider(name, value, low, high, step, whole)


def _round_step(about: float) -> float:
    """Return the 1, 2 or 5 times a power of ten nearest above a number."""
    power = 10.0 ** math.floor(math.log10(about))
    return next(times * power for times in (1, 2, 5, 10) if times * power >= about * (1 - 1e-9))
