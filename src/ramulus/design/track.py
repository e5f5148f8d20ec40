"""Tracks: what gains experience, what its levels cost, and what an award does at a threshold."""

from __future__ import annotations

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from ramulus.design.base import Level, Model, NotNegative, NumberOrFormula, Share, XpAmount, _mistake, number_up_to
from ramulus.design.cost_ways import AnyCost

MOST_CARRIED = 1000  # Levels' costs: far more than any excess is worth keeping.


class Overflow(Model):
    """What happens to an award at the threshold of a level and at the cap."""

    carry: Share = 1.0
    """The share of the XP past a threshold that is kept."""
    carry_limit: Annotated[NotNegative, Field(le=MOST_CARRIED), number_up_to(MOST_CARRIED)] | None = None
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
    start_xp: XpAmount = 0
    """XP inside the start level at the start."""
    start_points: XpAmount = 0
    """Points to spend at the start."""
    points_per_level: NumberOrFormula = 0
    """Points granted at each level-up: a number, or a formula of the `level` reached."""
    may_drop_levels: bool = False
    """Whether a loss can take levels away."""
    cost: AnyCost
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
