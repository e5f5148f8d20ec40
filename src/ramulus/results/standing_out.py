"""Levels that stand out: one that is longer than both its neighbours, or one from which on all are; and why.

A level is named only beyond chance. The intervals are so wide (Bonferroni) that of a track without such a level one is
named in one run of twenty at most.
"""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any

import numpy as np

from ramulus.design.calendar import WEEKDAYS
from ramulus.simulation.in_level import InLevel
from ramulus.simulation.samples import quantile

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.formula.functions import Array
    from ramulus.simulation.played import Arrivals, PlayedProfile

MISTAKEN = 0.05  # How often a level may be named that only chance made stand out.
STEP = 1.25  # A level from which on all take so many times as long, beyond how levels grow around it, is a step.
AROUND = 3
FELT = 0.07  # A cause that explains less than that is none.
GONE = 0.25  # Of its share of encounters: what falls below has closed, or is used up.
WORTH_NAMING = 0.15
NOTHING: dict[str, Any] = {
    **dict.fromkeys(("level", "hours", "drags_level", "drags_hours", "times", "step_level", "step_times"), math.nan),
    "why": "",
}


def standing_out(design: Design, profile: PlayedProfile, arrivals: Arrivals, track: str) -> dict[str, Any]:
    """Return the longest level, the one that stands out, a step, and why; see `SimulationResult.slowest`."""
    what = design.track(track)
    levels = np.arange(what.start_level, what.max_level + 1)
    stays = InLevel(arrivals, profile, track)
    hours = stays.hours(50)
    if not np.isfinite(hours).any():
        return dict(NOTHING)
    longest, found = int(np.nanargmax(hours)), dict(NOTHING)
    found.update(level=float(levels[longest]), hours=float(hours[longest]))
    low, high = stays.interval(50, 1 - MISTAKEN / len(levels))
    of_main = track == design.main_track_name
    each = _hours_an_encounter(profile, hours) if of_main else np.zeros(len(hours))
    spike, step = _spike(hours, low, high, each), _step(hours, low, high)
    if spike is not None:
        at, times = spike
        found.update(drags_level=float(levels[at]), drags_hours=float(hours[at]), times=times)
        found["why"] = _why(design, profile, arrivals, hours, at, [at - 1, at + 1]) if of_main else ""
    if step is not None:
        at, times = step
        found.update(step_level=float(levels[at]), step_times=times)
        if spike is None and of_main:
            found["why"] = _why(design, profile, arrivals, hours, at, [at - 1])
    return found


def _hours_an_encounter(profile: PlayedProfile, hours: Array) -> Array:
    """Return about how long one encounter takes at each level."""
    met = profile.totals.met.sum(axis=1) / profile.players
    return np.asarray(np.divide(hours, met, out=np.zeros(len(hours)), where=met > 0))


def _spike(hours: Array, low: Array, high: Array, each: Array) -> tuple[int, float] | None:
    """Return the level that is longest over the mean of its neighbours, of those longer than both, and how much."""
    if len(hours) < 3:
        return None
    beside = np.fmax(hours[:-2], hours[2:])
    beyond = (low[1:-1] > np.fmax(high[:-2], high[2:])) & (hours[1:-1] - beside > each[1:-1])
    beyond &= np.isfinite(hours[:-2]) & np.isfinite(hours[2:])
    around = (hours[:-2] + hours[2:]) / 2
    times = np.divide(hours[1:-1], around, out=np.full(len(around), np.nan), where=beyond & (around > 0))
    if not np.isfinite(times).any():
        return None
    at = int(np.nanargmax(times))
    return at + 1, float(times[at])


def _step(hours: Array, low: Array, high: Array) -> tuple[int, float] | None:
    """Return the level from which on all take most times as long, beyond how levels grow on both sides of it."""
    best: tuple[int, float] | None = None
    for at in range(2, len(hours) - 2):
        before, after = hours[max(at - AROUND, 0) : at], hours[at : at + AROUND]
        both = np.concatenate([before, after])
        if not (np.isfinite(both).all() and (both > 0).all()) or len(after) < 2:
            continue
        grows = float(np.median(np.concatenate([before[1:] / before[:-1], after[1:] / after[:-1]])))
        times = float(np.median(after) / np.median(before) / grows ** ((len(before) + len(after)) / 2))
        jump = float(hours[at] / hours[at - 1] / grows)
        beyond = bool((low[at : at + 2] > high[at - 1] * max(grows, 1.0)).all())
        if beyond and min(times, jump) >= STEP and (best is None or jump > best[1]):
            best = at, jump
    return best


def _why(
    design: Design, profile: PlayedProfile, arrivals: Arrivals, hours: Array, at: int, beside: list[int]
) -> str:  # fmt: skip
    """Return what makes a level long against others, in words: the part of it that explains most."""
    totals = profile.totals
    here, there = _Level.of(design, profile, hours, [at]), _Level.of(design, profile, hours, beside)
    if not (here.met and there.met and here.won and there.won and here.income and there.income):
        return ""
    changes = {
        "cost": here.cost / there.cost,
        "success": (there.won / there.met) / (here.won / here.met),
        "pay": (there.income / there.won) / (here.income / here.won),
        "time": here.seconds / there.seconds,
    }
    cause = max(changes, key=lambda name: changes[name])
    if math.log(changes[cause]) < FELT:
        return ""
    said = {
        "cost": f"it costs {changes['cost']:.1f} times as much",
        "success": f"success {1 / changes['success'] - 1:+.0%}",
        "pay": f"pay {1 / changes['pay'] - 1:+.0%}",
        "time": f"an encounter takes {changes['time'] - 1:+.0%}",
    }[cause]
    if cause == "cost":
        return said
    gone = _gone(design, totals.met, at, beside)
    timed = _ended(design, arrivals, profile, at) if cause == "pay" else ""
    reason = timed or gone
    return f"{reason}: {said}" if reason else said


class _Level:
    """Sums over some levels of one profile."""

    def __init__(self, cost: float, seconds: float, met: float, won: float, income: float) -> None:
        self.cost, self.seconds, self.met, self.won, self.income = cost, seconds, met, won, income

    @classmethod
    def of(cls, design: Design, profile: PlayedProfile, hours: Array, at: list[int]) -> _Level:
        from ramulus.rules.tabulation import tabulated

        costs = tabulated(design).main.curve.costs
        met, won, income = (float(getattr(profile.totals, name)[at].sum()) for name in ("met", "won", "income"))
        seconds = float(np.sum(hours[at])) / met if met else math.nan
        return cls(float(np.mean(costs[at])), seconds, met, won, income)


def _gone(design: Design, met: Array, at: int, beside: list[int]) -> str:
    """Return which source has closed, or is used up, since the level before."""
    before = [level for level in beside if level < at]
    if not before:
        return ""
    then, now = (met[levels].sum(axis=0) / max(met[levels].sum(), 1.0) for levels in (before, [at]))
    start, names = design.track().start_level, list(design.sources)
    for index in np.argsort(-then).tolist():
        if then[index] >= WORTH_NAMING and now[index] <= GONE * then[index]:
            source = design.sources[names[index]]
            if source.to_level is not None and source.to_level < start + at:
                return f"{names[index]} closed after level {source.to_level}"
            if any(source.limits):
                return f"{names[index]} was used up ({source.limits_in_words})"
    return ""


def _ended(design: Design, arrivals: Arrivals, profile: PlayedProfile, at: int) -> str:
    """Return which rule ended while the middle player was about that level."""
    days = quantile(arrivals.calendar, 0.5, profile.players)
    if not np.isfinite(days[at]):
        return ""
    came, left = float(days[max(at - 1, 0)]), float(days[at + 1]) if np.isfinite(days[at + 1]) else math.inf
    for rule in design.multipliers:
        if rule.to_day is None:
            continue
        again = max(math.ceil((min(left, came + rule.every) - rule.to_day) / rule.every) - 1, 0) if rule.every else 0
        ended = rule.to_day + again * (rule.every or 0)
        if came <= ended + 1 and ended < left:
            return f"{rule.name} ended on day {ended}"
    for rule in design.multipliers:
        if rule.weekdays is not None and left - came < len(WEEKDAYS):
            return f"{rule.name} was off ({', '.join(rule.weekdays)} only)"
    return ""
