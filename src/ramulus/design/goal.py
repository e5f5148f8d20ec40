"""Goals: what the designer wishes of pace, each kind with a key of its own.

A new kind is a class here, how it is judged in a file of `goals`, and a row in the documentation.
"""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Self

from pydantic import Field, PlainSerializer, PlainValidator, model_validator

from ramulus.design.base import MOST_COUNT, Level, Model, PlainName, Positive, Share, _mistake, ordered
from ramulus.design.described import OneOf

EVERYONE = "everyone"
Quantile = Annotated[float, Field(gt=0, lt=1)]
Days = Annotated[int, Field(ge=1, le=MOST_COUNT)]


class Goal(Model):
    """A wish; the table that has its `key` is of this kind.

    Attributes:
        key: the key that tells the kind.
        tolerates: the tolerance where the author gives none: a tenth, or nothing where the wish has one side.
    """

    key: ClassVar[str]
    tolerates: ClassVar[float]
    kinds: ClassVar[dict[str, type[Goal]]] = {}

    player: PlainName
    """The player profile, or "everyone": the population by shares."""
    track: PlainName | None = None
    """The track (default: the main one)."""
    tolerance: Annotated[Share, Field(le=1)] | None = None
    """How far off is still met, as a share of the wish (default: 0.1; where a wish has one side, 0)."""
    weight: Positive = 1
    """How much tuning minds it against the other goals."""
    must: bool = False
    """Whether tuning never trades it for others, and says by its exit status where it stays missed."""

    @classmethod
    def __pydantic_init_subclass__(cls, **_: Any) -> None:
        if "key" in cls.__dict__:
            cls.kinds[cls.key] = cls

    @property
    def wish(self) -> float:
        """What is wished."""
        return float(getattr(self, self.key))

    @property
    def allowance(self) -> float:
        """The tolerance, as a share of the wish."""
        return self.tolerates if self.tolerance is None else float(self.tolerance)


class PaceGoal(Goal):
    """A wish for a quantile of the players."""

    tolerates = 0.1
    quantile: Quantile = 0.5
    """Which player it is about: 0.5 the median one, 0.9 the slow tenth."""


class HoursGoal(PaceGoal):
    """Played hours to a level, or from one level to another."""

    key = "hours"
    hours: Positive
    """Played hours in which to get there."""
    level: Level | None = None
    """The level to reach."""
    from_level: Level | None = None
    """The level from which hours count, instead of the start."""
    to_level: Level | None = None
    """The level up to which they count."""

    @model_validator(mode="after")
    def _one_way(self) -> Self:
        between = self.from_level is not None and self.to_level is not None
        if (self.level is not None) + (self.from_level is not None or self.to_level is not None) != 1 or (
            self.level is None and not between
        ):
            raise _mistake(
                "no 'level' to reach, or more than one way to say it", "'level', or 'from_level' and 'to_level'"
            )
        if between and self.from_level == self.to_level:
            raise _mistake(f"from level {self.from_level} to itself", "from_level < to_level")
        ordered(self, "from_level", "to_level", "is past")
        return self


class DaysGoal(PaceGoal):
    """The calendar day on which a level is reached."""

    key = "days"
    days: Days
    """The calendar day on which to get there; day 1 is the first."""
    level: Level
    """The level to reach."""


class LongestLevelGoal(PaceGoal):
    """The most hours that any one level may take."""

    key = "longest_level_hours"
    tolerates = 0.0
    longest_level_hours: Positive
    """The most played hours within any one level."""
    from_level: Level | None = None
    """The first level that counts."""
    to_level: Level | None = None
    """The last level that counts."""

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        ordered(self, "from_level", "to_level", "is past")
        return self


class RatioGoal(PaceGoal):
    """Hours to a level over those of another profile."""

    key = "ratio"
    ratio: Positive
    """The hours to the level, over those of the other profile."""
    level: Level
    """The level to reach."""
    compared_with: PlainName
    """The other profile."""


class ReachedGoal(Goal):
    """At least a share of the players at a level by some hours or day."""

    key = "reached"
    tolerates = 0.0
    reached: Share
    """The share of players who are to be there."""
    level: Level
    """The level to reach."""
    by_hours: Positive | None = None
    """By how many played hours."""
    by_day: Days | None = None
    """By the end of which calendar day."""

    @model_validator(mode="after")
    def _one_way(self) -> Self:
        if (self.by_hours is None) == (self.by_day is None):
            raise _mistake("not exactly one of 'by_hours' and 'by_day'", "one of them", "incomplete-pair")
        return self


class StillPlayingGoal(Goal):
    """At least a share of the players who have not quit by the end of a day, or before a level."""

    key = "still_playing"
    tolerates = 0.0
    still_playing: Share
    """The share of players who are not to quit."""
    by_day: Days | None = None
    """By the end of which calendar day."""
    level: Level | None = None
    """Before reaching which level."""

    @model_validator(mode="after")
    def _one_way(self) -> Self:
        if (self.level is None) == (self.by_day is None):
            raise _mistake("not exactly one of 'by_day' and 'level'", "one of them", "incomplete-pair")
        return self


class WastedGoal(Goal):
    """At most a share of all XP wasted."""

    key = "wasted"
    tolerates = 0.0
    wasted: Share
    """The share of all XP awarded that may be lost at thresholds and the cap."""


def _goal(value: Any) -> Any:
    if isinstance(value, Goal):
        return value
    if not isinstance(value, dict):
        raise _mistake(f"{value!r} is not a table", "a table of keys and values")
    return kind_of_goal(value).model_validate(value)


def kind_of_goal(value: dict[str, Any]) -> type[Goal]:
    """Return the class of a goal's table, by the key that tells; without one, the mistakes of hours are shown."""
    return next((kind for key, kind in Goal.kinds.items() if key in value), HoursGoal)


SomeGoal = Annotated[
    Goal,
    PlainValidator(_goal),
    PlainSerializer(lambda goal: goal.model_dump(exclude_unset=True), return_type=Any),
    OneOf(Goal.kinds, "A goal"),
]
