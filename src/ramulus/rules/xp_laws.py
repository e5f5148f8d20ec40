"""What XP each source draws: one law for every kind, over main-track levels.

A new kind of XP registers its law with `law_of`. An amount is drawn by one function, `drawn_xp`, which the kernels
compile and everybody else calls.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import singledispatch
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ramulus.design.base import MOST_XP
from ramulus.design.xp import XpChoice, XpRange
from ramulus.formula.functions import Array
from ramulus.rules.evaluating import evaluate_at, fault
from ramulus.rules.limits import open_levels

if TYPE_CHECKING:
    from ramulus.design import Design


@dataclass(frozen=True, eq=False)
class XpLaw:
    """What one source's XP is drawn from.

    Attributes:
        low: the least XP by level, shape (L,).
        width: how many whole numbers from `low` on are equally likely; 1 for a fixed amount, 0 for a list.
        amounts, up_to: a list of amounts, and their running chances up to 1; empty but for lists.
        mean, highest: mean and most XP by level, shape (L,).
    """

    low: Array
    width: int
    amounts: Array
    up_to: Array
    mean: Array
    highest: Array


@singledispatch
def law_of(xp: object, design: Design, source: str, levels: Array, source_level: Array) -> XpLaw:
    """Return the law of a source's XP over some levels, where the source's own level is one for all or one for each.

    Raises:
        DesignError: a formula fails where the source is open, or gives XP that cannot be counted.
    """
    raise NotImplementedError(type(xp).__name__)


@law_of.register(float)
@law_of.register(int)
@law_of.register(str)
def _of_amount(xp: float | str, design: Design, source: str, levels: Array, source_level: Array) -> XpLaw:
    values = _by_level(xp, design, source, levels, source_level)
    return XpLaw(values, 1, np.zeros(0), np.zeros(0), values, values)


@law_of.register(XpRange)
def _of_range(xp: XpRange, design: Design, source: str, levels: Array, source_level: Array) -> XpLaw:
    low, mean, high = (np.full(len(levels), float(x)) for x in (xp.low, (xp.low + xp.high) / 2, xp.high))
    return XpLaw(low, xp.high - xp.low + 1, np.zeros(0), np.zeros(0), mean, high)


@law_of.register(XpChoice)
def _of_choice(xp: XpChoice, design: Design, source: str, levels: Array, source_level: Array) -> XpLaw:
    amounts, chances = np.array(xp.one_of, dtype=np.float64).T
    up_to = np.array([*np.cumsum(chances)[:-1].tolist(), 1.0])
    mean, highest = (np.full(len(levels), value) for value in ((amounts * chances).sum(), amounts.max()))
    return XpLaw(np.zeros(len(levels)), 0, amounts, up_to, mean, highest)


def _by_level(xp: float | str, design: Design, source: str, levels: Array, source_level: Array) -> Array:
    """Return XP by level; where the source is closed a formula may fail, and there is none (not a number)."""
    place = f"sources.{source}.xp"
    is_open = open_levels(design.sources[source]).hold(levels)
    names = {**design.constants, "level": levels, "source_level": source_level}
    values = np.broadcast_to(evaluate_at(place, xp, names, is_open), levels.shape)
    outside = ~((values >= 0) & (values <= MOST_XP))
    if (outside & is_open).any():
        at = int(np.nonzero(outside & is_open)[0][0])
        raise fault(place, f"{values[at]:.6g} XP at level {levels[at]:g}", f"0 … {MOST_XP} XP")
    return np.where(outside, np.nan, values)


class XpTables(NamedTuple):
    """The laws of all sources as arrays; S sources, L levels.

    Attributes:
        low: shape (L, S).
        width: shape (S,).
        first: where a source's list starts in the two below, shape (S + 1,).
        amounts, up_to: the lists, one after the other.
    """

    low: Array
    width: NDArray[np.int64]
    first: NDArray[np.int64]
    amounts: Array
    up_to: Array


def xp_tables(laws: list[XpLaw]) -> XpTables:
    """Return the laws of all sources as arrays."""
    lengths = [len(law.amounts) for law in laws]
    return XpTables(
        low=np.stack([law.low for law in laws], axis=1),
        width=np.array([law.width for law in laws], dtype=np.int64),
        first=np.concatenate([[0], np.cumsum(lengths)]).astype(np.int64),
        amounts=np.concatenate([law.amounts for law in laws]),
        up_to=np.concatenate([law.up_to for law in laws]),
    )


def drawn_xp(low: float, width: int, first: int, last: int, amounts: Array, up_to: Array, draw: float) -> float:
    """Return the XP that a draw in [0, 1) gives; plain numbers only, so that a kernel compiles it.

    Args:
        low, width: the whole numbers that are equally likely; a width of 0 is a list.
        first, last: where the list stands in `amounts` and `up_to`, the last not included.
        amounts, up_to: amounts and their running chances.
        draw: the draw.
    """
    if width > 0:
        return low + math.floor(draw * width)
    item = first
    while item + 1 < last and draw >= up_to[item]:
        item += 1
    return amounts[item]
