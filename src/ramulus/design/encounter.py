"""Encounters: one attempt at a source takes time, succeeds or fails, then awards."""

from __future__ import annotations

from typing import Annotated, Self

from pydantic import AfterValidator, Field, WithJsonSchema, model_validator

from ramulus.design.base import (
    FormulaName,
    Model,
    NotNegative,
    NumberOrFormula,
    Rounding,
    RoundingTo,
    Share,
    XpAmount,
    _mistake,
    number_up_to,
    rounded_to,
)

LEAST_VARIATION = 0.001


def _not_tiny(variation: float) -> float:
    """Refuse a variation that nobody could tell from none and that no gamma table holds."""
    if 0 < variation < LEAST_VARIATION:
        raise _mistake(f"{variation!r} varies nothing", f"0 for exact times, or {LEAST_VARIATION} … 20")
    return variation


_SHARE_OR_FORMULA = WithJsonSchema({"type": ["number", "string"], "minimum": 0, "maximum": 1, "maxLength": 2000})


def _some_share(value: float | str) -> float | str:
    if not isinstance(value, str) and not 0 <= value <= 1:
        raise _mistake(f"{value!r} is outside 0 … 1", "a share 0 … 1, or a formula of level")
    return value


class Rest(Model):
    """What a player does when a pool is empty."""

    seconds: NumberOrFormula
    """How long it lasts: a number, or a formula of `level`, `missing` (what all pools lack), stats and traits."""


class Failure(Model):
    """What a failed encounter costs and still pays."""

    extra_seconds: NotNegative = 0
    """Seconds that a failure adds."""
    xp_share: Share = 0
    """The share of the award that a failure still pays."""
    drain: dict[FormulaName, NumberOrFormula] = {}
    """What a failure takes of each pool, beside `encounter.drain`."""
    loss: Annotated[NumberOrFormula, AfterValidator(_some_share), _SHARE_OR_FORMULA] = 0
    """The share of the current level's cost that a failure takes: a number, or a formula of `level`."""


class Encounter(Model):
    """How long an attempt takes and how likely it succeeds, for every source."""

    seconds: NumberOrFormula | None = None
    """Seconds an attempt."""
    success: NumberOrFormula = 1
    """The chance of success, 0 … 1."""
    weight: NumberOrFormula = 1
    """How often a source is met, against the others; multiplies the source's own weight."""
    variation: Annotated[NotNegative, Field(le=20), AfterValidator(_not_tiny), number_up_to(20)] = 0
    """The coefficient of variation of the time of one encounter (gamma distributed, 0.001 … 20; 0 = exact)."""
    drain: dict[FormulaName, NumberOrFormula] = {}
    """What an attempt takes of each pool."""
    rest: Rest | None = None
    """What a player does when a pool is empty: it rests, and all are full."""
    failure: Failure = Failure()
    """What a failure costs and still pays."""
    show: dict[FormulaName, NumberOrFormula] = {}
    """Further columns of the effort table, each a formula."""


class Awards(Model):
    """How multiplied XP becomes an award."""

    rounding: Rounding = "down"
    """How an award becomes whole after its multipliers."""
    rounding_to: RoundingTo = None
    """A multiple of what it becomes, such as 10 (default: whole numbers)."""
    least_award: XpAmount = 0
    """The least a success awards."""

    @model_validator(mode="after")
    def _consistent(self) -> Self:
        rounded_to(self.rounding, self.rounding_to)
        return self
