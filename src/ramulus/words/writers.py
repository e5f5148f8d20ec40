"""How numbers are written for a reader: thousands separators, units in the head, no more digits than mean something."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

MINUTES_BELOW = 2.0  # Hours; what is shorter reads better in minutes.

Formatter = Callable[[Any], str]


@dataclass(frozen=True)
class Column:
    """How a column looks to a reader: its head with the unit, and how its values are written."""

    head: str
    write: Formatter = str


def _missing(value: Any) -> bool:
    return value is None or (isinstance(value, float) and math.isnan(value))


def number(digits: int = 0) -> Formatter:
    """Return a writer of numbers with thousands separators and some digits after the point."""
    return lambda value: "–" if _missing(value) else f"{value:,.{digits}f}"


def hours(value: Any) -> str:
    """Write hours: to the hundredth, and short ones to two digits, so that none looks like none at all."""
    if _missing(value):
        return "–"
    return f"{value:,.2f}" if value >= 0.1 or not value else f"{value:.2g}"


def xp(value: Any) -> str:
    """Write XP: whole where it is whole."""
    if _missing(value):
        return "–"
    return f"{value:,.0f}" if float(value).is_integer() else f"{value:,.2f}"


def percent(digits: int = 1) -> Formatter:
    """Return a writer of shares as percentages."""
    return lambda value: "–" if _missing(value) else f"{value:.{digits}%}"


def factor(value: Any) -> str:
    """Write a factor."""
    return "–" if _missing(value) else f"×{value:.4g}"


def significant(value: Any) -> str:
    """Write any number to four significant digits, whole numbers whole."""
    if _missing(value):
        return "–"
    if isinstance(value, str):
        return value
    if float(value).is_integer():
        return f"{value:,.0f}"
    return f"{value:,.4g}" if abs(value) < 10_000 else f"{value:,.0f}"


def plus_minus(value: float, low: float, high: float, digits: int = 2) -> str:
    """Return a change with how far the farther end of its interval is from it: a ± promises no less than that."""
    if math.isnan(value):
        return "–"
    unknown = math.isnan(low) or math.isnan(high)  # Too few to know.
    reach = "?" if unknown else f"{max(value - low, high - value):.{digits}f}"
    return f"{value:+.{digits}f} ± {reach}"


def unit_of(hours: float) -> tuple[str, Callable[[float], str]]:
    """Return the unit that a time reads best in, and how numbers of it are written."""
    if hours < MINUTES_BELOW:
        digits = 1 if hours * 60 < 10 else 0
        return "min", lambda value: f"{value * 60:.{digits}f}"
    digits = 1 if hours < 100 else 0
    return "h", lambda value: f"{value:,.{digits}f}"


def duration(hours: float) -> str:
    """Return a time as it reads best: minutes below two hours."""
    unit, write = unit_of(hours)
    return f"{write(hours)} {unit}"
