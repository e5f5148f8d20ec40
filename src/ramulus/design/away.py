"""Time away: a store of XP that fills on days without play, and is paid out on top of awards."""

from __future__ import annotations

from typing import Annotated

from pydantic import AfterValidator, Field

from ramulus.design.base import Model, Number, NumberOrFormula, _mistake


def _not_below_zero(value: float | str) -> float | str:
    if not isinstance(value, str) and value < 0:
        raise _mistake(f"{value!r} is below 0", "0 or more, or a formula of level and cost")
    return value


class AwayBonus(Model):
    """XP that gathers between play days, and doubles (or triples, …) awards of the main track until it is gone."""

    per_day_away: Annotated[NumberOrFormula, AfterValidator(_not_below_zero)]
    """XP that each calendar day from one play day to the next puts into the store."""
    at_most: Annotated[NumberOrFormula, AfterValidator(_not_below_zero)]
    """The most XP that the store is filled up to."""
    factor: Annotated[Number, Field(gt=1)]
    """What an award comes to while there is enough in the store."""
