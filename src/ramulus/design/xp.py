"""Kinds of XP a source can award: a fixed amount, a range of whole numbers, one of several amounts.

A new kind is a class here, how it is tabulated in `rules/xp_laws.py`, and a row in the documentation.
"""

from __future__ import annotations

from typing import Annotated, Any, ClassVar, Self

from pydantic import Field, PlainSerializer, PlainValidator, model_validator

from ramulus.design.base import MOST_XP, Model, XpAmount, _mistake, _number_or_formula, _xp_amount, ordered
from ramulus.design.described import OneOf

XpCount = Annotated[int, Field(ge=0, le=MOST_XP)]


class XpKind(Model):
    """A kind of XP that is a table in the file; the table that has its `key` is of this kind."""

    key: ClassVar[str]
    kinds: ClassVar[dict[str, type[XpKind]]] = {}

    @classmethod
    def __pydantic_init_subclass__(cls, **_: Any) -> None:
        cls.kinds[cls.key] = cls


class XpRange(XpKind):
    """A whole number of XP, every one from `low` to `high` equally likely, both ends included."""

    key = "low"
    low: XpCount
    """The least XP."""
    high: XpCount
    """The most XP."""

    @model_validator(mode="after")
    def _in_order(self) -> Self:
        ordered(self, "low", "high", "is above", "xp-range")
        return self


class XpChoice(XpKind):
    """One of several amounts of XP, each with its chance."""

    key = "one_of"
    one_of: Annotated[list[Annotated[list[XpAmount], Field(min_length=2, max_length=2)]], Field(min_length=1)]
    """[xp, chance] pairs; the chances add up to 1."""

    @model_validator(mode="after")
    def _chances_add_up(self) -> Self:
        total = sum(chance for _, chance in self.one_of)
        if abs(total - 1) > 1e-9:
            raise _mistake(f"the chances of one_of add up to {total:.12g}", "chances that add up to 1", "chances")
        return self


def _xp(value: Any) -> Any:
    if isinstance(value, XpKind):
        return value
    if isinstance(value, dict):
        return kind_of_xp(value).model_validate(value)
    number = _number_or_formula(value)
    return number if isinstance(number, str) else _xp_amount(number)


def kind_of_xp(value: dict[str, Any]) -> type[XpKind]:
    """Return the class of a table of XP, by the key that tells; without one, the range's mistakes are shown."""
    return next((kind for key, kind in reversed(XpKind.kinds.items()) if key in value), XpRange)


_XP_DUMP = PlainSerializer(lambda xp: xp.model_dump() if isinstance(xp, Model) else xp, return_type=Any)
Xp = Annotated[
    float | str | XpKind,
    PlainValidator(_xp),
    _XP_DUMP,
    OneOf(XpKind.kinds, "XP: a number, a formula, or a table with", ("number", "string")),
]
