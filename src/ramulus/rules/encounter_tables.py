"""Encounters, tabulated: seconds, chance of success, weight, XP and shown columns over the grid."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ramulus.design.base import MOST_XP
from ramulus.design.source import XpChoice, XpRange
from ramulus.errors import MissingPartError
from ramulus.formula.functions import Array
from ramulus.rules.evaluating import evaluate_at, fault
from ramulus.rules.grid import Grid, Index, has_numbers

if TYPE_CHECKING:
    from ramulus.design import Design

FIXED, RANGE, CHOICE = 0, 1, 2


@dataclass(frozen=True, eq=False)
class XpTables:
    """What each source's XP is drawn from.

    Attributes:
        kind: FIXED, RANGE or CHOICE, shape (S,).
        fixed: XP by level, shape (L, S); the mean for the other kinds.
        low, high: ends of a range, shape (S,).
        first: where a source's outcomes start in the two lists below, shape (S + 1,).
        outcome: XP of each outcome.
        up_to: running chance of the outcomes of a source, up to 1.
        second_moment: mean of XP squared, shape (L, S).
        highest: the most XP, shape (L, S).
    """

    kind: Index
    fixed: Array
    low: Array
    high: Array
    first: Index
    outcome: Array
    up_to: Array
    second_moment: Array
    highest: Array


@dataclass(frozen=True, eq=False)
class EncounterTables:
    """Everything about one encounter that depends on profile, level and column.

    Attributes:
        seconds: time of an attempt, before variation and the player's own pace, shape (P, L, C).
        success: chance of success, shape (P, L, C).
        weight: how often a source is met against the others, 0 where closed, shape (P, L, C).
        xp: what XP is drawn from.
        skill_xp: XP for the skill that a source practises, shape (L, C).
        shown: the author's further columns, each (P, L, C), not a number where a source lacks a number.
    """

    seconds: Array
    success: Array
    weight: Array
    xp: XpTables
    skill_xp: Array
    shown: dict[str, Array]


def encounter_tables(grid: Grid) -> EncounterTables:
    """Tabulate the encounters of a design.

    Raises:
        MissingPartError: nothing says how long an encounter with some source takes.
        DesignError: a time is negative, a chance is outside 0 … 1, a weight is negative, or all are 0 at a level.
    """
    return EncounterTables(
        _seconds(grid),
        _success(grid),
        _weight(grid),
        xp_tables(grid.design, grid.levels),
        _skill_xp(grid),
        _shown(grid),
    )


def _by_source(grid: Grid, key: str, default: float | str | None) -> Array:
    """Evaluate a source's own number or formula where it has one, and the encounter's for all others."""
    values = np.ones(grid.shape)
    shared: list[int] = []
    for index, name in enumerate(grid.sources):
        own = getattr(grid.design.sources[name], key)
        if own is None:
            shared.append(index)
        else:
            columns = grid.columns_of([index])
            values[:, :, columns] = _evaluated(grid, f"sources.{name}.{key}", own, columns)
    if shared and default is not None:
        columns = grid.columns_of(shared)
        values[:, :, columns] = _evaluated(grid, f"encounter.{key}", default, columns)
    return values


def _evaluated(grid: Grid, place: str, value: float | str, columns: Index) -> Array:
    # A formula may fail at levels where the source is closed; nobody meets it there.
    where = grid.open[None][:, :, columns]
    return evaluate_at(place, value, grid.names_for(columns), where)


def _place(grid: Grid, key: str, column: int) -> str:
    name = grid.sources[int(grid.source_of[column])]
    own = getattr(grid.design.sources[name], key) is not None and key != "weight"
    return f"sources.{name}.{key}" if own else f"encounter.{key}"


def _refuse(grid: Grid, key: str, values: Array, bad: NDArray[np.bool_], word: str, allowed: str, code: str) -> None:
    bad = bad & grid.open
    if bad.any():
        p, level, column = (int(axis[0]) for axis in np.nonzero(bad))
        who = f" for {grid.profiles[p]!r}" if grid.profiles[p] else ""
        source = grid.sources[int(grid.source_of[column])]
        found = f"{word} of {values[p, level, column]:.6g} at level {grid.levels[level]:g}{who} with source {source!r}"
        raise fault(_place(grid, key, column), found, allowed, code)


def _seconds(grid: Grid) -> Array:
    encounter = grid.design.encounter
    default = encounter.seconds if encounter else None
    if default is None and any(source.seconds is None for source in grid.design.sources.values()):
        raise MissingPartError("encounter.seconds", "the time of an encounter", '[encounter]\nseconds = "20 + level"')
    values = _by_source(grid, "seconds", default)
    _refuse(grid, "seconds", values, values < 0, "a time", "0 seconds or more", "negative-time")
    return np.where(grid.open, values, 0.0)


def _success(grid: Grid) -> Array:
    encounter = grid.design.encounter
    values = _by_source(grid, "success", encounter.success if encounter else 1)
    _refuse(grid, "success", values, (values < 0) | (values > 1), "a chance", "0 … 1 (clip it)", "chance-outside")
    return np.where(grid.open, values, 0.0)


def _weight(grid: Grid) -> Array:
    encounter = grid.design.encounter
    everything = np.arange(len(grid.source_of))
    values = np.ones(grid.shape) * _evaluated(
        grid, "encounter.weight", encounter.weight if encounter else 1, everything
    )
    _refuse(grid, "weight", values, values < 0, "a weight", "0 or more", "negative-weight")
    own = np.array([source.weight for source in grid.design.sources.values()], dtype=np.float64)
    values = np.where(grid.open, values * own[grid.source_of], 0.0)
    _refuse_all_zero(grid, values)
    return values


def _refuse_all_zero(grid: Grid, weight: Array) -> None:
    lost = grid.open.any(axis=1) & (weight.sum(axis=2) == 0)
    if lost.any():
        p, level = (int(axis[0]) for axis in np.nonzero(lost))
        who = f" for {grid.profiles[p]!r}" if grid.profiles[p] else ""
        found = f"sources are open at level {grid.levels[level]:g}{who}, and all their weights are 0"
        raise fault("encounter.weight", found, "a weight above 0 for one of them", "all-weights-zero")


def xp_tables(design: Design, levels: Array) -> XpTables:
    """Return what the XP of each source is drawn from, over main-track levels."""
    count = len(design.sources)
    kind, low, high = np.zeros(count, np.int64), np.zeros(count), np.zeros(count)
    fixed, square, highest = (np.zeros((len(levels), count)) for _ in range(3))
    first, outcome, up_to = [0], [], []
    for index, (name, source) in enumerate(design.sources.items()):
        xp = source.xp
        if isinstance(xp, XpRange):
            kind[index], low[index], high[index] = RANGE, xp.low, xp.high
            mean, spread = (xp.low + xp.high) / 2, ((xp.high - xp.low + 1) ** 2 - 1) / 12
            fixed[:, index], square[:, index], highest[:, index] = mean, mean**2 + spread, xp.high
        elif isinstance(xp, XpChoice):
            kind[index] = CHOICE
            amounts, chances = np.array(xp.one_of, dtype=np.float64).T
            outcome += amounts.tolist()
            up_to += [*np.cumsum(chances)[:-1].tolist(), 1.0]
            fixed[:, index], square[:, index] = (amounts * chances).sum(), (amounts**2 * chances).sum()
            highest[:, index] = amounts.max()
        else:
            fixed[:, index] = _fixed_xp(design, name, xp, levels)
            square[:, index], highest[:, index] = fixed[:, index] ** 2, fixed[:, index]
        first.append(len(outcome))
    return XpTables(kind, fixed, low, high, np.array(first), np.array(outcome), np.array(up_to), square, highest)


def _fixed_xp(design: Design, name: str, xp: float | str, levels: Array) -> Array:
    source = design.sources[name]
    low = -np.inf if source.from_level is None else source.from_level
    high = np.inf if source.to_level is None else source.to_level
    inside = (levels >= low) & (levels <= high)
    names = {**design.constants, "level": levels, "source_level": float(source.level)}
    values = np.broadcast_to(evaluate_at(f"sources.{name}.xp", xp, names, inside), levels.shape)
    outside = ((values < 0) | (values > MOST_XP)) & inside
    if outside.any():
        at = int(np.nonzero(outside)[0][0])
        raise fault(f"sources.{name}.xp", f"{values[at]:.6g} XP at level {levels[at]:g}", f"0 … {MOST_XP} XP")
    return np.where(inside, values, 0.0)


def _skill_xp(grid: Grid) -> Array:
    values = np.zeros(grid.shape[1:])
    for index, name in enumerate(grid.sources):
        amount = grid.design.sources[name].skill_xp
        if amount is None:
            continue
        columns = grid.columns_of([index])
        place = f"sources.{name}.skill_xp"
        values[:, columns] = _evaluated(grid, place, amount, columns)[0] if isinstance(amount, str) else amount
        outside = (values[:, columns] < 0) | (values[:, columns] > MOST_XP)
        if outside.any():
            raise fault(place, f"{values[:, columns][outside][0]:.6g} XP", f"0 … {MOST_XP} XP")
    return values


def _shown(grid: Grid) -> dict[str, Array]:
    encounter = grid.design.encounter
    shown: dict[str, Array] = {}
    for name, text in encounter.show.items() if encounter else ():
        having = [i for i, s in enumerate(grid.sources) if has_numbers(grid.design, grid.design.sources[s], text)]
        columns = grid.columns_of(having)
        shown[name] = np.full(grid.shape, np.nan)
        shown[name][:, :, columns] = _evaluated(grid, f"encounter.show.{name}", text, columns)
    return shown
