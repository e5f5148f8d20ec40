"""The functions a formula may call, and the names that no constant may hide."""

from __future__ import annotations

import keyword
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

Array = NDArray[Any]


@dataclass(frozen=True)
class Function:
    """A function of the formula language: how many arguments it takes and what it does to arrays."""

    apply: Callable[..., Array]
    least: int
    most: int | None


def round_half_away(x: Array) -> Array:
    """Round to whole numbers, halves away from zero.

    ``floor(x + 0.5)`` is wrong just below a half, where adding 0.5 already rounds up; the distance to the
    truncated value is exact.
    """
    whole = np.trunc(x)
    return np.where(np.abs(x - whole) >= 0.5, whole + np.sign(x), whole)


PLAIN_POWERS: dict[float, Callable[[Any], Any]] = {-1.0: lambda x: 1 / x, 0.5: np.sqrt, 2.0: lambda x: x * x}


def power(base: Array | float, exponent: Array | float) -> Array:
    """Raise to a power; whole numbers to whole powers come out exact while they fit a float64 (2**53).

    NumPy takes a square, a root or a reciprocal where one exponent serves all, and a general power, which may be off by
    one unit in the last place, where there are several. So that a number does not hang on what it is computed beside,
    these three are taken wherever they stand.
    """
    result = np.power(base, exponent)
    for value, plain in PLAIN_POWERS.items():
        there = np.equal(exponent, value)
        if there.any():
            result = np.where(there, plain(np.asarray(base)), result)
    exact = (base == np.trunc(base)) & (exponent == np.trunc(exponent)) & (exponent >= 0)
    exact &= np.abs(result) < 2**53
    # A vector unit's power may be off by one unit in the last place; a whole result is nearer than that.
    return np.where(exact, np.rint(result), result)


def _smallest(*arguments: Array) -> Array:
    return np.asarray(np.minimum.reduce(np.broadcast_arrays(*arguments)))


def _largest(*arguments: Array) -> Array:
    return np.asarray(np.maximum.reduce(np.broadcast_arrays(*arguments)))


def _clip(x: Array, low: Array, high: Array) -> Array:
    return np.where(low > high, np.nan, np.minimum(np.maximum(x, low), high))


FUNCTIONS: dict[str, Function] = {
    "floor": Function(np.floor, 1, 1),
    "ceil": Function(np.ceil, 1, 1),
    "round": Function(round_half_away, 1, 1),
    "sqrt": Function(np.sqrt, 1, 1),
    "log": Function(np.log, 1, 1),
    "log2": Function(np.log2, 1, 1),
    "log10": Function(np.log10, 1, 1),
    "exp": Function(np.exp, 1, 1),
    "abs": Function(np.abs, 1, 1),
    "min": Function(_smallest, 2, None),
    "max": Function(_largest, 2, None),
    "clip": Function(_clip, 3, 3),
}
RANGE_FUNCTIONS = ("sum", "min", "max")

VARIABLES = frozenset(
    [
        "level",
        "previous",
        "xp",
        "base",
        "start_level",
        "source_level",
        "gap",
        "skill_level",
        "leader_level",
        "party_size",
    ]
)
"""Names that Ramulus itself gives to formulas, somewhere."""

BUILT_IN_NAMES = frozenset(FUNCTIONS) | {"sum", "range"} | VARIABLES | frozenset(keyword.kwlist)
"""Names that an author's constant, stat, trait or number may not take."""
