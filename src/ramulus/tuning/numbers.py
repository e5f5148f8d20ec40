"""A number of a design that can be moved: where it stands, and by what steps it moves."""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from ramulus.design import full_place, value_at
from ramulus.design.names import formula_places
from ramulus.errors import DesignError, RamulusError, shortly
from ramulus.formula import parse
from ramulus.formula.comparing import compared_with

if TYPE_CHECKING:
    from ramulus.design import Design

LEVEL_NAMES = ("level", "source_level", "skill_level", "leader_level")
_AMOUNT = re.compile(r"sources\.[^.]+\.(xp(\.(low|high))?|skill_xp)")


@dataclass(frozen=True)
class NamedNumber:
    """A number of a design.

    Attributes:
        place: where it stands, such as ``constants.steepness``.
        value: what stands there.
        whole: whether only whole numbers go there: its key takes no others, or it is compared with a level.
        threshold: whether it is compared with a level, so that it does nothing between two of them.
        rounded: whether play rounds what it does to whole XP, so that small steps vanish.
    """

    place: str
    value: float
    whole: bool
    threshold: bool
    rounded: bool

    @property
    def name(self) -> str:
        """The last part of its place."""
        return self.place.removeprefix("constants.")

    def settled(self, value: float) -> float:
        """Return a value as it may stand in the file: whole where only whole numbers go, and as they are written."""
        return round(value) if self.whole or float(value).is_integer() else float(f"{value:.12g}")


def named_number(design: Design, name: str, whole: Sequence[str] = ()) -> NamedNumber:
    """Return the number at a place, or that a bare name stands for.

    Args:
        design: the design.
        name: the place.
        whole: places of numbers that are to stay whole although others would be allowed.

    Raises:
        UnknownNameError: there is no such place.
        RamulusError: no number stands there.
    """
    place = full_place(design, name)
    if place.split(".")[0].startswith("goals"):
        raise RamulusError(f"{place} is a wish; allowed: the place of a number that the goals are to be met by")
    value = value_at(design, place)
    if isinstance(value, bool) or not isinstance(value, int | float):
        hint = "; put a number of it under [constants], and name that" if isinstance(value, str) else ""
        raise RamulusError(f"{place} is {shortly(value)}; allowed: the place of a number{hint}")
    threshold = place.removeprefix("constants.") in _compared_with_levels(design) and place.startswith("constants.")
    only_whole = isinstance(value, int) and not _takes(design, place, value + 0.5)
    rounded = design.awards.rounding != "none" and _AMOUNT.fullmatch(place) is not None
    return NamedNumber(place, value, only_whole or threshold or place in whole, threshold, rounded)


def _compared_with_levels(design: Design) -> set[str]:
    return {name for place in formula_places(design) for name in compared_with(parse(place.text), LEVEL_NAMES)}


def _takes(design: Design, place: str, value: float) -> bool:
    try:
        design.with_values({place: value})
    except DesignError:
        return False
    return True


def at_value(design: Design, number: NamedNumber, value: float) -> Design | None:
    """Return a design with another value at the number's place; None where it is not allowed there."""
    if not math.isfinite(value):
        return None
    try:
        return design.with_values({number.place: number.settled(value)})
    except DesignError:
        return None
