"""Checks of level costs."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

import numpy as np

from ramulus.checks.finding import Finding
from ramulus.design.cost_ways import ValuesCost
from ramulus.rules.costs import CostCurve
from ramulus.rules.tabulation import tabulated
from ramulus.tables.cost_shape import cost_shape, steps_up

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.design.cost_ways import Cost

RUNAWAY_SHARE = 0.5


def check_costs(design: Design) -> Iterator[Finding]:
    """Yield what is suspicious about the costs of each track."""
    for name in design.tracks:
        curve = tabulated(design).tracks[name].curve
        place = f"tracks.{name}.cost"
        yield from _falls_and_walls(curve, place)
        yield from _equal_neighbours(curve, place)
        yield from _clamps(curve, design.tracks[name].cost, place)
        yield from _unused_values(curve, design.tracks[name].cost, place)
        yield from _size(curve, place)
        yield from _left_out(curve)


def _left_out(curve: CostCurve) -> Iterator[Finding]:
    """Rows of a cost file that were taken for no level's."""
    for part in curve.parts:
        if part.stated.left_out:
            yield Finding(
                "cost-file-rows", "note", f"{part.place}.file",
                f"left out: {', '.join(part.stated.left_out)}", "fine where these are no levels; else mend the rows",
            )  # fmt: skip


def _falls_and_walls(curve: CostCurve, place: str) -> Iterator[Finding]:
    shape = cost_shape(curve)
    for jump in shape.jumps:
        yield Finding(
            "cost-wall", "warning", place,
            f"level {jump.level} costs {jump.cost:,.0f} XP, {jump.times:.1f} times the {jump.expected:,.0f} "
            "XP that its "
            f"neighbours suggest ({jump.cost / jump.before:.1f} times the level before)",
            f"spread it over several levels, or lower it towards {jump.expected:,.0f} XP", jump.level,
        )  # fmt: skip
    for level in steps_up(curve)[:3]:
        index = level - curve.start_level
        seams = {part.low for part in curve.parts[1:]}
        where = ", where one segment ends and the next begins" if level in seams else ""
        cost, before = curve.costs[index], curve.costs[index - 1]
        yield Finding(
            "cost-step", "warning", place,
            f"level {level} costs {cost:,.0f} XP, {cost / before - 1:.0%} more than the {before:,.0f} XP of level "
            f"{level - 1}, and costs stay up{where}",
            "let the costs meet there, or spread the rise over several levels", level,
        )  # fmt: skip
    if shape.falls:
        first = shape.falls[0]
        index = first - curve.start_level
        listed = ", ".join(map(str, shape.falls[:8])) + (" …" if len(shape.falls) > 8 else "")
        yield Finding(
            "cost-falls", "warning", place,
            f"level {first} costs {curve.costs[index]:,.10g} XP, less than the {curve.costs[index - 1]:,.10g} "
            "XP of the "
            f"level before ({len(shape.falls)} such levels: {listed})",
            f"work it through (ramulus explain FILE {place} --level {first}), or set at_least", first,
        )  # fmt: skip


def _equal_neighbours(curve: CostCurve, place: str) -> Iterator[Finding]:
    same = (np.diff(curve.costs) == 0) & (np.abs(np.diff(curve.exact)) > 1e-9 * np.abs(curve.exact[1:]))
    if same.any():
        i = int(np.nonzero(same)[0][0])
        yield Finding(
            "rounding-levels-costs", "note", place,
            f"rounding makes levels {curve.levels[i]:g} and {curve.levels[i + 1]:g} cost the same "
            f"{curve.costs[i]:,.0f} XP "
            f"({curve.exact[i]:.4g} and {curve.exact[i + 1]:.4g} before rounding; {int(same.sum())} such pairs)",
            "use larger numbers throughout (ten times the XP), or rounding = \"none\"", int(curve.levels[i]),
        )  # fmt: skip


def _clamps(curve: CostCurve, cost: Cost, place: str) -> Iterator[Finding]:
    for sign, key, limit in ((1, "at_most", cost.at_most), (-1, "at_least", cost.at_least)):
        held = curve.clamped == sign
        # A single level at its limit is what a limit is for; a run of them is a curve that has stopped.
        if limit is not None and held.sum() > 1:
            first = int(curve.levels[np.nonzero(held)[0][0]])
            yield Finding(
                "cost-at-limit", "note", f"{place}.{key}",
                f"{int(held.sum())} of {len(held)} levels stand at {key} = {limit:g} XP, the first is level {first}",
                "fine where a flat stretch is wanted; else move the limit", first,
            )  # fmt: skip


def _unused_values(curve: CostCurve, cost: Cost, place: str) -> Iterator[Finding]:
    if not isinstance(cost, ValuesCost):
        return
    wanted = len(curve.costs)
    given = len(cost.values) - (cost.gives == "total" and cost.values[:1] == [0])
    if given > wanted:
        yield Finding(
            "values-unused", "warning", f"{place}.values",
            f"{given} values for {wanted} levels: the last {given - wanted} are never used",
            "raise max_level or shorten the list",
        )  # fmt: skip
    elif given < wanted:
        yield Finding(
            "values-held", "note", f"{place}.values",
            f"{given} values for {wanted} levels: the last cost of {curve.costs[-1]:,.10g} XP repeats "
            f"{wanted - given} times",
            "fine where a flat stretch is wanted; else lengthen the list",
        )  # fmt: skip


def _size(curve: CostCurve, place: str) -> Iterator[Finding]:
    if curve.totals[-1] > 2**53:
        level = int(curve.levels[np.nonzero(curve.totals > 2**53)[0][0]])
        yield Finding(
            "total-beyond-exact", "warning", place,
            f"from level {level} on, totals pass {2**53:,} XP: whole XP are no longer exact in float64",
            "divide all XP by a constant", level,
        )  # fmt: skip
    tail = max(len(curve.costs) // 10, 1)
    share = curve.costs[-tail:].sum() / curve.totals[-1]
    if len(curve.costs) >= 20 and share > RUNAWAY_SHARE:
        yield Finding(
            "cost-runaway", "warning", place,
            f"the last {tail} of {len(curve.costs)} levels take {share:.0%} of all XP (level "
            f"{curve.max_level - 1} alone "
            f"costs {curve.costs[-1]:,.0f} XP): growth has turned into a wall",
            "lower the growth, or cap the cost with at_most", curve.max_level - tail,
        )  # fmt: skip
