"""The overflow rule for the kernel: what `rules.ledger.Ledger` does, on numbers alone.

Levels count from 0, the start level. XP is in the whole units of `rules.xp_units`.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from ramulus.rules.costs import cost_curve
from ramulus.rules.xp_units import cost_units, to_units, units_per_xp

if TYPE_CHECKING:
    from ramulus.design import Design

DISCARD, FILL, BANK = 0, 1, 2
_AT_CAP = {"discard": DISCARD, "fill": FILL, "bank": BANK}
_NO_END = 2**40


class TrackRules(NamedTuple):
    """The costs and overflow rules of some tracks as arrays, one item a track but for `costs`.

    Attributes:
        costs: the costs of all tracks one after the other, units.
        offset: where a track's costs start.
        count: how many costs a track has; its cap is that level.
        scale: units in one XP.
        start_xp: units.
        carry, carry_limit: shares; a limit below 0 is none.
        more: units by which XP must exceed a cost (0 or 1).
        most_ups: how many levels one award may raise.
        whole: whether what is kept is whole XP.
        at_cap: DISCARD, FILL or BANK.
        may_drop: whether a loss may take levels.
    """

    costs: NDArray[np.int64]
    offset: NDArray[np.int64]
    count: NDArray[np.int64]
    scale: NDArray[np.int64]
    start_xp: NDArray[np.int64]
    carry: NDArray[np.float64]
    carry_limit: NDArray[np.float64]
    more: NDArray[np.int64]
    most_ups: NDArray[np.int64]
    whole: NDArray[np.bool_]
    at_cap: NDArray[np.int64]
    may_drop: NDArray[np.bool_]


def track_rules(design: Design, names: list[str]) -> TrackRules:
    """Return the rules of some tracks for the kernel, in the order of the names."""
    curves = [cost_curve(design, name) for name in names]
    tracks = [design.track(name) for name in names]
    scales = [units_per_xp(curve) for curve in curves]
    costs = [cost_units(curve, scale) for curve, scale in zip(curves, scales, strict=True)]
    count = np.array([len(part) for part in costs])
    flow = [track.overflow for track in tracks]
    starts = [int(to_units(np.float64(t.start_xp), s)) for t, s in zip(tracks, scales, strict=True)]
    return TrackRules(
        costs=np.concatenate(costs),
        offset=np.concatenate([[0], np.cumsum(count)[:-1]]).astype(np.int64),
        count=count.astype(np.int64),
        scale=np.array(scales, dtype=np.int64),
        start_xp=np.array(starts, dtype=np.int64),
        carry=np.array([rule.carry for rule in flow], dtype=np.float64),
        carry_limit=np.array([-1 if rule.carry_limit is None else rule.carry_limit for rule in flow], dtype=np.float64),
        more=np.array([rule.threshold == "exceeded" for rule in flow], dtype=np.int64),
        most_ups=np.array([1 if rule.level_ups_per_award == "one" else _NO_END for rule in flow], dtype=np.int64),
        whole=np.array([rule.whole_xp for rule in flow], dtype=np.bool_),
        at_cap=np.array([_AT_CAP[rule.at_cap] for rule in flow], dtype=np.int64),
        may_drop=np.array([track.may_drop_levels for track in tracks], dtype=np.bool_),
    )


@njit(cache=True, nogil=True)
def book_award(rules: TrackRules, track: int, level: int, xp: int, units: int) -> tuple[int, int, int]:
    """Book an award; return the level, the XP inside it and what was wasted."""
    count, offset = rules.count[track], rules.offset[track]
    wasted = 0
    ups = 0
    xp += units
    while level < count and ups < rules.most_ups[track]:
        cost = rules.costs[offset + level]
        if xp < cost + rules.more[track]:
            break
        excess = xp - cost
        kept = _kept(rules, track, level, excess)
        wasted += excess - kept
        xp = kept
        level += 1
        ups += 1
    if level == count:
        top = rules.costs[offset + count - 1]
        if rules.at_cap[track] == DISCARD:
            wasted += xp
            xp = 0
        elif rules.at_cap[track] == FILL and xp > top:
            wasted += xp - top
            xp = top
    return level, xp, wasted


@njit(cache=True, nogil=True)
def _kept(rules: TrackRules, track: int, level: int, excess: int) -> int:
    scale = rules.scale[track]
    if rules.carry[track] == 1.0 and rules.carry_limit[track] < 0.0:
        return excess - excess % scale if rules.whole[track] else excess
    kept = float(excess) / float(scale) * rules.carry[track]
    if rules.carry_limit[track] >= 0.0 and level + 1 < rules.count[track]:
        next_cost = float(rules.costs[rules.offset[track] + level + 1]) / float(scale)
        kept = min(kept, rules.carry_limit[track] * next_cost)
    units = np.int64(math.floor(kept)) * scale if rules.whole[track] else np.int64(np.rint(kept * float(scale)))
    return min(units, excess)


@njit(cache=True, nogil=True)
def book_loss(rules: TrackRules, track: int, level: int, xp: int, units: int) -> tuple[int, int, int]:
    """Book a loss; return the level, the XP inside it and what was taken."""
    taken = min(units, xp)
    xp -= taken
    left = units - taken
    while left > 0 and rules.may_drop[track] and level > 0:
        level -= 1
        cost = rules.costs[rules.offset[track] + level]
        part = min(left, cost)
        xp = cost - part
        left -= part
        taken += part
    return level, xp, taken


@njit(cache=True, nogil=True)
def book_many(rules: TrackRules, level: int, xp: int, units: NDArray[np.int64], out: NDArray[np.int64]) -> None:
    """Book awards one after the other on the first track; `out` gets level, XP, wasted and kept, shape (n, 4)."""
    for i in range(len(units)):
        before = level
        level, xp, out[i, 2] = book_award(rules, 0, level, xp, units[i])
        out[i, 0] = level
        out[i, 1] = xp
        out[i, 3] = xp if level > before else 0
