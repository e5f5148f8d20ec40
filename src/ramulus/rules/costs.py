"""The cost of every level of a track: what is stated, then clamps, then rounding, then what must hold."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from ramulus.design.cost_ways import Cost, CostWay, SegmentsCost
from ramulus.design.names import cost_ways
from ramulus.errors import RamulusError
from ramulus.formula import Step, number_text
from ramulus.formula.functions import Array
from ramulus.rules.evaluating import fault
from ramulus.rules.limits import Limits
from ramulus.rules.rounding import Rounder
from ramulus.rules.stated import Span, Stated, stated
from ramulus.rules.working import Working

if TYPE_CHECKING:
    from ramulus.design import Design


@dataclass(frozen=True, eq=False)
class CostPart:
    """The levels that one way states, in stages: stated, clamped, rounded.

    Attributes:
        place: where the way stands.
        way: the way.
        low, high: the first level, and one past the last level, whose cost it states.
        stated: what it states: costs, or totals.
        stated_costs: what a level costs by that, shape (high - low,).
        clamped: the costs after at_least and at_most, shape (high - low,).
        exact: the stated quantity after clamps: the clamped costs, or totals added up of them anew.
        settled: that quantity rounded.
        limits: at_least and at_most.
        rounder: how the quantity becomes whole.
    """

    place: str
    way: CostWay
    low: int
    high: int
    stated: Stated
    stated_costs: Array
    clamped: Array
    exact: Array
    settled: Array
    limits: Limits
    rounder: Rounder

    @property
    def costs(self) -> Array:
        """XP from each level to the next, shape (high - low,)."""
        return np.diff(self.settled) if self.stated.totals else self.settled

    def working(self, level: int) -> Working:
        """Return how the cost of a level came about, stage by stage; of totals, from the two that it is between."""
        if not self.stated.totals:
            return self._working_of_cost(level)
        below = self._working_of_total(level) if level > self.low else Working("")
        above = self._working_of_total(level + 1)
        index = level + 1 - self.low
        cost = _difference(f"total({level + 1}) - total({level})", self.settled, index, level + 1)
        names = {name: value for name, value in above.names.items() if name != "level"}
        text = above.text if below.text in ("", above.text) else f"{below.text}; {above.text}"
        return Working(text, names, (*below.steps, *above.steps, cost))

    def _working_of_cost(self, level: int) -> Working:
        index = level - self.low
        lines = self.limits.steps(float(self.stated.values[index]))
        lines += self.rounder.steps("cost", float(self.exact[index]))
        return self.stated.working(level).then(*lines)

    def _working_of_total(self, level: int) -> Working:
        index = level - self.low
        lines = list(self._clamped_total(level)) if (self.clamped != self.stated_costs).any() and index else []
        lines += self.rounder.steps("total", float(self.exact[index]))
        settled = float(self.settled[index])
        lines.append(Step(f"total({level})", number_text(settled), settled, f"the total at level {level}"))
        return self.stated.working(level).then(*lines)

    def _clamped_total(self, level: int) -> Iterator[Step]:
        """The total added up anew, where a clamp has changed some cost of the part."""
        index = level - self.low
        yield _difference(f"stated total({level}) - stated total({level - 1})", self.stated.values, index, level)
        yield from self.limits.steps(float(self.stated_costs[index - 1]))
        before, cost = number_text(float(self.exact[index - 1])), number_text(float(self.clamped[index - 1]))
        note = "added up again from costs that at_least or at_most changed"
        yield Step(f"total({level})", f"{before} + {cost}", float(self.exact[index]), note)


def _difference(name: str, totals: Array, index: int, level: int) -> Step:
    above, below = float(totals[index]), float(totals[index - 1])
    put_in = f"{number_text(above)} - {number_text(below)}"
    return Step(name, put_in, above - below, f"the cost of level {level - 1}")


@dataclass(frozen=True, eq=False)
class CostCurve:
    """What each level of a track costs.

    Attributes:
        track: the track's name.
        levels: the levels from start to cap, shape (n + 1,).
        parts: the ways that state the costs, in order of level.
        costs: XP from each level to the next, shape (n,); the cap has none.
        totals: XP from nothing to each level, shape (n + 1,).
    """

    track: str
    levels: Array
    parts: tuple[CostPart, ...]
    costs: Array
    totals: Array

    @property
    def start_level(self) -> int:
        """The level at the start."""
        return int(self.levels[0])

    @property
    def max_level(self) -> int:
        """The cap."""
        return int(self.levels[-1])

    @property
    def exact(self) -> Array:
        """The costs after clamps and before rounding, shape (n,)."""
        return np.concatenate([part.clamped for part in self.parts])

    @property
    def clamped(self) -> Array:
        """Which costs a clamp changed: -1 raised, 0 not, 1 lowered, shape (n,)."""
        return np.concatenate([np.sign(part.stated_costs - part.clamped) for part in self.parts])

    def cost(self, level: int) -> float:
        """Return the XP from a level to the next."""
        return float(self.costs[level - self.start_level])

    def part_at(self, level: int) -> CostPart:
        """Return the way that states a level's cost; the last one states the total at the cap."""
        return next((part for part in self.parts if level < part.high), self.parts[-1])

    def part_working(self, level: int) -> tuple[CostPart, Working]:
        """Return the part that states a level's cost, and the working of that.

        Raises:
            RamulusError: the level has no cost.
        """
        if not self.start_level <= level < self.max_level:
            raise RamulusError(f"level {level} has no cost; allowed: {self.start_level} … {self.max_level - 1}")
        part = self.part_at(level)
        return part, part.working(level)


def cost_curve(design: Design, track: str) -> CostCurve:
    """Compute the cost of every level of a track; `tabulated(design).tracks[track].curve` keeps it.

    Raises:
        DesignError: a cost is ≤ 0 or not finite, totals do not rise, or a table is too short.
        DataError: the file of a table cannot be understood.
    """
    what = design.track(track)
    place = f"tracks.{track}.cost"
    parts: list[CostPart] = []
    for where, way, low, high in _ways(what.cost, place, what.start_level, what.max_level):
        parts.append(_part(design, what.cost, where, way, (what.start_level, low, high), parts))
    costs = np.concatenate([part.costs for part in parts])
    levels = np.arange(what.start_level, what.max_level + 1, dtype=np.float64)
    curve = CostCurve(track, levels, tuple(parts), costs, np.concatenate([[0.0], np.cumsum(costs)]))
    _refuse_standstill(curve, place)
    if what.start_xp >= curve.costs[0]:
        found = f"start_xp {what.start_xp:g} would pay for level {what.start_level} ({curve.costs[0]:g} XP) at once"
        raise fault(f"tracks.{track}.start_xp", found, f"below {curve.costs[0]:g}")
    return curve


def _ways(cost: Cost, place: str, start: int, cap: int) -> Iterator[tuple[str, CostWay, int, int]]:
    """Yield each way with its place, the first level it states and one past the last."""
    ways = list(cost_ways(place, cost))
    starts = [segment.from_level for segment in cost.segments] if isinstance(cost, SegmentsCost) else [start]
    for (where, way), low, high in zip(ways, starts, [*starts[1:], cap], strict=True):
        if where == ways[0][0] and low != start:
            raise fault(f"{where}.from_level", f"the first segment starts at level {low}", f"{start}, the start level")
        if low >= high:
            found = f"level {low} is not below the next start {high}"
            raise fault(f"{where}.from_level", found, "segments that rise")
        yield where, way, low, high


def _part(
    design: Design, cost: Cost, place: str, way: CostWay, levels: tuple[int, int, int], before: list[CostPart]
) -> CostPart:
    limits = Limits.of(cost.at_least, cost.at_most)
    start, low, high = levels
    rounds = getattr(way, "round_each_step", False)
    previous = float((before[-1].costs if rounds else before[-1].clamped)[-1]) if before else None
    rounder = Rounder.of(cost)
    settle = settling(limits, rounder, rounds)
    what = stated(way, Span(place, start, low, high, design.constants, previous, settle, design.folders))
    costs = np.diff(what.values) if what.totals else what.values
    clamped = limits.clip(costs)
    exact = clamped
    if what.totals:
        added = np.cumsum(np.concatenate([what.values[:1], clamped]))
        exact = what.values if (clamped == costs).all() else added
    settled = rounder(exact)
    return CostPart(place, way, low, high, what, costs, clamped, exact, settled, limits, rounder)


def settling(limits: Limits, rounder: Rounder, rounds_each_step: bool) -> Callable[[float], float]:
    """Return what a step by step cost passes before it feeds on."""
    if not rounds_each_step:
        return limits.clip_one
    return lambda value: float(rounder(limits.clip_one(value)))


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
