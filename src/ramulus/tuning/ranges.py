"""Between which bounds `tune` moves a number, and in what steps a search sees it."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from ramulus.errors import RamulusError, refuse_single_name
from ramulus.tuning.numbers import NamedNumber, at_value, named_number

if TYPE_CHECKING:
    from ramulus.design import Design

TIMES = 10.0  # Without bounds: a tenth of the number to ten times it.
HALVINGS = 12

Bounds = tuple[float, float]
Vary = Sequence[str] | Mapping[str, Bounds | None]


@dataclass(frozen=True)
class Range:
    """A number with its bounds.

    Attributes:
        number: the number.
        low, high: its bounds.

    A search moves along `x`: the logarithm where the bounds are on one side of 0, else a share of the way.
    """

    number: NamedNumber
    low: float
    high: float

    @property
    def in_logs(self) -> bool:
        """Whether `x` is a logarithm."""
        return self.low * self.high > 0

    def x_of(self, value: float) -> float:
        """Return the coordinate of a value."""
        if self.in_logs:
            return math.log(abs(value))
        return (value - self.low) / (self.high - self.low)

    def value_of(self, x: float) -> float:
        """Return the value at a coordinate, within the bounds."""
        low, high = self.ends
        x = min(max(x, low), high)
        value = math.copysign(math.exp(x), self.low) if self.in_logs else self.low + x * (self.high - self.low)
        return self.number.settled(min(max(value, self.low), self.high))

    @property
    def ends(self) -> tuple[float, float]:
        """The lowest and the highest coordinate."""
        low, high = sorted((self.x_of(self.low), self.x_of(self.high)))
        return low, high

    @property
    def start(self) -> float:
        """The design's own value, or the bound that is nearest to it."""
        return min(max(self.number.value, self.low), self.high)

    def least_step(self, value: float) -> float:
        """Return the smallest step of the coordinate that play does not round away."""
        return abs(1.0 / value) if self.number.rounded and self.in_logs else 0.0


def ranges_of(design: Design, vary: Vary, whole: Sequence[str]) -> list[Range]:
    """Return the numbers that are to be varied, with their bounds.

    Raises:
        UnknownNameError: there is no such place.
        RamulusError: no number stands there, it is named twice, or its bounds are no bounds.
    """
    refuse_single_name(vary, "vary")
    bounds = vary if isinstance(vary, Mapping) else dict.fromkeys(vary)
    only_whole = [named_number(design, name).place for name in whole]
    found = [_range(design, named_number(design, name, only_whole), given) for name, given in bounds.items()]
    places = [one.number.place for one in found]
    twice = next((place for place in places if places.count(place) > 1), None)
    if twice is not None:
        raise RamulusError(f"{twice} is to be varied twice; allowed: once")
    idle = next((place for place in only_whole if place not in places), None)
    if idle is not None:
        raise RamulusError(f"{idle} is to stay whole, but is not varied; allowed: {', '.join(places) or 'none'}")
    if not found:
        raise RamulusError("no numbers to vary; allowed: the places of one or more, such as constants.steepness")
    return found


def _range(design: Design, number: NamedNumber, given: Bounds | None) -> Range:
    if given is None:
        return _around(design, number)
    low, high = (float(end) for end in given)
    if not (math.isfinite(low) and math.isfinite(high) and low < high):
        raise RamulusError(f"{number.place} from {low:g} to {high:g}; allowed: two numbers that rise")
    if number.whole:
        low, high = math.ceil(low), math.floor(high)
    for end in (low, high):
        if at_value(design, number, end) is None:
            raise RamulusError(f"{number.place} = {end:g} is not allowed in the design; allowed: bounds that are")
    return Range(number, low, high)


def _around(design: Design, number: NamedNumber) -> Range:
    """Return a tenth of a number to ten times it, as far as the design takes these."""
    if number.value == 0:
        raise RamulusError(f"{number.place} is 0; allowed: bounds for it, such as {number.place}=0:100")
    low, high = sorted((number.value / TIMES, number.value * TIMES))
    if number.whole:
        low, high = math.ceil(low), math.floor(high)
    return Range(number, _taken(design, number, low), _taken(design, number, high))


def _taken(design: Design, number: NamedNumber, end: float) -> float:
    """Return an end, or the farthest value on the way to it that the design takes."""
    if at_value(design, number, end) is not None:
        return end
    near, far = number.value, end
    for _ in range(HALVINGS):
        middle = (near + far) / 2
        near, far = (middle, far) if at_value(design, number, middle) is not None else (near, middle)
    return number.settled(near)
