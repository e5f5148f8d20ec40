"""The cost of every level of a track: what is stated, then clamps, then rounding, then what must hold."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING

import numpy as np

from ramulus.formula.functions import Array
from ramulus.rules.cost_ways import Span, Stated, stated
from ramulus.rules.evaluating import fault
from ramulus.rules.rounding import rounded

if TYPE_CHECKING:
    from collections.abc import Callable

    from ramulus.design import Design
    from ramulus.design.track import Cost, CostWay


@dataclass(frozen=True, eq=False)
class CostCurve:
    """What each level of a track costs.

    Attributes:
        track: the track's name.
        levels: the levels from start to cap, shape (n + 1,).
        costs: XP from each level to the next, shape (n,); the cap has none.
        totals: XP from nothing to each level, shape (n + 1,).
        exact: the stated costs after clamps and before rounding, shape (n,).
        clamped: which costs a clamp changed: -1 raised, 0 not, 1 lowered, shape (n,).
    """

    track: str
    levels: Array
    costs: Array
    totals: Array
    exact: Array
    clamped: Array

    @property
    def start_level(self) -> int:
        """The level at the start."""
        return int(self.levels[0])

    @property
    def max_level(self) -> int:
        """The cap."""
        return int(self.levels[-1])

    def cost(self, level: int) -> float:
        """Return the XP from a level to the next."""
        return float(self.costs[level - self.start_level])


def cost_curve(design: Design, track: str | None = None) -> CostCurve:
    """Return the cost of every level of a track.

    Args:
        design: the design.
        track: the track's name (default: the main track).

    Raises:
        DesignError: a cost is ≤ 0 or not finite, totals do not rise, or a table is too short.
        DataError: the file of a table cannot be understood.
    """
    name = track or design.main_track_name
    what = design.track(name)
    place = f"tracks.{name}.cost"
    parts = [
        _part(design, name, way, low, high) for way, low, high in _ways(what.cost, what.start_level, what.max_level)
    ]
    curve = _joined(parts, name, what.start_level, what.max_level)
    _refuse_standstill(curve, place)
    if what.start_xp >= curve.costs[0]:
        found = f"start_xp {what.start_xp:g} would pay for level {what.start_level} ({curve.costs[0]:g} XP) at once"
        raise fault(f"tracks.{name}.start_xp", found, f"below {curve.costs[0]:g}")
    return curve


@dataclass(frozen=True)
class _Part:
    costs: Array
    exact: Array
    clamped: Array


_Ways = list[tuple["CostWay", int, int]]


def _ways(cost: Cost, start: int, cap: int) -> _Ways:
    if cost.segments is None:
        return [(cost, start, cap)]
    return [*zip(cost.segments, (s.from_level for s in cost.segments), _ends(cost, cap), strict=True)]


def _ends(cost: Cost, cap: int) -> list[int]:
    return [segment.from_level for segment in (cost.segments or [])[1:]] + [cap]


def _part(design: Design, track: str, way: CostWay, low: int, high: int) -> Callable[[float | None], _Part]:
    """Return the computation of one part, waiting for the cost of the level before it."""

    def compute(previous: float | None) -> _Part:
        cost, start = design.tracks[track].cost, design.tracks[track].start_level
        place = f"tracks.{track}.cost"
        if cost.segments is not None:
            index = next(i for i, segment in enumerate(cost.segments) if segment is way)
            place += f".segments[{index}]"
            _check_order(place, index, low, high, start)
        folder = design.file.parent if design.file else Path()
        span = Span(place, start, low, high, design.constants, previous, _settle(cost, way), folder)
        return _finished(stated(way, span), cost)

    return compute


def _check_order(place: str, index: int, low: int, high: int, start: int) -> None:
    if index == 0 and low != start:
        raise fault(f"{place}.from_level", f"the first segment starts at level {low}", f"{start}, the start level")
    if low >= high:
        raise fault(f"{place}.from_level", f"level {low} is not below the next start {high}", "segments that rise")


def _settle(cost: Cost, way: CostWay) -> Callable[[float], float]:
    """Return what happens to a step by step cost before it feeds on."""
    low = -np.inf if cost.at_least is None else cost.at_least
    high = np.inf if cost.at_most is None else cost.at_most
    if not way.round_each_step:
        return lambda value: min(max(value, low), high)
    return lambda value: float(rounded(np.float64(min(max(value, low), high)), cost.rounding))


def _finished(what: Stated, cost: Cost) -> _Part:
    """Clamp the costs, then round the quantity that was stated."""
    if what.costs is not None:
        exact, clamped = _clamped(what.costs, cost)
        return _Part(rounded(exact, cost.rounding), exact, clamped)
    assert what.totals is not None
    exact, clamped = _clamped(np.diff(what.totals), cost)
    totals = what.totals
    if clamped.any():
        totals = totals[0] + np.concatenate([[0.0], np.cumsum(exact)])
    return _Part(np.diff(rounded(totals, cost.rounding)), exact, clamped)


def _clamped(costs: Array, cost: Cost) -> tuple[Array, Array]:
    low = -np.inf if cost.at_least is None else cost.at_least
    high = np.inf if cost.at_most is None else cost.at_most
    inside = np.clip(costs, low, high)
    lowered = (costs > high) | ((costs == high) & (cost.next is not None) & np.isfinite(high))
    raised = (costs < low) | ((costs == low) & (cost.next is not None) & np.isfinite(low))
    return inside, np.where(lowered, 1, np.where(raised, -1, 0))


def _joined(parts: list[Callable[[float | None], _Part]], track: str, start: int, cap: int) -> CostCurve:
    done: list[_Part] = []
    for compute in parts:
        done.append(compute(float(done[-1].exact[-1]) if done else None))
    costs = np.concatenate([part.costs for part in done])
    return CostCurve(
        track,
        np.arange(start, cap + 1, dtype=np.float64),
        costs,
        np.concatenate([[0.0], np.cumsum(costs)]),
        np.concatenate([part.exact for part in done]),
        np.concatenate([part.clamped for part in done]),
    )


def _refuse_standstill(curve: CostCurve, place: str) -> None:
    """A level that costs nothing would level for ever; one too dear for float64 would never end."""
    faulty = ~(curve.costs > 0) | ~np.isfinite(curve.totals[1:])
    faulty |= ~(np.diff(curve.totals) > 0)
    if faulty.any():
        i = int(np.nonzero(faulty)[0][0])
        found = f"level {curve.levels[i]:g} costs {curve.costs[i]:.12g} XP"
        exact = float(curve.exact[i])
        if exact != curve.costs[i]:
            found += f" (before rounding: {exact:.12g})"
        raise fault(place, found, "a finite cost above 0 at every level", "cost-not-positive")
