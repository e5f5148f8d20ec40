"""Checks of income: levels that lower it for good, slides, failures that cost more than is won."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ramulus.checks.finding import Finding
from ramulus.checks.overview import Overview, overview_of
from ramulus.formula.functions import Array

if TYPE_CHECKING:
    from ramulus.design import Design

FALL = 0.1  # A level that lowers income by more than this is found,
RECOVERS = 2  # unless so many levels later it is back: that is what a harder region feels like.
SLIDE, SLIDE_LEVELS = 0.3, 4
ABOVE, ABOVE_SHARE = 5, 0.5


def check_income(design: Design) -> Iterator[Finding]:
    """Yield what is suspicious about what players earn by the hour, along the levels."""
    if not design.sources:
        return
    overview = design.derived(overview_of)
    yield from _falls(overview)
    yield from _slides(overview)
    yield from _losing(overview)
    yield from _above(overview)


def _falls(overview: Overview) -> Iterator[Finding]:
    """A level-up after which XP per hour stays below what it was, for the mix of lasting sources that is met."""
    levels = overview.columns.levels
    for rate, name in zip(overview.rate[:, :-1], overview.names, strict=True):
        falls = _lasting_falls(rate)
        if len(falls):
            worst = int(falls[np.argmin(rate[falls + 1] / rate[falls])])
            more = f"; {len(falls) - 1} more such levels" if len(falls) > 1 else ""
            yield Finding(
                "income-falls", "warning", "encounter",
                f"reaching level {levels[worst + 1]:g} lowers income by "
                f"{1 - rate[worst + 1] / rate[worst]:.0%}, from {rate[worst]:,.0f} to {rate[worst + 1]:,.0f} XP per "
                f"hour, and it stays down{more}{overview.left_out(worst)}",
                "open the next source earlier, or let the multipliers fall more gently", int(levels[worst + 1]),
                (name,),
            )  # fmt: skip


def _lasting_falls(rate: Array) -> NDArray[np.int64]:
    """Return the places after which a rate falls, and does not come back within a few levels."""
    later = np.array([rate[i + 1 : i + 2 + RECOVERS].max(initial=0.0) for i in range(len(rate) - 1)])
    return np.nonzero((later < (1 - FALL) * rate[:-1]) & (rate[1:] > 0))[0]


def _slides(overview: Overview) -> Iterator[Finding]:
    """Income that goes down over many levels, without one level to blame."""
    levels = overview.columns.levels
    for rate, name in zip(overview.rate[:, :-1], overview.names, strict=True):
        first, last = _deepest(rate)
        if last - first < SLIDE_LEVELS or rate[last] > (1 - SLIDE) * rate[first] or rate[last] <= 0:
            continue
        if any(first <= place < last for place in _lasting_falls(rate)):
            continue
        yield Finding(
            "income-slides", "warning", "encounter",
            f"income slides from {rate[first]:,.0f} XP per hour at level {levels[first]:g} to "
            f"{rate[last]:,.0f} at level {levels[last]:g}, {1 - rate[last] / rate[first]:.0%} less: "
            f"each level feels a little slower{overview.left_out(first)}",
            "open a new source on the way, or let the multipliers fall more gently", int(levels[first]), (name,),
        )  # fmt: skip


def _deepest(rate: Array) -> tuple[int, int]:
    """Return where the deepest fall from any earlier level starts and ends."""
    if not len(rate):
        return 0, 0
    peak = np.maximum.accumulate(rate)
    last = int(np.argmin(np.divide(rate, peak, out=np.ones(len(rate)), where=peak > 0)))
    return int(np.nonzero(rate[: last + 1] == peak[last])[0][-1]), last


def _losing(overview: Overview) -> Iterator[Finding]:
    """Levels at which failures take more, in the mean, than encounters pay."""
    lost = overview.tabulation.lost[:-1] / overview.tabulation.main.scale
    if not lost.any():
        return
    grid = overview.columns
    at = grid.first_column
    paid = (overview.lasting * overview.xp[:, :, at]).sum(axis=2)[:, :-1]
    failing = (overview.lasting * (1 - overview.success[:, :, at])).sum(axis=2)[:, :-1]
    taken = failing * lost
    for index, name in enumerate(overview.names):
        losing = np.nonzero((taken[index] > paid[index]) & (overview.lasting[index, :-1].sum(axis=1) > 0))[0]
        if len(losing):
            level = int(losing[0])
            yield Finding(
                "level-loses", "warning", "encounter.failure.loss",
                f"at level {grid.levels[level]:g} failures take {taken[index, level]:,.1f} XP an encounter in "
                f"the mean, and encounters pay {paid[index, level]:,.1f} XP: hardly anybody gets past it "
                f"({len(losing)} such levels)",
                "lower the loss, raise the chance of success, or lower the cost there", int(grid.levels[level]),
                (name,),
            )  # fmt: skip


def _above(overview: Overview) -> Iterator[Finding]:
    """Players who have most of their XP from sources far above their own level."""
    grid, at = overview.columns, overview.columns.first_column
    strength = np.broadcast_to(grid.source_level[:, at], (len(grid.levels), len(at)))
    far = strength > grid.levels[:, None] + np.maximum(ABOVE, grid.levels[:, None] / 2)
    income = overview.lasting * overview.xp[:, :, at]
    total = income.sum(axis=2)
    share = np.divide((income * far).sum(axis=2), total, out=np.zeros_like(total), where=total > 0)[:, :-1]
    for index, name in enumerate(overview.names):
        high = np.nonzero(share[index] > ABOVE_SHARE)[0]
        if len(high):
            level = int(high[0])
            source = int((income[index, level] * far[level]).argmax())
            yield Finding(
                "lives-above", "warning", f"sources.{grid.sources[source]}",
                f"at level {grid.levels[level]:g}, {share[index, level]:.0%} of the XP comes from sources far "
                f"above the player, most from {grid.sources[source]!r} of level {strength[level, source]:g} "
                f"({len(high)} such levels)",
                "open it later with from_level, let its success or weight fall with the gap, or lower its xp",
                int(grid.levels[level]), (name,),
            )  # fmt: skip
