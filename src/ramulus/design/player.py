"""Player profiles and parties."""

from __future__ import annotations

from typing import Annotated, Any, Literal, Self

from pydantic import AfterValidator, Field, PlainSerializer, PlainValidator, WithJsonSchema, model_validator

from ramulus.design.base import (
    MOST_COUNT,
    FormulaName,
    Level,
    Model,
    NotNegative,
    Number,
    NumberOrFormula,
    PlainName,
    Share,
    XpAmount,
    _mistake,
    number_up_to,
)
from ramulus.design.calendar import SomeWeekdays
from ramulus.design.trait import Trait
from ramulus.errors import shortly

MOST_PURSUIT = 1000
MOST_ARRIVAL_DAY = 100_000
SHORTEST_DAY = 1e-6  # Hours: played time is counted in millionths of a second, and a day has thousands of them.


def _pursuit(value: Any) -> float | str:
    if value == BEST:
        return BEST
    if isinstance(value, bool) or not isinstance(value, int | float) or not 0 <= value <= MOST_PURSUIT:
        nearest = BEST if isinstance(value, str) else None
        raise _mistake(f"{shortly(value)} is no pursuit", f'0 … {MOST_PURSUIT}, or "{BEST}"', nearest=nearest)
    return value


def _some_hours(value: float | str) -> float | str:
    if not isinstance(value, str) and value <= 0:
        raise _mistake(f"{value!r} is not above 0", "hours above 0, or a formula of level")
    return value


BEST = "best"
Pursuit = Annotated[
    float | str,
    PlainValidator(_pursuit),
    PlainSerializer(lambda value: value, return_type=Any),
    WithJsonSchema({"anyOf": [{"type": "number", "minimum": 0, "maximum": MOST_PURSUIT}, {"const": BEST}]}),
]


def _retention(points: list[list[float]]) -> list[list[float]]:
    """Refuse a retention table whose days do not rise, or whose shares do."""
    day, share = 0.0, 1.0
    for index, (next_day, next_share) in enumerate(points):
        where = f"item {index} is [{next_day!r}, {next_share!r}]"
        if next_day != int(next_day) or not day < next_day <= MOST_COUNT:
            raise _mistake(f"{where}: day {next_day!r} after day {day:g}", "whole calendar days that rise, from 1 on")
        if not 0 < next_share <= 1:
            raise _mistake(f"{where}: share {next_share!r}", "shares above 0, at most 1")
        if next_share > share:
            found = f"{where}: the share rises from {share!r} to {next_share!r}"
            raise _mistake(found, "shares that stay or fall: who has quit does not come back", "retention-rises")
        day, share = next_day, next_share
    return points


def _arrivals(points: list[list[float]]) -> list[list[float]]:
    """Refuse a table of arrivals whose days or shares do not rise, or that does not end with everybody."""
    day, share = 0.0, 0.0
    for index, (next_day, next_share) in enumerate(points):
        where = f"item {index} is [{next_day!r}, {next_share!r}]"
        if next_day != int(next_day) or not day < next_day <= MOST_ARRIVAL_DAY:
            allowed = f"whole calendar days that rise, from 1 to {MOST_ARRIVAL_DAY:,}"
            raise _mistake(f"{where}: day {next_day!r} after day {day:g}", allowed)
        if not share <= next_share <= 1:
            raise _mistake(f"{where}: share {next_share!r} after {share!r}", "shares that rise or stay, up to 1")
        day, share = next_day, next_share
    if share != 1:
        raise _mistake(f"the last share is {share!r}", "1: everybody has come in the end")
    return points


ArrivalTable = Annotated[
    list[Annotated[list[Number], Field(min_length=2, max_length=2)]], Field(min_length=1), AfterValidator(_arrivals)
]
Retention = Annotated[
    list[Annotated[list[Number], Field(min_length=2, max_length=2)]], Field(min_length=1), AfterValidator(_retention)
]


class Player(Model):
    """One kind of player: skill, pace and schedule."""

    share: NotNegative = 1
    """The share of the population; shares are taken relative to their sum."""
    traits: dict[FormulaName, Trait] = {}
    """Numbers of this kind of player, usable in formulas: a number, a formula of `level`, or {mean, sd, …}."""
    pursuit: Pursuit = 0
    """How strongly they go after what pays: the power of a source's share of the best pay, or "best"."""
    skill_xp_worth: NotNegative = 0
    """What one XP of a skill is worth to them when they choose, in XP of the main track."""
    seconds_between: NotNegative = 0
    """Seconds between encounters."""
    start_level: Level | None = None
    """The level of the main track at which they start (default: the track's)."""
    start_xp: XpAmount | None = None
    """XP inside that level at the start (default: the track's, or 0 with a `start_level`)."""
    start_points: XpAmount | None = None
    """Points to spend at the start, instead of the track's; those of levels below the start come on top."""
    spread: Annotated[NotNegative, Field(le=5), number_up_to(5)] = 0
    """How far players of this kind differ in speed: sigma of a log-normal factor with median 1."""
    hours_per_day: Annotated[Number, Field(ge=SHORTEST_DAY, le=24), number_up_to(24, SHORTEST_DAY)] | None = None
    """Hours played on a play day."""
    days_per_week: Annotated[int, Field(ge=1, le=7)] | None = None
    """Play days a week, spread evenly over it, on other weekdays for each next player."""
    plays_on: SomeWeekdays | None = None
    """The weekdays on which all of this kind play, instead of `days_per_week`."""
    arrives: ArrivalTable | None = None
    """[calendar day, share come by its end] pairs, evenly between (default: all come on day 1)."""
    stays: Retention | None = None
    """[own day, share still playing at its end] pairs; between them the chance to quit per day is constant."""
    quit_chance_per_play_day: Share | None = None
    """The chance to quit at the end of each play day, instead of `stays`."""
    patience_hours_per_level: Annotated[NumberOrFormula, AfterValidator(_some_hours)] | None = None
    """Played hours on one level after which a player gives up: a number, or a formula of `level`."""
    patience_spread: Annotated[NotNegative, Field(le=5), number_up_to(5)] = 0
    """How far players differ in patience: sigma of a log-normal factor of their own with median 1."""
    spends: list[PlainName] = []
    """The order in which points are spent on upgrades, repeated."""

    @property
    def has_schedule(self) -> bool:
        """Whether played hours can be placed on calendar days."""
        return self.hours_per_day is not None

    @model_validator(mode="after")
    def _whole_schedule(self) -> Self:
        for key in ("days_per_week", "plays_on", "arrives"):
            if getattr(self, key) is not None and self.hours_per_day is None:
                raise _mistake(f"{key!r} without 'hours_per_day'", "both, or neither", "incomplete-pair")
        if self.days_per_week is not None and self.plays_on is not None:
            raise _mistake("'days_per_week' and 'plays_on' together", "one of them", "incomplete-pair")
        return self

    @property
    def can_quit(self) -> bool:
        """Whether players of this kind ever quit."""
        by_day = self.stays is not None or bool(self.quit_chance_per_play_day)
        return by_day or self.patience_hours_per_level is not None

    @model_validator(mode="after")
    def _knows_when_to_quit(self) -> Self:
        if self.stays is not None and self.quit_chance_per_play_day is not None:
            raise _mistake("'stays' and 'quit_chance_per_play_day' together", "one of them", "incomplete-pair")
        for key in ("stays", "quit_chance_per_play_day"):
            if getattr(self, key) is not None and self.hours_per_day is None:
                found = f"{key!r} without 'hours_per_day': without a schedule there are no days"
                raise _mistake(found, "both, or neither", "incomplete-pair")
        if self.patience_hours_per_level is None and self.patience_spread:
            found = "'patience_spread' without 'patience_hours_per_level'"
            raise _mistake(found, "both, or neither", "incomplete-pair")
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
