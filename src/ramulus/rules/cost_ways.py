"""The ways to state level costs: each gives what is stated, before clamps and rounding.

A way is asked for a span of levels: the costs of `low` … `high - 1`, or the totals at `low` … `high`.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from ramulus.design.cost_file import read_cost_table
from ramulus.errors import DesignError, FormulaError
from ramulus.formula import evaluate, parse, run_steps
from ramulus.formula.functions import Array
from ramulus.rules.curves import through_points
from ramulus.rules.evaluating import evaluate_at, fault

if TYPE_CHECKING:
    from collections.abc import Callable

    from ramulus.design.track import CostWay

HIGHEST_XP = float(2**53)


@dataclass(frozen=True)
class Span:
    """The levels that a way is asked for, and what surrounds them.

    Attributes:
        place: where the way stands in the design.
        start: the track's start level, whose total is 0.
        low: the first level whose cost is wanted.
        high: one past the last level whose cost is wanted.
        constants: the design's constants.
        previous: the cost of the level before `low`, or None at the start.
        settle: the clamp (and rounding) that a step by step cost passes before it feeds on.
        folder: where relative file names are looked up.
    """

    place: str
    start: int
    low: int
    high: int
    constants: Mapping[str, float]
    previous: float | None
    settle: Callable[[float], float]
    folder: Path

    @property
    def left(self) -> Array:
        """The levels being left, shape (high - low,)."""
        return np.arange(self.low, self.high, dtype=np.float64)

    @property
    def reached(self) -> Array:
        """The levels whose totals are needed, without the start level, whose total is 0."""
        return np.arange(max(self.low, self.start + 1), self.high + 1, dtype=np.float64)


@dataclass(frozen=True)
class Stated:
    """What a way states: costs, or the totals at both ends of each level (one more than the costs)."""

    costs: Array | None = None
    totals: Array | None = None


def stated(way: CostWay, span: Span) -> Stated:
    """Return what one way states over a span of levels.

    Raises:
        DesignError: the way has no finite value somewhere, is too short, or falls where it may not.
        DataError: the file of a table cannot be understood.
    """
    return _WAYS[way.way](way, span)


def _by_formula(way: CostWay, span: Span) -> Stated:
    assert way.formula is not None
    levels = span.left if way.gives == "cost" else span.reached
    names = {**span.constants, "level": levels}
    values = np.broadcast_to(evaluate_at(f"{span.place}.formula", way.formula, names), levels.shape)
    return _as_given(values, way.gives, span)


def _as_given(values: Array, gives: str, span: Span) -> Stated:
    if gives == "cost":
        return Stated(costs=values)
    starts_at_zero = span.low == span.start
    return Stated(totals=np.concatenate([[0.0], values]) if starts_at_zero else values)


def _step_by_step(way: CostWay, span: Span) -> Stated:
    assert way.next is not None
    formula = parse(way.next)
    place = f"{span.place}.next"
    try:
        if way.first is not None:
            return Stated(costs=run_steps(formula, span.settle(way.first), span.left, span.constants, span.settle))
        if span.previous is None:
            raise fault(span.place, "'next' without 'first', and no segment before it", "'first'", "cost-way")
        levels = np.concatenate([[span.low - 1.0], span.left])
        return Stated(costs=run_steps(formula, span.previous, levels, span.constants, span.settle)[1:])
    except FormulaError as error:
        raise DesignError([error.at(place)]) from None


def _by_table(way: CostWay, span: Span) -> Stated:
    if way.file is not None:
        return _by_file(way, span)
    values = np.array(way.values, dtype=np.float64)
    if way.gives == "total" and span.low == span.start and len(values) and values[0] == 0:
        values = values[1:]  # The start level's own total may be written out.
    return _filled(values, way, span, f"{span.place}.values")


def _by_file(way: CostWay, span: Span) -> Stated:
    assert way.file is not None
    gives = way.gives if "gives" in way.model_fields_set else None
    table = read_cost_table(span.folder / way.file, gives, way.sheet)
    wanted = span.left if table.gives == "cost" else span.reached
    last = max(table.by_level)
    missing = [int(level) for level in wanted if int(level) not in table.by_level and level < last]
    if missing:
        listed = ", ".join(map(str, missing[:5])) + (" …" if len(missing) > 5 else "")
        raise fault(f"{span.place}.file", f"no {table.gives} for level {listed}", "every level", "table-short")
    values = np.array([table.by_level[int(level)] for level in wanted if int(level) in table.by_level])
    return _filled(values, way.model_copy(update={"gives": table.gives}), span, f"{span.place}.file")


def _filled(values: Array, way: CostWay, span: Span, place: str) -> Stated:
    """Cut a list to the span, or fill it up by holding its last cost."""
    wanted = len(span.left) if way.gives == "cost" else len(span.reached)
    if len(values) >= wanted:
        return _as_given(values[:wanted], way.gives, span)
    missing = wanted - len(values)
    if way.beyond != "hold" or not len(values):
        found = f"{len(values)} values for {wanted} levels: {missing} missing"
        raise fault(place, found, f'{wanted} values, or beyond = "hold"', "table-short")
    if way.gives == "cost":
        return Stated(costs=np.concatenate([values, np.full(missing, values[-1])]))
    known = _as_given(values, "total", span).totals
    assert known is not None
    last_cost = known[-1] - known[-2] if len(known) > 1 else 0.0
    return Stated(totals=np.concatenate([known, known[-1] + last_cost * np.arange(1, missing + 1)]))


def _by_points(way: CostWay, span: Span) -> Stated:
    assert way.points is not None
    place = f"{span.place}.points"
    if way.gives == "cost":
        return Stated(costs=through_points(place, way.points, way.between, span.left, way.beyond))
    last = way.points[-1][0]
    inside = span.reached[span.reached <= last] if way.beyond == "hold" else span.reached
    return _filled(through_points(place, way.points, way.between, inside, "error"), way, span, place)


def _by_level_from_xp(way: CostWay, span: Span) -> Stated:
    assert way.level_from_xp is not None
    return _as_given(_least_xp(way.level_from_xp, span), "total", span)


def _least_xp(text: str, span: Span) -> Array:
    """Return the smallest whole XP that gives each level, by doubling and bisection over all levels at once."""
    place = f"{span.place}.level_from_xp"

    def exact_level(xp: Array) -> Array:
        return np.broadcast_to(evaluate_at(place, text, {**span.constants, "xp": xp}), xp.shape)

    def level_at(xp: Array) -> Array:
        return np.maximum(np.floor(exact_level(xp)), span.start)

    wanted = span.reached
    low, high = _bracket(level_at, wanted, place)
    while (high - low > 1).any():
        middle = np.floor((low + high) / 2)
        reached = level_at(middle) >= wanted
        high, low = np.where(reached, middle, high), np.where(reached, low, middle)
    _refuse_falls(exact_level, _grid(high), place)
    return high


def _bracket(level_at: Callable[[Array], Array], wanted: Array, place: str) -> tuple[Array, Array]:
    """Return XP that gives less than each level (-1: none does) and XP that gives it, a doubling apart."""
    ladder = np.concatenate([[0.0], 2.0 ** np.arange(54)])
    levels = np.maximum.accumulate(level_at(ladder))
    step = np.searchsorted(levels, wanted)
    if (step == len(ladder)).any():
        first = wanted[step == len(ladder)][0]
        found = f"level {first:g} is never reached up to {HIGHEST_XP:.0f} XP"
        raise fault(place, found, "a formula that reaches max_level", "cap-never-reached")
    return np.where(step > 0, ladder[step - 1], -1.0), ladder[step]


def _grid(high: Array) -> Array:
    """XP values to look for a fall at: around and between the levels found, and evenly over the whole."""
    between = np.floor(high[:-1] + np.diff(high) / 2)
    evenly = np.floor(np.linspace(0, high[-1], 4097))
    return np.unique(np.concatenate([high, np.maximum(high - 1, 0), between, evenly]))


def _refuse_falls(exact_level: Callable[[Array], Array], xp: Array, place: str) -> None:
    value = exact_level(xp)
    # Rounding noise in the last bits is no fall.
    falls = np.nonzero(np.diff(value) < -1e-9 * np.maximum(np.abs(value[:-1]), 1))[0]
    if len(falls):
        i = int(falls[0])
        found = f"it falls from {value[i]:.6g} at {xp[i]:.0f} XP to {value[i + 1]:.6g} at {xp[i + 1]:.0f} XP"
        raise fault(place, found, "a formula that never falls", "level-from-xp-falls")


def level_from_xp(text: str, xp: Array, start_level: int, constants: Mapping[str, float]) -> Array:
    """Return the level that a `level_from_xp` formula gives for total XP earned."""
    value = evaluate(parse(text), {**constants, "xp": xp})
    return np.maximum(np.floor(value), start_level)


_WAYS: dict[str, Callable[[CostWay, Span], Stated]] = {
    "formula": _by_formula,
    "next": _step_by_step,
    "values": _by_table,
    "file": _by_table,
    "points": _by_points,
    "level_from_xp": _by_level_from_xp,
}
