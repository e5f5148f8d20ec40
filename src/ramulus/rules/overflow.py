"""The overflow rule: what an award or a loss does to a level and the XP in it.

These are plain functions over plain numbers. The ledger calls them as Python, with whole numbers of any size; the
kernels compile the very same source. Levels count from 0, the start level; XP is in the whole units of `xp_units`.
"""

from __future__ import annotations

import math
from collections.abc import Sequence
from decimal import ROUND_HALF_UP, Decimal
from typing import TYPE_CHECKING, Any, NamedTuple

if TYPE_CHECKING:
    from ramulus.design.track import Track

DISCARD, FILL, BANK = 0, 1, 2
_AT_CAP = {"discard": DISCARD, "fill": FILL, "bank": BANK}
NO_LIMIT = -1
_NO_END = 2**40
SHARES = 10**9  # A share is a decimal of nine places, counted in billionths: 0.29 is exact, as no double is.


class Overflow(NamedTuple):
    """The costs of one track and its rules at a threshold, as numbers.

    Attributes:
        costs: units from each level to the next, a list or an array; those of this track start at `first`.
        first: where they start.
        cap: how many there are, which is the level of the cap.
        scale: units in one XP.
        carry: the share of an excess that is kept, in billionths.
        carry_limit: the most that is kept, as a share of the next cost, in billionths; NO_LIMIT is none.
        more: units by which XP must exceed a cost: 0, or 1 where a cost must be exceeded.
        most_ups: how many levels one award may raise.
        whole: whether what is kept is whole XP.
        at_cap: DISCARD, FILL or BANK.
        may_drop: whether a loss may take levels.
    """

    costs: Any
    first: int
    cap: int
    scale: int
    carry: int
    carry_limit: int
    more: int
    most_ups: int
    whole: bool
    at_cap: int
    may_drop: bool


def overflow_of(track: Track, costs: Sequence[int], scale: int) -> Overflow:
    """Return the rule of a track whose costs in units are known."""
    rules = track.overflow
    return Overflow(
        costs=costs,
        first=0,
        cap=len(costs),
        scale=scale,
        carry=billionths(rules.carry),
        carry_limit=NO_LIMIT if rules.carry_limit is None else billionths(rules.carry_limit),
        more=int(rules.threshold == "exceeded"),
        most_ups=1 if rules.level_ups_per_award == "one" else _NO_END,
        whole=rules.whole_xp,
        at_cap=_AT_CAP[rules.at_cap],
        may_drop=track.may_drop_levels,
    )


def billionths(share: float) -> int:
    """Return a share as it is written, in billionths; what is finer than that is rounded, halves away from zero."""
    return int((Decimal(repr(share)) * SHARES).to_integral_value(ROUND_HALF_UP))


def part_of(units: int, share: int) -> int:
    """Return a share, in billionths, of some units, rounded down; exact, and within 63 bits where the result is."""
    whole, rest = share // SHARES, share % SHARES
    return units * whole + units // SHARES * rest + units % SHARES * rest // SHARES


def threshold(rule: Overflow, level: int) -> int:
    """Return the XP that pays for a level below the cap.

    An award that leaves the XP below it does nothing but add: whoever books many awards may add and compare, and
    call `book_award` only where the threshold is reached.
    """
    return rule.costs[rule.first + level] + rule.more


def book_award(rule: Overflow, level: int, xp: int, units: int) -> tuple[int, int, int]:
    """Book an award; return the level, the XP inside it and what was wasted."""
    return book_before_gate(rule, rule.cap, False, level, xp, units)


def book_before_gate(
    rule: Overflow, held_at: int, fills: bool, level: int, xp: int, units: int
) -> tuple[int, int, int]:
    """Book an award before a shut gate; returns as `book_award` does.

    Args:
        rule: the track's rule.
        held_at: the level of the next shut gate, at or above the level; the cap where there is none.
        fills: whether XP at that gate fills the bar and no more.
        level, xp: the level and the XP inside it.
        units: the award.
    """
    wasted = 0
    ups = 0
    xp += units
    while level < held_at and ups < rule.most_ups and xp >= threshold(rule, level):
        excess = xp - rule.costs[rule.first + level]
        xp = kept_of(rule, level, excess)
        wasted += excess - xp
        level += 1
        ups += 1
    if level == rule.cap:
        room = room_at_cap(rule, xp)
        wasted += xp - room
        xp = room
    elif fills and level == held_at and xp > rule.costs[rule.first + level]:
        wasted += xp - rule.costs[rule.first + level]
        xp = rule.costs[rule.first + level]
    return level, xp, wasted


def kept_of(rule: Overflow, level: int, excess: int) -> int:
    """Return the part of an excess past a level's threshold that is kept."""
    kept = part_of(excess, rule.carry)
    if rule.carry_limit >= 0 and level + 1 < rule.cap:
        kept = min(kept, part_of(rule.costs[rule.first + level + 1], rule.carry_limit))
    return kept - kept % rule.scale if rule.whole else kept


def room_at_cap(rule: Overflow, xp: int) -> int:
    """Return what is left of some XP at the cap."""
    if rule.at_cap == DISCARD:
        return 0
    if rule.at_cap == FILL:
        return min(xp, rule.costs[rule.first + rule.cap - 1])
    return xp


def can_hold(rule: Overflow, level: int, xp: int) -> bool:
    """Return whether any award could leave this XP inside a level, rather than pay for the level or be wasted."""
    if level == rule.cap:
        return xp == room_at_cap(rule, xp)
    return rule.most_ups < _NO_END or xp < threshold(rule, level)


def book_loss(rule: Overflow, level: int, xp: int, units: int) -> tuple[int, int, int]:
    """Book a loss; return the level, the XP inside it and what was taken."""
    taken = min(units, xp)
    xp -= taken
    left = units - taken
    while left > 0 and rule.may_drop and level > 0:
        level -= 1
        cost = rule.costs[rule.first + level]
        part = min(left, cost)
        xp = cost - part
        left -= part
        taken += part
    return level, xp, taken


def nearest_whole(value: float) -> int:
    """Return the whole number nearest to one of 0 or more, halves up."""
    whole = math.floor(value)
    return whole + 1 if value - whole >= 0.5 else whole


def loss_of_failure(rule: Overflow, level: int, share: float) -> int:
    """Return the units that a failure takes below the cap: a share of the level's cost, whole where XP is whole."""
    loss = share * (float(rule.costs[rule.first + level]) / float(rule.scale))
    if rule.whole:
        return math.floor(loss) * rule.scale
    return nearest_whole(loss * float(rule.scale))
