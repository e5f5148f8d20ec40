"""Sources: what awards XP."""

from __future__ import annotations

from typing import Annotated, Any, Self

from pydantic import ConfigDict, Field, PlainSerializer, PlainValidator, WithJsonSchema, model_validator

from ramulus.design.base import (
    MOST_COUNT,
    MOST_XP,
    Level,
    Model,
    NotNegative,
    NumberOrFormula,
    PlainName,
    XpAmount,
    _formula_name,
    _mistake,
    _number_or_formula,
    _xp_amount,
)

XpCount = Annotated[int, Field(ge=0, le=MOST_XP)]


class XpRange(Model):
    """A whole number of XP, every one from `low` to `high` equally likely, both ends included."""

    low: XpCount
    """The least XP."""
    high: XpCount
    """The most XP."""

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        if self.low > self.high:
            raise _mistake(f"low {self.low} is above high {self.high}", "low ≤ high", "xp-range")
        return self


class XpChoice(Model):
    """One of several amounts of XP, each with its chance."""

    one_of: Annotated[list[Annotated[list[XpAmount], Field(min_length=2, max_length=2)]], Field(min_length=1)]
    """[xp, chance] pairs; the chances add up to 1."""

    @model_validator(mode="after")
    def _chances_add_up(self) -> Self:
        total = sum(chance for _, chance in self.one_of)
        if abs(total - 1) > 1e-9:
            raise _mistake(f"the chances of one_of add up to {total:.12g}", "chances that add up to 1", "chances")
        return self


def _xp(value: Any) -> Any:
    if isinstance(value, XpRange | XpChoice):
        return value
    if isinstance(value, dict):
        return (XpChoice if "one_of" in value else XpRange).model_validate(value)
    number = _number_or_formula(value)
    return number if isinstance(number, str) else _xp_amount(number)


_XP_SCHEMA: dict[str, Any] = {
    "anyOf": [
        {"type": "number", "minimum": 0},
        {"type": "string", "maxLength": 2000},
        {**XpRange.model_json_schema()},
        {**XpChoice.model_json_schema()},
    ]
}
_XP_DUMP = PlainSerializer(lambda xp: xp.model_dump() if isinstance(xp, Model) else xp, return_type=Any)
Xp = Annotated[float | str | XpRange | XpChoice, PlainValidator(_xp), _XP_DUMP, WithJsonSchema(_XP_SCHEMA)]


class Source(Model):
    """What awards XP: an opponent, a quest, a pick-up, an action. Further numbers are the author's own."""

    model_config = ConfigDict(extra="allow", json_schema_extra={
        "additionalProperties": {"anyOf": [{"type": "number"}, {"type": "string", "maxLength": 2000}]}
    })  # fmt: skip

    level: Level
    """The source's own level."""
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
    tags: list[str] = []
    """Words that multipliers can select it by."""
    skill: PlainName | None = None
    """The skill track that it practises."""
    skill_xp: NumberOrFormula | None = None
    """XP for that skill on success."""
    seconds: NumberOrFormula | None = None
    """Its own time, before the encounter's."""
    success: NumberOrFormula | None = None
    """Its own chance of success, before the encounter's."""

    @property
    def numbers(self) -> dict[str, float | str]:
        """The author's own numbers: each a number or a formula of `source_level`."""
        return dict(self.__pydantic_extra__ or {})

    @model_validator(mode="after")
    def _consistent(self) -> Self:
        for name, value in self.numbers.items():
            _formula_name(name)
            _own_number(name, value)
        if self.from_level is not None and self.to_level is not None and self.from_level > self.to_level:
            found = f"from_level {self.from_level} is past to_level {self.to_level}"
            raise _mistake(found, "from_level ≤ to_level", "source-never-open")
        if (self.skill is None) != (self.skill_xp is None):
            raise _mistake("only one of 'skill' and 'skill_xp'", "both, or neither", "incomplete-pair")
        if self.skill_xp is not None and not isinstance(self.skill_xp, str):
            _xp_amount(self.skill_xp)
        return self


def _own_number(name: str, value: Any) -> None:
    if isinstance(value, bool) or not isinstance(value, int | float | str):
        raise _mistake(f"{name} = {value!r} is not a number", "a number, or a formula of source_level")
    _number_or_formula(value)
