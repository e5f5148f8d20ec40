"""Traits: numbers of a kind of player, the same for all, by level, or spread over its players by ability."""

from __future__ import annotations

from typing import Annotated, Any, Literal, Self

from pydantic import PlainSerializer, PlainValidator, model_validator

from ramulus.design.base import Model, NotNegative, Number, _mistake, _number_or_formula, ordered
from ramulus.design.described import OneOf

WITHIN_SDS = 6  # Of a normal, less than 1 in 500 million lies farther from its mean than so many sd.


class VaryingTrait(Model):
    """A trait that differs from player to player: normal, cut off at its ends, taken at the player's ability."""

    mean: Number
    """The mean of the normal before it is cut off."""
    sd: NotNegative
    """Its standard deviation; 0 gives everyone the mean."""
    at_least: Number | None = None
    """The lower end, where it is cut off."""
    at_most: Number | None = None
    """The upper end, where it is cut off."""
    better: Literal["high", "low"] = "high"
    """Which end able players have."""

    @model_validator(mode="after")
    def _leaves_something(self) -> Self:
        ordered(self, "at_least", "at_most", "is above")
        reach = WITHIN_SDS * self.sd
        for key, outside, side in (
            ("at_least", self.at_least is not None and self.at_least > self.mean + reach, "below"),
            ("at_most", self.at_most is not None and self.at_most < self.mean - reach, "above"),
        ):
            if outside:
                of = f"mean {self.mean!r} and sd {self.sd!r}"
                found = f"{key} {getattr(self, key)!r} leaves nothing of a normal with {of}: all of it lies {side}"
                raise _mistake(found, f"ends within {WITHIN_SDS} sd of the mean", "trait-empty")
        return self


def _trait(value: Any) -> Any:
    if isinstance(value, VaryingTrait):
        return value
    if isinstance(value, dict):
        return VaryingTrait.model_validate(value)
    return _number_or_formula(value)


_DUMP = PlainSerializer(
    lambda trait: trait.model_dump(exclude_unset=True) if isinstance(trait, Model) else trait, return_type=Any
)
Trait = Annotated[
    float | str | VaryingTrait,
    PlainValidator(_trait),
    _DUMP,
    OneOf({"mean": VaryingTrait}, "A trait: a number, a formula of level, or a table with", ("number", "string")),
]
