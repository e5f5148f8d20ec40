"""Player profiles, parties and goals."""

from __future__ import annotations

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from ramulus.design.base import (
    FormulaName,
    Level,
    Model,
    NotNegative,
    Number,
    PlainName,
    Positive,
    _mistake,
    number_up_to,
)
from ramulus.design.calendar import SomeWeekdays


class Player(Model):
    """One kind of player: skill, pace and schedule."""

    share: NotNegative = 1
    """The share of the population; shares are taken relative to their sum."""
    traits: dict[FormulaName, Number] = {}
    """Numbers of this kind of player, usable in formulas."""
    seconds_between: NotNegative = 0
    """Seconds between encounters."""
    spread: Annotated[NotNegative, Field(le=5), number_up_to(5)] = 0
    """How far players of this kind differ in speed: sigma of a log-normal factor with median 1."""
    hours_per_day: Annotated[Positive, Field(le=24), number_up_to(24, above_zero=True)] | None = None
    """Hours played on a play day."""
    days_per_week: Annotated[int, Field(ge=1, le=7)] | None = None
    """Play days a week, spread evenly over it, on other weekdays for every next fifteen players."""
    plays_on: SomeWeekdays | None = None
    """The weekdays on which all of this kind play, instead of `days_per_week`."""
    spends: list[PlainName] = []
    """The order in which points are spent on upgrades, repeated."""

    @property
    def has_schedule(self) -> bool:
        """Whether played hours can be placed on calendar days."""
        return self.hours_per_day is not None

    @model_validator(mode="after")
    def _whole_schedule(self) -> Self:
        for key in ("days_per_week", "plays_on"):
            if getattr(self, key) is not None and self.hours_per_day is None:
                raise _mistake(f"{key!r} without 'hours_per_day'", "both, or neither", "incomplete-pair")
        if self.days_per_week is not None and self.plays_on is not None:
            raise _mistake("'days_per_week' and 'plays_on' together", "one of them", "incomplete-pair")
        return self


class Member(Model):
    """One member of a party."""

    player: PlainName
    """The player profile."""
    start_level: Level | None = None
    """The level at which the member joins (default: the track's start level)."""


class Party(Model):
    """Players who share every encounter."""

    members: Annotated[dict[PlainName, Member], Field(min_length=1)]
    """The members, by name."""
    share: Literal["each", "split"] = "each"
    """Whether each member gets the full award, or an equal part."""
    leader: PlainName = "highest"
    """Whom bands measure against: a member, or "highest"."""
    hold_below_leader: bool = False
    """Whether a boosted award is cut so that it never lifts a member past the leader."""

    @model_validator(mode="after")
    def _known_leader(self) -> Self:
        if self.leader != "highest" and self.leader not in self.members:
            raise _mistake(f"leader {self.leader!r} is no member", "highest, " + ", ".join(self.members))
        return self


class Goal(Model):
    """Where the pace should be."""

    player: PlainName
    """The player profile."""
    level: Level
    """The level to reach."""
    hours: Positive
    """Played hours in which to reach it."""
    within: Positive = 0.1
    """How far off is still met, as a share of the hours."""
