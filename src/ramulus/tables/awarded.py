"""Awards booked one after the other, as a table of what each did."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import TYPE_CHECKING, Any

import numpy as np
from numpy.typing import NDArray

from ramulus.errors import AwardError
from ramulus.rules.ledger import Ledger
from ramulus.rules.outcomes import OUTCOME_COLUMNS
from ramulus.rules.xp_units import FINEST, MOST_SUM, as_units, fitting, in_xp, to_units, whole_where_whole

if TYPE_CHECKING:
    from ramulus.formula.functions import Array


COMPILED_FROM = 20_000  # From so many awards on, loading the compiled rule is sooner done than calling it as Python.


_EXACT = 2.0**53


def in_units(awards: Sequence[float] | Array, scale: int) -> tuple[NDArray[Any], NDArray[Any]]:
    """Return the awards, and the same in units: as int64 where all fit, else as Python's own whole numbers."""
    if isinstance(awards, np.ndarray) and awards.dtype.kind in "iuf":
        amounts = awards
        good = np.isfinite(amounts) & (amounts >= 0)
        if good.all() and float(amounts.max(initial=0)) * scale < _EXACT:
            units = to_units(amounts, scale)
            if scale == 10**FINEST or (units / scale == amounts).all():
                return amounts, units
    counted = []
    listed = [a.item() if isinstance(a, np.generic) else a for a in awards]
    for step, amount in enumerate(listed, 1):
        try:
            counted.append(as_units(amount, scale, "an award"))
        except AwardError as error:
            raise AwardError(f"award {step}: {error}") from None
    return np.array(listed, dtype=object), fitting(counted)


def booked(ledger: Ledger, units: NDArray[Any]) -> NDArray[Any]:
    """Return level (from 0), XP and wasted units after each award, shape (3, n)."""
    rule, account = ledger.tables.overflow, ledger.account
    # The compiled rule counts in 63 bits; where an award or a sum would not fit, whole numbers of any size do.
    fits = units.dtype != object and float(units.sum(dtype=np.float64)) + account.xp + sum(rule.costs) < MOST_SUM / 2
    if fits and len(units) >= COMPILED_FROM and not ledger.tables.gates:
        from ramulus.simulation.booking import book_many

        return book_many(rule, account.level, account.xp, units)
    booked = list(_one_by_one(ledger, units.tolist()))
    return np.array(booked, dtype=np.int64 if fits else object).reshape(-1, 3).T


def _one_by_one(ledger: Ledger, units: list[int]) -> Iterable[tuple[int, int, int]]:
    level, xp = ledger.account.level, ledger.account.xp
    for amount in units:
        level, xp, wasted = ledger.tables.book(level, xp, amount, ledger.account.open)
        yield level, xp, wasted


def outcome_columns(
    ledger: Ledger, amounts: NDArray[Any], units: NDArray[Any], booked: NDArray[Any]
) -> dict[str, NDArray[Any]]:
    """Return the columns of `trace` by name: the amounts as given, with what `booked` says each came to."""
    index, held, wasted = booked
    start, scale, bar = ledger.account, ledger.tables.scale, ledger.bar
    level = index.astype(np.int64)
    before = np.concatenate([[start.level], level[:-1]]).astype(np.int64)
    earned = np.cumsum(units.astype(held.dtype))
    granted = ledger.tables.granted
    points = start.points + granted[np.maximum.accumulate(np.maximum(level, start.level))] - granted[start.level]
    state = _by_state(level, held, [bar.label, bar.progress, lambda at, _: bar.cost(at)], ledger.start_level)
    columns = {
        "step": np.arange(1, len(units) + 1),
        "amount": whole_where_whole(amounts),
        "level_before": before + ledger.start_level,
        "level": level + ledger.start_level,
        "levels_gained": level - before,
        "kept": in_xp(np.where(level > before, held, 0), scale),
        "wasted": in_xp(wasted, scale),
        "xp": in_xp(held, scale),
        "cost": whole_where_whole(state[2]),
        "progress": state[1].astype(np.float64),
        "points": whole_where_whole(points),
        "earned": in_xp(earned, scale),
        "label": state[0],
    }
    return {name: columns[name] for name in ("step", *OUTCOME_COLUMNS)}


def _by_state(
    level: NDArray[np.int64], held: NDArray[Any], read: list[Callable[[int, int], Any]], start: int
) -> list[NDArray[Any]]:
    """Return what the bar says of each state; a state that recurs is read once."""
    step = int(held.max(initial=0)) + 1
    fits = (int(level.max(initial=0)) + 1) * step < MOST_SUM
    states, place = np.unique(level.astype(np.int64 if fits else object) * step + held, return_inverse=True)
    found = []
    for one in read:
        values = np.empty(len(states), dtype=object)
        values[:] = [one(state // step + start, state % step) for state in states.tolist()]
        found.append(values[place])
    return found
