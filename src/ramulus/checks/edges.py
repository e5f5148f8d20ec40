"""Values that stand on a rounding edge: other arithmetic gives another whole number.

Games compute in 32 and in 64 bits, and in whatever order somebody typed the operations. Each is tried, and each
level that comes out as another whole number is found.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np

from ramulus.checks.finding import Finding
from ramulus.design.cost_ways import FormulaWay, LevelFromXpWay, StepsWay
from ramulus.errors import FormulaError
from ramulus.formula import Formula, evaluate, parse, reordered, run_steps
from ramulus.formula.functions import Array
from ramulus.rules.costs import CostCurve, CostPart, settling
from ramulus.rules.tabulation import tabulated

if TYPE_CHECKING:
    from ramulus.design import Design

MOST_SHOWN = 3


@dataclass(frozen=True)
class _Variant:
    name: str
    formula: Formula
    dtype: type[Any]


def check_edges(design: Design) -> Iterator[Finding]:
    """Yield the levels whose cost or total changes with the precision or the order of operations."""
    for name in design.tracks:
        curve = tabulated(design).tracks[name].curve
        for part in curve.parts:
            if part.way.names and _looked_at(part, len(curve.parts)):
                text = getattr(part.way, part.way.key)
                for variant in _variants(parse(text)):
                    yield from _differences(part, variant, _computation(design, part), curve)


def _looked_at(part: CostPart, parts: int) -> bool:
    """Whether a way can be computed anew: not one that goes on from the way before, nor totals of a segment."""
    totals, way = part.stated.totals, part.way
    if parts > 1 and (totals or (isinstance(way, StepsWay) and way.first is None)):
        return False
    if isinstance(way, LevelFromXpWay):
        return True
    return part.rounder.kind != "none" and not (totals and part.limits.given)


def _variants(formula: Formula) -> Iterator[_Variant]:
    yield _Variant("in 32 bits", formula, np.float32)
    for name, other in reordered(formula).items():
        yield _Variant(f"{name} ({other.text})", other, np.float64)


_Computation = Callable[[_Variant], Array]


def _computation(design: Design, part: CostPart) -> _Computation:
    """Return what computes the stated values (costs, totals or levels) in a variant, before rounding."""
    constants, way = design.constants, part.way
    levels = np.arange(part.low, part.high, dtype=np.float64) + part.stated.totals
    if isinstance(way, FormulaWay):
        return lambda v: np.broadcast_to(evaluate(v.formula, {**constants, "level": levels}, v.dtype), levels.shape)
    if isinstance(way, LevelFromXpWay):
        around = np.concatenate([part.settled[1:], part.settled[1:] - 1])
        return lambda v: np.broadcast_to(evaluate(v.formula, {**constants, "xp": around}, v.dtype), around.shape)
    assert isinstance(way, StepsWay)
    first, settle = float(way.first or 0), settling(part.limits, part.rounder, way.round_each_step)

    def steps(variant: _Variant) -> Array:
        number = np.float32 if variant.dtype is np.float32 else float
        return run_steps(variant.formula, first, levels, constants, settle, number)[0]

    return steps


def _differences(part: CostPart, variant: _Variant, compute: _Computation, curve: CostCurve) -> Iterator[Finding]:
    try:
        with np.errstate(all="ignore"):
            other = np.asarray(compute(variant), dtype=np.float64)
    except FormulaError:
        return  # A variant that overflows where the formula does not is no rounding edge.
    place = f"{part.place}.{part.way.key}"
    if isinstance(part.way, LevelFromXpWay):
        yield from _level_differences(part, curve.start_level, place, variant, other)
        return
    totals = part.stated.totals
    # A clamp may move both values to the same side of an edge.
    values = part.rounder(other if totals else part.limits.clip(other))
    given = part.settled[1:] if totals else part.settled
    differ = np.nonzero(values != given)[0]
    if not len(differ):
        return
    levels = np.arange(part.low, part.high) + totals
    what = "total" if totals else "cost"
    shown = ", ".join(f"level {levels[i]}: {given[i]:.17g} or {values[i]:.17g}" for i in differ[:MOST_SHOWN])
    rest = f" and {len(differ) - MOST_SHOWN} more levels" if len(differ) > MOST_SHOWN else ""
    here = curve.totals[part.high - curve.start_level]
    there = values[-1] if totals else here + (values - given).sum()
    yield Finding(
        "rounding-edge", "warning" if variant.dtype is np.float64 else "note", place,
        f"{variant.name} the {what} is another whole number: {shown}{rest}; the total at level {part.high} is "
        f"{here:,.0f} here and {there:,.0f} there",
        "take the table, not the formula, into the game; or move the values off the edge (add 0.5, or round "
        "to nearest)",
        int(levels[differ[0]]),
    )  # fmt: skip


def _level_differences(part: CostPart, start: int, place: str, variant: _Variant, other: Array) -> Iterator[Finding]:
    at, below = np.split(np.maximum(np.floor(other), start), 2)
    reached = np.arange(part.low + 1, part.high + 1, dtype=np.float64)
    differ = np.nonzero((at < reached) | (below >= reached))[0]
    if len(differ):
        i = int(differ[0])
        total = part.settled[i + 1]
        xp, level = (total, at[i]) if at[i] < reached[i] else (total - 1, below[i])
        there = reached[i] if xp == total else reached[i] - 1
        yield Finding(
            "rounding-edge", "warning" if variant.dtype is np.float64 else "note", place,
            f"{variant.name}, {xp:,.0f} XP gives level {level:g}, and level {there:g} here ({len(differ)} such levels)",
            "take the table, not the formula, into the game", int(reached[i]),
        )  # fmt: skip
