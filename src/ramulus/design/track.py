"""Tracks: what gains experience, what its levels cost, and what an award does at a threshold."""

from __future__ import annotations

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from ramulus.design.base import (
    Between,
    FormulaText,
    Gives,
    Level,
    Model,
    NotNegative,
    Number,
    NumberOrFormula,
    Points,
    Rounding,
    Share,
    _mistake,
)

WAYS = ("formula", "next", "values", "file", "points", "level_from_xp")


class CostWay(Model):
    """The ways to state level costs; exactly one of formula, next, values, file, points, level_from_xp."""

    formula: FormulaText | None = None
    """Cost (or total) by `level`: the level being left for a cost, being reached for a total."""
    first: Number | None = None
    """The first cost, for `next`."""
    next: FormulaText | None = None
    """The cost of a level from the one before: a formula of `previous` and `level`."""
    round_each_step: bool = False
    """Whether the rounded value feeds on (default: the exact one does)."""
    values: list[Number] | None = None
    """The costs (or totals) one by one."""
    file: str | None = None
    """A CSV, JSON, XLSX or Parquet file with columns `level` and `cost` or `total`."""
    sheet: str | None = None
    """The sheet of an XLSX file (default: the first)."""
    points: Points | None = None
    """A few [level, xp] pairs on the curve."""
    between: Between = "straight"
    """How to go from point to point."""
    level_from_xp: FormulaText | None = None
    """The level as a formula of total XP earned, `xp`."""
    gives: Gives = "cost"
    """Whether the numbers are costs of one level or totals from nothing."""
    beyond: Literal["error", "hold"] = "error"
    """What holds past the last value or point: nothing (an error), or the last cost."""

    @property
    def way(self) -> str:
        """Which of the ways is used; "" for segments."""
        return next((way for way in WAYS if getattr(self, way) is not None), "")

    @model_validator(mode="after")
    def _one_way(self) -> Self:
        given = [way for way in WAYS if getattr(self, way) is not None]
        if getattr(self, "segments", None) is not None:
            given.append("segments")
        allowed = "exactly one of " + ", ".join(WAYS) + (", segments" if isinstance(self, Cost) else "")
        if len(given) != 1:
            raise _mistake(" and ".join(given) + " together" if given else "no costs are stated", allowed, "cost-way")
        if self.next is None and (self.first is not None or self.round_each_step):
            raise _mistake("'first' and 'round_each_step' without 'next'", "only together with 'next'", "cost-way")
        return self


class Segment(CostWay):
    """A part of the levels with a way of its own."""

    from_level: Level
    """The first level whose cost this segment states."""


class Cost(CostWay):
    """What each level costs."""

    segments: Annotated[list[Segment], Field(min_length=1)] | None = None
    """Ways that follow one another; each holds until the next starts."""
    at_least: Number | None = None
    """The lowest cost of a level."""
    at_most: Number | None = None
    """The highest cost of a level."""
    rounding: Rounding = "down"
    """How costs (or totals, where those are stated) become whole."""

    @model_validator(mode="after")
    def _needs_first(self) -> Self:
        if self.next is not None and self.first is None:
            raise _mistake("'next' without 'first'", "'first': the cost of the first level", "cost-way")
        if self.at_least is not None and self.at_most is not None and self.at_least > self.at_most:
            raise _mistake(f"at_least {self.at_least} is above at_most {self.at_most}", "at_least ≤ at_most")
        return self


class Overflow(Model):
    """What happens to an award at the threshold of a level and at the cap."""

    carry: Share = 1.0
    """The share of the XP past a threshold that is kept."""
    carry_limit: NotNegative | None = None
    """The most that is kept, as a share of the next level's cost."""
    threshold: Literal["reached", "exceeded"] = "reached"
    """Whether XP equal to the cost is enough."""
    level_ups_per_award: Literal["any", "one"] = "any"
    """Whether one award may raise several levels."""
    whole_xp: bool = True
    """Whether what is kept at a threshold is rounded down to whole XP."""
    at_cap: Literal["discard", "fill", "bank"] = "discard"
    """What XP at the cap does: nothing, fill the last bar and stay, or keep counting."""


class Track(Model):
    """A thing that gains experience and levels: a character, or one skill of it."""

    start_level: Level = 1
    """The level at the start."""
    max_level: Level
    """The cap."""
    start_xp: NotNegative = 0
    """XP inside the start level at the start."""
    start_points: NotNegative = 0
    """Points to spend at the start."""
    points_per_level: NumberOrFormula = 0
    """Points granted at each level-up: a number, or a formula of the `level` reached."""
    may_drop_levels: bool = False
    """Whether a loss can take levels away."""
    cost: Cost
    """What each level costs."""
    overflow: Overflow = Overflow()
    """What happens at a threshold and at the cap."""

    @model_validator(mode="after")
    def _rises(self) -> Self:
        if self.max_level <= self.start_level:
            raise _mistake(
                f"max_level {self.max_level} is not above start_level {self.start_level}",
                "max_level > start_level",
            )
        if self.max_level - self.start_level > 1_000_000:
            raise _mistake(f"{self.max_level - self.start_level:,} levels", "at most 1,000,000")
        return self
