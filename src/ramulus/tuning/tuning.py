"""Tune: the numbers that meet a design's goals, found by playing."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Executor
from dataclasses import dataclass
from html import escape
from typing import TYPE_CHECKING

import numpy as np
import pandas as pd

from ramulus.errors import refuse_other_than_design
from ramulus.goals import MET, MISSED, Judged, judge
from ramulus.results.simulate import SimulationStopped
from ramulus.tuning.aims import Aim
from ramulus.tuning.certainty import Certainty
from ramulus.tuning.fitting import Fitting
from ramulus.tuning.landscape import Fit
from ramulus.tuning.ranges import Range, Vary, ranges_of
from ramulus.tuning.trials import TrialProgress, Trials, hours_to_search
from ramulus.tuning.verdicts import said_of

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.formula.functions import Array

VALUES = ("name", "before", "after", "low", "high", "determined", "at_bound")
GOALS = (
    "goal", "player", "wish", "found_before", "found", "low", "high", "off", "verdict_before", "verdict",
)  # fmt: skip
MOST_DIGITS = 8
SPOILS = 0.25  # Of a tolerance: rounding that moves a goal farther is too much.
FAR = 1.0  # Tolerances: rounding that is expected to move a goal farther does.
CONFIRMED_BY = 3  # Times the players of the search.


@dataclass(frozen=True, eq=False)
class Tuning:
    """The result of `tune`.

    Attributes:
        design: the design with the numbers found.
        before: the design as it was.
        values: a row a number: `name`, `before`, `after`, `low`, `high`, `determined`, `at_bound`. The 95 % interval
            is of the best value before it is rounded to the digits that serve.
        goals: a row a goal: `goal`, `player`, `wish`, `found_before`, `found`, `low`, `high`, `off`,
            `verdict_before`, `verdict`; played anew with other draws and more players.
        worse: what is worse with the numbers found, a sentence each: fewer goals met, a level newly out of reach, a
            goal that must be met and is not. Empty where nothing is.
        notes: what else there is to know, a sentence each, what is worse first.
        stopped: whether it was interrupted, so that these are the best numbers so far.

    Examples:
        >>> import ramulus as rm
        >>> found = rm.tune(rm.demo_design(), ["constants.crown_gate"], players=50)
        >>> found.design.constants["crown_gate"] < 3000
        True
    """

    design: Design
    before: Design
    values: pd.DataFrame
    goals: pd.DataFrame
    notes: tuple[str, ...]
    stopped: bool = False
    worse: tuple[str, ...] = ()
    must_missed: bool = False
    """Whether a goal that must be met is missed."""

    @property
    def changed(self) -> dict[str, float]:
        """The numbers that are other than before, by place."""
        rows = zip(self.values["name"], self.values["before"], self.values["after"], strict=True)
        return {name: after for name, before, after in rows if before != after}

    def __repr__(self) -> str:
        changed = ", ".join(f"{name} = {value:g}" for name, value in self.changed.items())
        met = int((self.goals["verdict"] == "met").sum()) if len(self.goals) else 0
        return f"<Tuning: {changed or 'nothing changed'}; {met} of {len(self.goals)} goals met>"

    def _repr_html_(self) -> str:
        tables = [table.to_html(index=False, float_format="{:.4g}".format) for table in (self.values, self.goals)]
        notes = "".join(f"<li>{escape(note)}</li>" for note in self.notes)
        return "".join(tables) + (f"<ul>{notes}</ul>" if notes else "")


def tune(
    design: Design,
    vary: Vary,
    whole: Sequence[str] = (),
    players: int = 2000,
    seed: int = 0,
    *,
    executor: Executor | None = None,
    progress: Callable[[TrialProgress], object] | None = None,
) -> Tuning:
    """Find the numbers that meet a design's goals.

    It is least squares on how far the goals are off, each in its own tolerances, by playing with shared draws; the
    numbers are rounded to as few digits as still serve, and the goals judged anew by other draws and more players.

    Args:
        design: the design; it needs goals.
        vary: the places of numbers, or bare names; or a mapping of these to bounds ``(low, high)``, or to None: a
            tenth of the number to ten times it.
        whole: the places of those that are to stay whole. Numbers whose key takes only whole ones, and constants
            that are compared with a level, stay whole anyway.
        players: how many players of each profile that has a goal.
        seed: the seed of every draw.
        executor: where chunks run (default: threads, one a processor).
        progress: is called with a `TrialProgress` after each run.

    Returns:
        The result. Interrupted (Ctrl-C) it holds the best numbers so far, and says so.

    Raises:
        MissingPartError: the design has no goals.
        UnknownNameError: there is no such place.
        RamulusError: no number stands there, its bounds are none, or it is 0 and has no bounds.
        DesignError: the design is at fault.
        SimulationStopped: it was interrupted before anything was played.

    Examples:
        >>> import ramulus as rm
        >>> tuning = rm.tune(rm.demo_design(), {"crown_gate": (1000, 3500)}, players=200)
        >>> tuning.values["name"].tolist()
        ['constants.crown_gate']
    """
    refuse_other_than_design(design)
    design.require("goals", "tuning")
    ranges = ranges_of(design, vary, whole)
    horizon = hours_to_search(design, design.goals)
    trials = Trials(design, design.goals, hours=horizon, seed=seed, executor=executor, progress=progress)
    trials.play(design, 1)  # A design at fault is said to be so before it is searched for numbers.
    fitting = Fitting(trials, ranges, players)
    try:
        fit = fitting.fit()
        values = _rounded(fitting, fit, ranges, players)
        trials.doing = "confirming with other draws"
        return _tuning(trials, ranges, fit, fitting.named(values), players)
    except (SimulationStopped, KeyboardInterrupt):
        if fitting.best is None:
            raise
        return _so_far(trials, ranges, fitting)


def _rounded(fitting: Fitting, fit: Fit, ranges: Sequence[Range], players: int) -> Array:
    """Return the numbers with the fewest digits that leave the goals about where they are."""
    for digits in range(1, MOST_DIGITS):
        each = zip(ranges, fit.values.tolist(), strict=True)
        rounded = np.array([_to_digits(one, value, digits) for one, value in each])
        if (np.abs(fitting.expected(fit, rounded)) > np.abs([aim.off for aim in fit.aims]) + FAR).any():
            continue  # Not worth a run.
        aims = fitting.aims(rounded, players)
        if aims is not None and all(_as_good(now, then) for now, then in zip(aims, fit.aims, strict=True)):
            return rounded
    return fit.values


def _as_good(now: Aim, then: Aim) -> bool:
    """Whether a goal is about as near to its wish as before; one that is met is not left just failing."""
    return abs(now.off) <= abs(then.off) + SPOILS and (then.failed or not now.failed)


def _to_digits(one: Range, value: float, digits: int) -> float:
    if one.number.whole:
        return value
    return min(max(float(f"{value:.{digits}g}"), one.low), one.high)


def _tuning(trials: Trials, ranges: Sequence[Range], fit: Fit, named: dict[str, float], players: int) -> Tuning:
    design, certainty = trials.variant(named), Certainty(fit, ranges)
    verdicts = [
        judge(trials.play(one, CONFIRMED_BY * players, seed=trials.seed + 1, to_the_end=True))
        for one in (trials.design, design)
    ]
    rows = []
    for index, (one, after) in enumerate(zip(ranges, named.values(), strict=True)):
        known = certainty.determined[index], certainty.at_bound[index]
        rows.append((one.number.place, one.number.value, after, *certainty.interval(index), *known))
    values = pd.DataFrame(rows, columns=list(VALUES))
    worse = tuple(_worse(*verdicts))
    missed = any(one.goal.must and one.verdict == MISSED for one in verdicts[1])
    met = {id(one.goal) for one in verdicts[1] if one.verdict == MET}
    notes = (*worse, *said_of(certainty, met))
    return Tuning(design, trials.design, values, _goals(*verdicts), notes, worse=worse, must_missed=missed)


def _worse(before: list[Judged], after: list[Judged]) -> Iterator[str]:
    """Yield what is worse than before, by the same fresh draws."""
    counts = [sum(one.verdict == MET for one in judged) for judged in (before, after)]
    if counts[1] < counts[0]:
        lost = [str(now.words) for then, now in zip(before, after, strict=True) if then.verdict == MET != now.verdict]
        yield f"worse than before: {counts[1]} of {len(after)} goals met, before {counts[0]} (lost: {'; '.join(lost)})"
    for then, now in zip(before, after, strict=True):
        if now.verdict == MISSED and _out_of_reach(now) and not _out_of_reach(then):
            yield f"worse than before: newly out of reach for {now.goal.player}: {now.words} (too few get there)"
        if now.goal.must and now.verdict == MISSED:
            yield f"a goal that must be met is missed: {now.goal.player}, {now.words}"


def _out_of_reach(one: Judged) -> bool:
    return not math.isfinite(one.measured.found)


def _goals(before: list[Judged], after: list[Judged]) -> pd.DataFrame:
    rows = []
    for then, now in zip(before, after, strict=True):
        words, player, wish, found, low, high, off, verdict, _ = now.row
        rows.append((words, player, wish, then.measured.found, found, low, high, off, then.verdict, verdict))
    return pd.DataFrame(rows, columns=list(GOALS))


def _so_far(trials: Trials, ranges: Sequence[Range], fitting: Fitting) -> Tuning:
    assert fitting.best is not None
    named = fitting.named(fitting.best[2])
    nothing = (math.nan, math.nan, False, "")
    rows = [(one.number.place, one.number.value, named[one.number.place], *nothing) for one in ranges]
    values, goals = pd.DataFrame(rows, columns=list(VALUES)), pd.DataFrame([], columns=list(GOALS))
    notes = ("interrupted: the best numbers so far, not confirmed",)
    return Tuning(trials.variant(named), trials.design, values, goals, notes, stopped=True)
