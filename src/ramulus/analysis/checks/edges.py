"""Values that stand on a rounding edge: other arithmetic gives another whole number.

Games compute in 32 and in 64 bits, and in whatever order somebody typed the operations. Each is tried, and each
level that comes out as another whole number is found.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np

from ramulus.analysis.checks.finding import Finding
from ramulus.errors import FormulaError
from ramulus.formula import Formula, evaluate, parse, reordered, run_steps
from ramulus.formula.functions import Array
from ramulus.rules.costs import CostCurve, cost_curve
from ramulus.rules.rounding import rounded

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.design.track import Cost, CostWay

MOST_SHOWN = 3


@dataclass(frozen=True)
class _Variant:
    name: str
    formula: Formula
    dtype: type[Any]


def check_edges(design: Design) -> Iterator[Finding]:
    """Yield the levels whose cost or total changes with the precision or the order of operations."""
    for name, track in design.tracks.items():
        cost = track.cost
        curve = cost_curve(design, name)
        for place, way, part in _parts(f"tracks.{name}.cost", cost, curve):
            text = way.formula or way.next or way.level_from_xp
            clamped_totals = way.gives == "total" and (cost.at_least, cost.at_most) != (None, None)
            if text is None or clamped_totals or (cost.rounding == "none" and way.level_from_xp is None):
                continue
            compute = _computation(design, cost, way, part)
            for variant in _variants(parse(text)):
                yield from _differences(part, cost, way, f"{place}.{way.way}", variant, compute)


def _parts(place: str, cost: Cost, curve: CostCurve) -> Iterator[tuple[str, CostWay, CostCurve]]:
    """Yield each way with its place and the part of the curve that it states.

    A segment that goes on from the one before, or states totals of its own, is left out.
    """
    if cost.segments is None:
        yield place, cost, curve
        return
    ends = [segment.from_level for segment in cost.segments[1:]] + [curve.max_level]
    for index, (segment, end) in enumerate(zip(cost.segments, ends, strict=True)):
        goes_on = segment.next is not None and segment.first is None
        if not goes_on and segment.gives == "cost" and segment.level_from_xp is None:
            low, high = segment.from_level - curve.start_level, end - curve.start_level
            part = CostCurve(
                curve.track,
                curve.levels[low : high + 1],
                curve.costs[low:high],
                curve.totals[low : high + 1],
                curve.exact[low:high],
                curve.clamped[low:high],
            )
            yield f"{place}.segments[{index}]", segment, part


def _variants(formula: Formula) -> Iterator[_Variant]:
    yield _Variant("in 32 bits", formula, np.float32)
    for name, other in reordered(formula).items():
        yield _Variant(f"{name} ({other.text})", other, np.float64)


_Computation = Callable[[_Variant], Array]


def _computation(design: Design, cost: Cost, way: CostWay, curve: CostCurve) -> _Computation:
    """Return what computes the stated values (costs, totals or levels) in a variant, before rounding."""
    constants = design.constants
    if way.formula is not None:
        levels = curve.levels[:-1] if way.gives == "cost" else curve.levels[1:]
        return lambda v: np.broadcast_to(evaluate(v.formula, {**constants, "level": levels}, v.dtype), levels.shape)
    if way.level_from_xp is not None:
        around = np.concatenate([curve.totals[1:], curve.totals[1:] - 1])
        return lambda v: np.broadcast_to(evaluate(v.formula, {**constants, "xp": around}, v.dtype), around.shape)

    low = -np.inf if cost.at_least is None else cost.at_least
    high = np.inf if cost.at_most is None else cost.at_most

    def settle(value: float) -> float:
        inside = min(max(value, low), high)
        return float(rounded(np.float64(inside), cost.rounding)) if way.round_each_step else inside

    def steps(variant: _Variant) -> Array:
        number = np.float32 if variant.dtype is np.float32 else float
        return run_steps(variant.formula, settle(way.first or 0), curve.levels[:-1], constants, settle, number)

    return steps


def _differences(
    curve: CostCurve, cost: Cost, way: CostWay, place: str, variant: _Variant, compute: _Computation
) -> Iterator[Finding]:
    try:
        with np.errstate(all="ignore"):
            other = np.asarray(compute(variant), dtype=np.float64)
    except FormulaError:
        return  # A variant that overflows where the formula does not is no rounding edge.
    if way.level_from_xp is not None:
        yield from _level_differences(curve, place, variant, other)
        return
    # A clamp may move both values to the same side of an edge.
    other = other if way.gives == "total" else np.clip(other, _or(cost.at_least, -np.inf), _or(cost.at_most, np.inf))
    values = rounded(other, cost.rounding)
    given = curve.totals[1:] if way.gives == "total" else curve.costs
    differ = np.nonzero(values != given)[0]
    if not len(differ):
        return
    levels = curve.levels[1:] if way.gives == "total" else curve.levels[:-1]
    what = "total" if way.gives == "total" else "cost"
    shown = ", ".join(f"level {levels[i]:g}: {given[i]:.17g} or {values[i]:.17g}" for i in differ[:MOST_SHOWN])
    rest = f" and {len(differ) - MOST_SHOWN} more levels" if len(differ) > MOST_SHOWN else ""
    last = values[-1] if way.gives == "total" else curve.totals[-1] + (values - given).sum()
    yield Finding(
        "rounding-edge", "warning" if variant.dtype is np.float64 else "note", place,
        f"{variant.name} the {what} is another whole number: {shown}{rest}; the total at level "
        f"{curve.levels[-1]:g} is "
        f"{curve.totals[-1]:,.0f} here and {last:,.0f} there",
        "take the table, not the formula, into the game; or move the values off the edge (add 0.5, or round "
        "to nearest)",
        int(levels[differ[0]]),
    )  # fmt: skip


def _or(value: float | None, default: float) -> float:
    return default if value is None else value


def _level_differences(curve: CostCurve, place: str, variant: _Variant, other: Array) -> Iterator[Finding]:
    at, below = np.split(np.maximum(np.floor(other), curve.start_level), 2)
    reached = curve.levels[1:]
    differ = np.nonzero((at < reached) | (below >= reached))[0]
    if len(differ):
        i = int(differ[0])
        total = curve.totals[i + 1]
        xp, level = (total, at[i]) if at[i] < reached[i] else (total - 1, below[i])
        there = reached[i] if xp == total else reached[i] - 1
        yield Finding(
            "rounding-edge", "warning" if variant.dtype is np.float64 else "note", place,
            f"{variant.name}, {xp:,.0f} XP gives level {level:g}, and level {there:g} here ({len(differ)} such levels)",
            "take the table, not the formula, into the game", int(reached[i]),
        )  # fmt: skip
