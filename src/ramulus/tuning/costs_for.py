"""Costs from a wish for time: all costs of a track such that players of one profile reach levels in given hours."""

from __future__ import annotations

import itertools
import math
import warnings
from collections.abc import Callable, Mapping
from concurrent.futures import Executor
from numbers import Integral, Real
from typing import TYPE_CHECKING

import numpy as np

from ramulus.design.goal import HoursGoal
from ramulus.errors import RamulusError, refuse_other_than_design
from ramulus.results.simulate import SimulationStopped
from ramulus.rules.schedule import MICROS, schedules_of
from ramulus.simulation.in_level import HOUR
from ramulus.tuning.cost_curve_fit import TimeWishes
from ramulus.tuning.paced_costs import PacedCosts
from ramulus.tuning.pacing import Pacing
from ramulus.tuning.trials import TrialProgress, Trials

if TYPE_CHECKING:
    from ramulus.design import Design

ROOM = 2.0  # Of the horizon over the last wish.


def costs_for(
    design: Design,
    player: str,
    hours: Mapping[int, float] | None = None,
    seed: int = 0,
    *,
    days: Mapping[int, int] | None = None,
    executor: Executor | None = None,
    progress: Callable[[TrialProgress], object] | None = None,
) -> Design:
    """Return a design whose costs bring a profile's median player to levels in given hours.

    The costs of the main track rise from level to level, smoothly between the wishes and on past the last one, in
    whole XP or multiples of `rounding_to`; everything else stays as it is. They are found by playing, and correcting
    until the wishes hold.

    Args:
        design: the design.
        player: the profile.
        hours: played hours by level, rising.
        seed: the seed of every draw.
        days: calendar days by level, for a profile with a schedule: a level is to be reached in the middle of the last
            play day by then. Levels of both rise together.
        executor: where chunks run (default: threads, one a processor).
        progress: is called with a `TrialProgress` after each run.

    Returns:
        The design with the costs as `values`. A wish that does not hold (within 1.5 % for any fresh players) is warned
        of, with the reason.

    Raises:
        UnknownNameError: there is no such profile.
        RamulusError: a level or its hours cannot be wished for.
        DesignError: the design is at fault.
        SimulationStopped: it was interrupted (Ctrl-C).

    Examples:
        >>> import ramulus as rm
        >>> paced = rm.costs_for(rm.demo_design(), player="steady", hours={5: 0.5, 10: 2})
        >>> pace = rm.simulate(paced, {"steady": 500}).pace()
        >>> round(float(pace["hours_p50"][9]), 1)
        2.0
    """
    paced = pace_costs(design, player, hours or {}, seed, days=days, executor=executor, progress=progress)
    if paced.stopped:
        raise SimulationStopped(None, 0, 0)
    for note in paced.notes:
        warnings.warn(note, stacklevel=2)
    return paced.design


def pace_costs(
    design: Design, player: str, hours: Mapping[int, float], seed: int = 0, *, days: Mapping[int, int] | None = None,
    executor: Executor | None = None, progress: Callable[[TrialProgress], object] | None = None,
) -> PacedCosts:  # fmt: skip
    """Find costs as `costs_for` does, and say what was found."""
    refuse_other_than_design(design)
    design.profile(player)
    twice = sorted(hours.keys() & (days or {}).keys())
    if twice:
        raise RamulusError(f"level {twice[0]} is wished for in hours and in days; allowed: one of them")
    wishes = _wishes(design, {**hours, **_hours_of_days(design, player, days or {})})
    goals = [
        HoursGoal(player=player, level=design.track().start_level + below, hours=wish)
        for below, wish in zip(wishes.levels, wishes.hours, strict=True)
    ]
    trials = Trials(design, goals, hours=ROOM * wishes.hours[-1], seed=seed, executor=executor, progress=progress)
    return Pacing(trials, player, wishes).paced()


def _hours_of_days(design: Design, player: str, days: Mapping[int, int]) -> dict[int, float]:
    """Return the played hours that stand for days: the middle of the last play day by then, of the middle schedule."""
    schedules = schedules_of(design, design.profile(player))
    if days and not schedules:
        raise RamulusError(f"days for {player!r}, which has no schedule; allowed: hours, or hours_per_day in the file")
    found: dict[int, float] = {}
    for level, day in days.items():
        if not isinstance(day, Integral) or day < 1:
            raise RamulusError(f"level {level} on day {day!r}; allowed: a whole day, 1 or later")
        played = sorted(int(schedule.play_days_until(np.asarray(day))) for schedule in schedules)[len(schedules) // 2]
        if played < 1:
            raise RamulusError(f"level {level} on day {day}, by which {player!r} has not played; allowed: a later one")
        found[level] = (played - 0.5) * schedules[0].day / MICROS / HOUR
    return found


def _wishes(design: Design, hours: Mapping[int, float]) -> TimeWishes:
    track = design.track()
    if not hours:
        raise RamulusError("no wish; allowed: hours by level, such as {10: 2.5}")
    for level, wish in hours.items():
        if not (isinstance(level, Integral) and track.start_level < level <= track.max_level):
            raise RamulusError(f"level {level!r}; allowed: {track.start_level + 1} … {track.max_level}")
        if not (isinstance(wish, Real) and math.isfinite(wish) and wish > 0):
            raise RamulusError(f"level {level} in {wish!r} h; allowed: a finite number above 0")
    levels = sorted(hours)
    for one, two in itertools.pairwise(levels):
        if hours[two] <= hours[one]:
            found = f"level {two} in {hours[two]:g} h, and level {one} in {hours[one]:g} h"
            raise RamulusError(f"{found}; allowed: hours that rise with the level")
    below = tuple(int(level) - track.start_level for level in levels)
    return TimeWishes(below, tuple(float(hours[one]) for one in levels))
