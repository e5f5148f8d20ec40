"""Stats that grow with level, and upgrades bought with points."""

from __future__ import annotations

from typing import Annotated, Self

from pydantic import Field, model_validator

from ramulus.design.base import (
    MOST_COUNT,
    Between,
    Beyond,
    FormulaText,
    Model,
    Number,
    PlainName,
    Points,
    Positive,
    Rounding,
    RoundingTo,
    _mistake,
    rounded_to,
)

GROWTHS = ("per_level", "growth", "formula", "values", "points")


class Stat(Model):
    """A number of the character that depends on its level; a `base` alone stays as it is."""

    track: PlainName | None = None
    """The track whose level it follows (default: the main one)."""
    base: Number | None = None
    """The value at the start level."""
    per_level: Number | None = None
    """What each level adds."""
    growth: Number | None = None
    """What each level multiplies by."""
    formula: FormulaText | None = None
    """A formula of `level`, `base`, `start_level`, other stats of the track and constants."""
    values: list[Number] | None = None
    """The values one by one, from the start level to the cap."""
    points: Points | None = None
    """A few [level, value] pairs."""
    between: Between = "straight"
    """How to go from point to point."""
    beyond: Beyond = "error"
    """What holds past the last value or outside the points: nothing (an error), or the nearest value ("hold")."""
    of: Annotated[str, Field(pattern="^base$")] | None = None
    """"base" where the points multiply the base."""
    at_least: Number | None = None
    """The lowest value."""
    at_most: Number | None = None
    """The highest value."""
    rounding: Rounding = "none"
    """How the value becomes whole."""
    rounding_to: RoundingTo = None
    """A multiple of what it becomes, such as 10 (default: whole numbers)."""
    pool: bool = False
    """Whether it is the size of a pool (such as health) that encounters drain and a rest fills."""
    refill_on_level_up: bool = False
    """Whether every level-up fills the pool."""

    @property
    def way(self) -> str:
        """How it grows: one of GROWTHS, or "" for a base that stays."""
        return next((way for way in GROWTHS if getattr(self, way) is not None), "")

    @model_validator(mode="after")
    def _one_way(self) -> Self:
        given = [way for way in GROWTHS if getattr(self, way) is not None]
        allowed = "exactly one of " + ", ".join(GROWTHS) + ", or a base alone"
        if len(given) > 1 or (not given and self.base is None):
            raise _mistake(" and ".join(given) + " together" if given else "no value is stated", allowed, "stat-way")
        if self.base is None and (self.way in ("per_level", "growth") or self.of == "base"):
            raise _mistake(f"{self.way!r} without 'base'", "'base': the value at the start level", "stat-way")
        rounded_to(self.rounding, self.rounding_to)
        if self.beyond != "error" and self.way not in ("values", "points"):
            raise _mistake("'beyond' without 'values' or 'points'", "only together with one of them", "stat-way")
        if self.of is not None and self.points is None:
            raise _mistake("'of' without 'points'", "only together with 'points'", "stat-way")
        return self


class Upgrade(Model):
    """What points buy: ranks that add to a stat or multiply it."""

    stat: PlainName
    """The stat it changes."""
    add: Number | None = None
    """What each rank adds."""
    factor: Positive | None = None
    """What each rank multiplies by."""
    price: Positive = 1
    """Points a rank."""
    max_rank: Annotated[int, Field(ge=1, le=MOST_COUNT)] | None = None
    """The most ranks (default: no end)."""

    @model_validator(mode="after")
    def _one_effect(self) -> Self:
        if (self.add is None) == (self.factor is None):
            both = "'add' and 'factor' together" if self.add is not None else "neither 'add' nor 'factor'"
            raise _mistake(both, "exactly one of add, factor")
        return self
