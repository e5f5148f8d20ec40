"""The calendar: on which weekday it starts."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import AfterValidator, Field

from ramulus.design.base import Model, _mistake

Weekday = Literal["mon", "tue", "wed", "thu", "fri", "sat", "sun"]
WEEKDAYS: tuple[Weekday, ...] = ("mon", "tue", "wed", "thu", "fri", "sat", "sun")


def _each_once(days: list[Weekday]) -> list[Weekday]:
    if len(set(days)) < len(days):
        raise _mistake(f"{', '.join(days)} names a day twice", "each weekday once")
    return days


SomeWeekdays = Annotated[list[Weekday], Field(min_length=1), AfterValidator(_each_once)]


class Calendar(Model):
    """Where calendar days are counted from."""

    starts_on: Weekday = "mon"
    """The weekday of day 1."""
