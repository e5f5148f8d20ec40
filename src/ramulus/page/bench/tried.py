"""What is tried beside a file: values by place, as the file would have them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, Any

from ramulus.design import value_at
from ramulus.errors import RamulusError

if TYPE_CHECKING:
    from ramulus.design import Design

LONGEST_SAID = 40


def with_values(design: Design, values: Mapping[str, Any]) -> Design:
    """Return a design with other values by place; the same one where there are none.

    Raises:
        UnknownNameError: there is no such place.
        DesignError: a value is not allowed at its place.
    """
    return design.with_values(dict(values)) if values else design


def settled(design: Design, place: str, value: Any) -> Any:
    """Return a value as the file would have it: whole where a whole number stands there and it is one.

    Raises:
        UnknownNameError: there is no such place.
    """
    stands = value_at(design, place)
    number = isinstance(value, int | float) and not isinstance(value, bool)
    if number and isinstance(stands, int) and float(value).is_integer():
        return int(value)
    return float(value) if number else value


def tried_in(design: Design | None, values: Mapping[str, Any]) -> dict[str, Any]:
    """Return the values that a design does not say anyway."""
    return {place: value for place, value in values.items() if design is None or not same_value(design, place, value)}


def same_value(design: Design, place: str, value: Any) -> bool:
    """Return whether a design says a value at a place; no, where it has no such place."""
    try:
        return bool(value_at(design, place) == value)
    except RamulusError:
        return False


def said_of(value: Any) -> str:
    """Return a value in a few letters."""
    if isinstance(value, int | float):
        return f"{value:.12g}"
    text = str(value)
    return text if len(text) <= LONGEST_SAID else f"{text[: LONGEST_SAID - 1]}…"
