"""What each way of stating level costs states, before clamps and rounding, and how it came to it.

A way is asked for a span of levels: the costs of `low` … `high - 1`, or the totals at `low` … `high`. A new way
registers its computation with `stated`.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, replace
from functools import singledispatch
from pathlib import Path

import numpy as np

from ramulus.design.cost_ways import (
    CostWay,
    FileWay,
    FormulaWay,
    LevelFromXpWay,
    PointsWay,
    StepsWay,
    ValuesWay,
)
from ramulus.errors import DesignError, FormulaError
from ramulus.files.cost_file import read_cost_table
from ramulus.formula import Step, number_text, parse, run_steps
from ramulus.formula.functions import Array
from ramulus.rules.curves import through_points
from ramulus.rules.evaluating import evaluate_at, fault
from ramulus.rules.level_from_xp import least_xp, working_of_least_xp
from ramulus.rules.working import Working, of_formula, of_number

LONGEST_NAME = 1_000


@dataclass(frozen=True)
class Span:
    """The levels that a way is asked for, and what surrounds them.

    Attributes:
        place: where the way stands in the design.
        start: the track's start level, whose total is 0.
        low: the first level whose cost is wanted.
        high: one past the last level whose cost is wanted.
        constants: the design's constants.
        previous: the cost of the level before `low` as it feeds on, or None at the start.
        settle: what a step by step cost passes before it feeds on: the clamp, and rounding where that is asked.
        folders: where a file may lie: the design's own folder, where its name is looked up, and what a caller allows.
    """

    place: str
    start: int
    low: int
    high: int
    constants: Mapping[str, float]
    previous: float | None
    settle: Callable[[float], float]
    folders: tuple[Path, ...]

    @property
    def left(self) -> Array:
        """The levels being left, shape (high - low,)."""
        return np.arange(self.low, self.high, dtype=np.float64)

    @property
    def reached(self) -> Array:
        """The levels whose totals are needed, without the start level, whose total is 0."""
        return np.arange(max(self.low, self.start + 1), self.high + 1, dtype=np.float64)

    def wanted(self, totals: bool) -> Array:
        """The levels that a value is wanted for."""
        return self.reached if totals else self.left


@dataclass(frozen=True, eq=False)
class Stated:
    """What a way states over a span.

    Attributes:
        totals: whether it states totals, at both ends of each level, not costs.
        values: costs, shape (high - low,), or totals, shape (high - low + 1,).
        working: how the value at a level came about.
        left_out: rows of a file that are none of a level, in words.
    """

    totals: bool
    values: Array
    working: Callable[[int], Working]
    left_out: tuple[str, ...] = ()


@singledispatch
def stated(way: CostWay, span: Span) -> Stated:
    """Return what one way states over a span of levels.

    Raises:
        DesignError: the way has no finite value somewhere, is too short, or falls where it may not.
        DataError: the file of a table cannot be understood.
    """
    raise NotImplementedError(type(way).__name__)


def _as_stated(values: Array, totals: bool, span: Span, working: Callable[[int], Working]) -> Stated:
    """Put the start level's total of 0, which no way states, in front."""
    if totals and span.low == span.start:
        values = np.concatenate([[0.0], values])
    return Stated(totals, values, working)


@stated.register
def _by_formula(way: FormulaWay, span: Span) -> Stated:
    levels = span.wanted(way.states_totals)
    names = {**span.constants, "level": levels}
    values = np.broadcast_to(evaluate_at(f"{span.place}.formula", way.formula, names), levels.shape)

    def working(level: int) -> Working:
        return of_formula(way.formula, {**span.constants, "level": level})

    return _as_stated(values, way.states_totals, span, working)


@stated.register
def _step_by_step(way: StepsWay, span: Span) -> Stated:
    if way.first is None and span.previous is None:
        raise fault(span.place, "'next' without 'first', and no segment before it", "'first'", "cost-way")
    try:
        values, fed = _run(way, span)
    except FormulaError as error:
        raise DesignError([error.at(f"{span.place}.next")]) from None

    def working(level: int) -> Working:
        if way.first is not None and level == span.low:
            return of_number("first", way.next, float(way.first), note="the first cost is given")
        return of_formula(way.next, {**span.constants, "level": level, "previous": float(fed[level - span.low])})

    return Stated(False, values, working)


def _run(way: StepsWay, span: Span) -> tuple[Array, Array]:
    """Return the stated costs, and for each level what it was fed with."""
    formula = parse(way.next)
    if way.first is not None:
        values, fed = run_steps(formula, float(way.first), span.left, span.constants, span.settle)
        return values, np.concatenate([[np.nan], fed[:-1]])
    levels = np.concatenate([[span.low - 1.0], span.left])
    values, fed = run_steps(formula, float(span.previous or 0), levels, span.constants, span.settle)
    return values[1:], fed[:-1]


@stated.register
def _by_list(way: ValuesWay, span: Span) -> Stated:
    values = np.array(way.values, dtype=np.float64)
    if way.states_totals and span.low == span.start and len(values) and values[0] == 0:
        values = values[1:]  # The start level's own total may be written out.
    return _listed(values, way.states_totals, way.beyond, span, f"{span.place}.values", "")


@stated.register
def _by_file(way: FileWay, span: Span) -> Stated:
    names = way.columns.model_dump() if way.columns else None
    table = read_cost_table(_located(way.file, span), way.gives, way.sheet, names)
    totals = table.gives == "total"
    wanted = span.wanted(totals)
    last = max(table.by_level)
    missing = [int(level) for level in wanted if int(level) not in table.by_level and level < last]
    if missing:
        listed = ", ".join(map(str, missing[:5])) + (" …" if len(missing) > 5 else "")
        raise fault(f"{span.place}.file", f"no {table.gives} for level {listed}", "every level", "table-short")
    values = np.array([table.by_level[int(level)] for level in wanted if int(level) in table.by_level])
    found = _listed(values, totals, way.beyond, span, f"{span.place}.file", f" in {way.file}")
    return replace(found, left_out=table.left_out)


def _located(name: str, span: Span) -> Path:
    """Return where a file lies that a design names.

    Raises:
        DesignError: it lies outside the design's own folder; a design from a stranger shall not read what it likes.
    """
    try:
        if len(name) > LONGEST_NAME:
            raise ValueError
        file = (span.folders[0] / name).resolve()
        inside = any(file.is_relative_to(folder.resolve()) for folder in span.folders)
    except (ValueError, OSError, RuntimeError):  # RuntimeError: links that lead in a circle.
        raise fault(f"{span.place}.file", f"{name[:60]!r} is no name of a file", "the name of a file") from None
    if not inside:
        found = f"{name!r} lies outside the design's own folder"
        raise fault(f"{span.place}.file", found, "a file beside the design or below it", "file-outside")
    return span.folders[0] / name


def _listed(values: Array, totals: bool, beyond: str, span: Span, place: str, where: str) -> Stated:
    """Cut a list to the span, or fill it up by holding its last cost."""
    filled = _filled(values, totals, beyond, span, place)
    what = "total" if totals else "cost"

    def working(level: int) -> Working:
        given = filled[level - span.low]
        held = level - span.wanted(totals)[0] >= len(values)
        note = "the list is over: its last cost repeats" if held else f"listed{where}"
        return of_number("the table", f"the {what} listed for level {level}{where}", float(given), note=note)

    return Stated(totals, filled, working)


def _filled(values: Array, totals: bool, beyond: str, span: Span, place: str) -> Array:
    wanted = len(span.wanted(totals))
    missing = wanted - len(values)
    if missing > 0 and (beyond != "hold" or not len(values)):
        found = f"{len(values)} values for {wanted} levels: {missing} missing"
        raise fault(place, found, f'{wanted} values, or beyond = "hold"', "table-short")
    values = values[:wanted]
    if not totals:
        return np.concatenate([values, np.full(max(missing, 0), values[-1])])
    known = np.concatenate([[0.0], values]) if span.low == span.start else values
    last_cost = known[-1] - known[-2] if len(known) > 1 else 0.0
    return np.concatenate([known, known[-1] + last_cost * np.arange(1, missing + 1)])


@stated.register
def _by_points(way: PointsWay, span: Span) -> Stated:
    place = f"{span.place}.points"
    if not way.states_totals:
        curve = through_points(place, way.points, way.between, span.left, way.beyond)
        return Stated(False, curve.values, curve.working)
    last = way.points[-1][0]
    inside = span.reached[span.reached <= last] if way.beyond == "hold" else span.reached
    curve = through_points(place, way.points, way.between, inside, "error")
    filled = _filled(curve.values, True, way.beyond, span, place)

    def working(level: int) -> Working:
        if level <= last:
            return curve.working(level)
        before, given = (number_text(float(filled[i - span.low])) for i in (level - 1, level))
        step = Step(f"total({level - 1}) + the last cost", given, float(filled[level - span.low]), f"after {before}")
        return Working(f"the last cost held from level {last:g} on", {}, (step,))

    return Stated(True, filled, working)


@stated.register
def _by_level_from_xp(way: LevelFromXpWay, span: Span) -> Stated:
    place = f"{span.place}.level_from_xp"
    values = least_xp(place, way.level_from_xp, span.reached, span.start, span.constants)

    def working(level: int) -> Working:
        total = float(values[level - int(span.reached[0])])
        return working_of_least_xp(way.level_from_xp, total, level, span.start, span.constants)

    return _as_stated(values, True, span, working)
