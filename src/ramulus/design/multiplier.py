"""Multipliers: what scales an award, where, when, and how they stack."""

from __future__ import annotations

from typing import Annotated, Literal, Self

from pydantic import Field, model_validator

from ramulus.design.base import FormulaText, Level, Model, Number, NumberOrFormula, PlainName, _mistake, ordered
from ramulus.design.calendar import SomeWeekdays

XP_TODAY, XP_THIS_WEEK, SUCCESSES_TODAY, SUCCESSES = "xp_today", "xp_this_week", "successes_today", "successes"
COUNTED = (XP_TODAY, XP_THIS_WEEK, SUCCESSES_TODAY, SUCCESSES)
"""What `against` may name of what was done: XP of the track awarded, or successes at the source."""
Band = Annotated[list[Number], Field(min_length=2, max_length=2)]


class Multiplier(Model):
    """One rule that scales awards."""

    name: Annotated[str, Field(min_length=1)]
    """What it is called in tables and chains."""
    factor: NumberOrFormula | None = None
    """The factor: a number or a formula."""
    bands: Annotated[list[Band], Field(min_length=1)] | None = None
    """[up_to, factor] pairs: the first whose up_to ≥ `against` applies; past the last: 1."""
    against: FormulaText | None = None
    """What the bands are read at: a formula, or one of `xp_today`, `xp_this_week`, `successes_today`, `successes`."""
    tracks: list[PlainName] | None = None
    """The tracks it scales (default: all)."""
    sources: list[PlainName] | None = None
    """The sources it scales (default: all)."""
    tags: list[str] | None = None
    """Scales only sources with one of these tags."""
    players: list[PlainName] | None = None
    """The player profiles it applies to (default: all)."""
    from_level: Level | None = None
    """The first player level at which it applies."""
    to_level: Level | None = None
    """The last player level at which it applies."""
    from_day: Annotated[int, Field(ge=1, le=1_000_000)] | None = None
    """The first calendar day on which it applies; the first day is 1."""
    to_day: Annotated[int, Field(ge=1, le=1_000_000)] | None = None
    """The last calendar day on which it applies."""
    every: Annotated[int, Field(ge=2, le=1_000_000)] | None = None
    """After how many days the days from `from_day` to `to_day` come again, and again (default: never)."""
    weekdays: SomeWeekdays | None = None
    """The weekdays on which it applies."""
    first_minutes_of_day: Annotated[Number, Field(gt=0)] | None = None
    """Applies only in the first played minutes of each play day."""
    stack: Literal["multiply", "add", "best"] = "multiply"
    """How it stacks: multiplies; adds its bonus to the other "add" rules; or only the largest "best" counts."""

    @property
    def counts(self) -> str | None:
        """What was done that its bands are read at: one of COUNTED, or None."""
        return self.against if self.against in COUNTED else None

    def scales(self, track: str) -> bool:
        """Whether it may scale awards to a track."""
        return self.tracks is None or track in self.tracks

    @property
    def timed(self) -> bool:
        """Whether it applies only at certain hours."""
        keys = ("from_day", "to_day", "weekdays", "first_minutes_of_day")
        return any(getattr(self, key) is not None for key in keys)

    @model_validator(mode="after")
    def _consistent(self) -> Self:
        if (self.factor is None) == (self.bands is None):
            raise _mistake(
                "'factor' and 'bands' together" if self.bands else "no factor",
                "one of factor, bands",
                "incomplete-pair",
            )
        if (self.bands is None) != (self.against is None):
            raise _mistake("only one of 'bands' and 'against'", "both, or neither", "incomplete-pair")
        if not isinstance(self.factor, str) and self.factor is not None and self.factor < 0:
            raise _mistake(f"the factor {self.factor!r} is below 0", "0 or more", "negative-factor")
        if any(factor < 0 for _, factor in self.bands or []):
            raise _mistake("a band's factor below 0", "0 or more", "negative-factor")
        ordered(self, "from_level", "to_level", "is past")
        ordered(self, "from_day", "to_day", "is past")
        self._comes_again()
        return self

    def _comes_again(self) -> None:
        if self.every is None:
            return
        if self.from_day is None or self.to_day is None:
            raise _mistake("'every' without 'from_day' and 'to_day'", "all three", "incomplete-pair")
        days = self.to_day - self.from_day + 1
        if self.every <= days:
            raise _mistake(f"every {self.every} days, and it lasts {days}", f"every = {days + 1} or more")
