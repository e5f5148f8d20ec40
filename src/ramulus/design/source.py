"""Sources: what awards XP."""

from __future__ import annotations

from typing import Annotated, Self

from pydantic import ConfigDict, Field, model_validator

from ramulus.design.base import (
    MOST_COUNT,
    Level,
    LevelOrFormula,
    Model,
    NotNegative,
    NumberOrFormula,
    PlainName,
    _formula_name,
    _mistake,
    _number_or_formula,
    _xp_amount,
    ordered,
)
from ramulus.design.xp import Xp


class Source(Model):
    """What awards XP: an opponent, a quest, a pick-up, an action. Further numbers are the author's own."""

    model_config = ConfigDict(extra="allow", json_schema_extra={
        "additionalProperties": {"type": ["number", "string"], "maxLength": 2000}
    })  # fmt: skip

    level: LevelOrFormula
    """The source's own level: a number, or a formula of the player's `level`, rounded down."""
    xp: Xp
    """XP on success: a number, a formula of `level` and `source_level`, {low, high}, or {one_of}."""
    from_level: Level | None = None
    """The first player level at which it is open."""
    to_level: Level | None = None
    """The last player level at which it is open."""
    weight: NotNegative = 1
    """How often it is met, against the others."""
    limit: Annotated[int, Field(ge=1, le=MOST_COUNT)] | None = None
    """How many successes a player can have at it."""
    limit_per_day: Annotated[int, Field(ge=1, le=MOST_COUNT)] | None = None
    """How many of them in one play day."""
    limit_per_week: Annotated[int, Field(ge=1, le=MOST_COUNT)] | None = None
    """How many of them in one calendar week, counted from day 1."""
    tags: list[str] = []
    """Words that multipliers can select it by."""
    skill: PlainName | None = None
    """The skill track that it practises."""
    skill_xp: NumberOrFormula | None = None
    """XP for that skill on success; a failure pays it at `xp_share`."""
    skills: dict[PlainName, NumberOrFormula] = {}
    """Several skills that it practises, each with its XP; instead of `skill` and `skill_xp`."""
    seconds: NumberOrFormula | None = None
    """Its own time, before the encounter's."""
    success: NumberOrFormula | None = None
    """Its own chance of success, before the encounter's."""

    @property
    def limits(self) -> tuple[int, int, int]:
        """The most successes ever, in a play day and in a week; 0 for no limit."""
        return self.limit or 0, self.limit_per_day or 0, self.limit_per_week or 0

    @property
    def limits_in_words(self) -> str:
        """How often it can be met with success: 6 times, 2 times a day; "" without a limit."""
        spans = ("", " a play day", " a week")
        return ", ".join(f"{limit} times{span}" for limit, span in zip(self.limits, spans, strict=True) if limit)

    @property
    def practised(self) -> dict[str, float | str]:
        """The skills that it practises, each with its XP: a number or a formula."""
        return {self.skill: self.skill_xp or 0} if self.skill is not None else dict(self.skills)

    def skill_xp_place(self, name: str, skill: str) -> str:
        """Return where the XP of a skill stands in the file, for the source of a name."""
        return f"sources.{name}.{'skill_xp' if self.skill is not None else f'skills.{skill}'}"

    @property
    def numbers(self) -> dict[str, float | str]:
        """The author's own numbers: each a number or a formula of `level` and `source_level`."""
        return dict(self.__pydantic_extra__ or {})

    @model_validator(mode="after")
    def _consistent(self) -> Self:
        for name, value in self.numbers.items():
            _formula_name(name)
            _own_number(name, value)
        ordered(self, "from_level", "to_level", "is past", "source-never-open")
        if (self.skill is None) != (self.skill_xp is None):
            raise _mistake("only one of 'skill' and 'skill_xp'", "both, or neither", "incomplete-pair")
        if self.skill is not None and self.skills:
            raise _mistake("'skill' and 'skills' together", "one of them", "incomplete-pair")
        for amount in self.practised.values():
            if not isinstance(amount, str):
                _xp_amount(amount)
        return self


def _own_number(name: str, value: object) -> None:
    if isinstance(value, bool) or not isinstance(value, int | float | str):
        raise _mistake(f"{name} = {value!r} is not a number", "a number, or a formula of level and source_level")
    _number_or_formula(value)
