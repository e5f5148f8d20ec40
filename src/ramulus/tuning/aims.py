"""What `tune` brings to the wish: each goal as one or more numbers, each with how far off it is in tolerances."""

from __future__ import annotations

import math
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING

import numpy as np

from ramulus.comparing.statistic import Statistic
from ramulus.design.goal import (
    DaysGoal,
    Goal,
    HoursGoal,
    LongestLevelGoal,
    PaceGoal,
    RatioGoal,
    ReachedGoal,
    StillPlayingGoal,
    WastedGoal,
)
from ramulus.goals import SHARES, limits
from ramulus.goals.measuring import groups_of
from ramulus.rules.schedule import MICROS, schedules_of
from ramulus.simulation.in_level import HOUR
from ramulus.simulation.resampling import RESAMPLES, widening
from ramulus.tuning.goal_statistics import days_at, in_logs, seconds_at, statistics_of, unreached

if TYPE_CHECKING:
    from ramulus.formula.functions import Array
    from ramulus.results.result import SimulationResult

MUST = 30.0  # Times its tolerances that a goal which must be met counts: others give way to it.
LEAST_TOLERANCE = 0.02  # What a goal counts by that tolerates nothing.
ONE_SIDED = 0.05
SHARE_TOLERANCE = 0.02
SURELY = 2.0  # Standard errors by which a one-sided goal is to be met, so that its verdict is no toss-up.
BOTH, NOT_ABOVE, NOT_BELOW = 0, 1, -1


@dataclass(frozen=True, eq=False)
class Aim:
    """One number that a goal is about, and where it should be.

    Attributes:
        goal: the goal.
        level: the level that it is about, where the goal is about each of several.
        value: the number: a logarithm of hours or days, or a share.
        found: the same with what tells how sure it is; None where too few get there.
        target: where it should be; of a one-sided goal with room for chance.
        limit: where a one-sided goal is just met.
        unit: what counts as one off: the goal's tolerance.
        side: BOTH, NOT_ABOVE or NOT_BELOW: on which side it is off.
    """

    goal: Goal
    level: int | None
    value: float
    found: Statistic | None
    target: float
    limit: float
    unit: float
    side: int

    @property
    def error(self) -> float:
        """The standard error of its value; not a number where it is not known."""
        return math.nan if self.found is None else self.found.error

    @property
    def off(self) -> float:
        """How far off it is, in tolerances; 0 for a one-sided one on its good side."""
        off = (self.value - self.target) / self.unit
        if self.side == NOT_ABOVE:
            return max(off, 0.0)
        return min(off, 0.0) if self.side == NOT_BELOW else off

    @property
    def lead(self) -> float:
        """How far it is from its target on either side, as a search counts it: where it is off, its miss."""
        return (self.value - self.target) / self.unit * self.counts

    @property
    def counts(self) -> float:
        """What a tolerance that it is off counts in a search, against the other goals."""
        return math.sqrt(float(self.goal.weight)) * (MUST if self.goal.must else 1.0)

    @property
    def miss(self) -> float:
        """How far off it is as a search counts it."""
        return self.off * self.counts

    @property
    def again(self) -> Array:
        """How far off it is for the players drawn again, as a search counts it, shape (resamples,)."""
        lead = self.lead_again
        if self.side == BOTH:
            return lead
        return np.maximum(lead, 0.0) if self.side == NOT_ABOVE else np.minimum(lead, 0.0)

    @property
    def lead_again(self) -> Array:
        """How far it is from its target on either side for the players drawn again, shape (resamples,)."""
        if self.found is None or not np.isfinite(self.found.again).all():
            return np.full(RESAMPLES, self.lead)
        moved = (self.found.again - self.found.smooth) * widening(self.found.players) / self.unit
        return np.asarray(self.lead + moved * self.counts)

    @property
    def reached(self) -> bool:
        """Whether enough players get there."""
        return self.found is not None

    @property
    def failed(self) -> bool:
        """Whether it is farther off than the goal tolerates."""
        return abs(self.off) > 1 if self.side == BOTH else self.side * (self.value - self.limit) > 0

    @property
    def slack(self) -> bool:
        """Whether it is one-sided and on its good side, so that small moves do not matter to it."""
        return self.side != BOTH and self.off == 0


def met_between(goal: Goal) -> tuple[float, float]:
    """Return between which values of its smooth number a goal is met; a day lasts to its end."""
    low, high = limits(goal)
    if isinstance(goal, SHARES):
        return low, high
    high = high + 1 if isinstance(goal, DaysGoal) else high
    return math.log(low) if low > 0 else -math.inf, math.log(high)


def target_of(goal: Goal) -> float:
    """Return the value of its smooth number that a goal wishes; of a one-sided one, where it is just met."""
    low, high = met_between(goal)
    if isinstance(goal, DaysGoal):
        return math.log(goal.days + 0.5)
    if math.isinf(low) or math.isinf(high):
        return high if math.isinf(low) else low
    return math.log(goal.wish)


def aims_of(goal: Goal, result: SimulationResult, surely: float = SURELY) -> list[Aim]:
    """Return what a goal is about in a run.

    Args:
        goal: the goal.
        result: the run.
        surely: by how many standard errors of the run one-sided goals are to be met.
    """
    if isinstance(goal, ReachedGoal):
        found: dict[int | None, Statistic] = {None: _share_in_time(goal, result)}
    else:
        found = statistics_of(goal, result)
    return [_aim(goal, level, statistic, result, surely) for level, statistic in found.items()]


def _share_in_time(goal: ReachedGoal, result: SimulationResult) -> Statistic:
    """Return when the wished share is there: it goes on where the share itself is stuck at none or all."""
    most = 1 - 0.5 / max(result.players.values())
    share = min(max(float(goal.reached) * (1 - goal.allowance), 1 - most), most)
    if goal.by_hours is not None:
        return Statistic.of_quantiles(in_logs(goal, share, result, seconds_at(goal, goal.level, result), HOUR))
    return Statistic.of_quantiles(in_logs(goal, share, result, days_at(goal, goal.level, result)))


def _aim(goal: Goal, level: int | None, statistic: Statistic, result: SimulationResult, surely: float) -> Aim:
    target, unit, side = _target_and_unit(goal)
    known = statistic.known
    value = statistic.value if known else _beyond(goal, level, result)
    aim = Aim(goal, level, value, statistic if known else None, target, target, unit, side)
    if side == BOTH or not known or not math.isfinite(aim.error):
        return aim
    return replace(aim, target=target - side * surely * aim.error)


def _target_and_unit(goal: Goal) -> tuple[float, float, int]:
    if isinstance(goal, StillPlayingGoal):
        return target_of(goal), max(goal.wish * goal.allowance, SHARE_TOLERANCE), NOT_BELOW
    if isinstance(goal, WastedGoal):
        return target_of(goal), max(goal.wish * goal.allowance, 0.1 * goal.wish, 1e-3), NOT_ABOVE
    if isinstance(goal, ReachedGoal):
        wish = float(goal.by_hours) if goal.by_hours is not None else (goal.by_day or 0) + 1
        return math.log(wish), ONE_SIDED, NOT_ABOVE
    if isinstance(goal, LongestLevelGoal):
        return target_of(goal), max(math.log1p(goal.allowance), ONE_SIDED), NOT_ABOVE
    target = target_of(goal)
    unit = min(abs(end - target) for end in met_between(goal))
    return target, max(unit, math.log1p(LEAST_TOLERANCE)), BOTH


def _beyond(goal: Goal, level: int | None, result: SimulationResult) -> float:
    """Return a value for what too few players get to: beyond the horizon, and the more the farther off it is."""
    share = float(goal.quantile) if isinstance(goal, PaceGoal) else 0.5
    if level is not None:
        far = level + 1
    elif isinstance(goal, HoursGoal):
        far = goal.level or goal.to_level or 0
    else:
        far = int(getattr(goal, "level", 0))
    hours = unreached(goal, far, share, result)
    if isinstance(goal, RatioGoal):
        other = goal.model_copy(update={"player": goal.compared_with})
        return math.log(hours / unreached(other, far, share, result))
    if isinstance(goal, DaysGoal) or (isinstance(goal, ReachedGoal) and goal.by_day is not None):
        return math.log(hours * _days_an_hour(goal, result))
    return math.log(hours)


def _days_an_hour(goal: Goal, result: SimulationResult) -> float:
    """Return the calendar days that an hour played takes those of a goal's profiles who play least."""
    profiles = [result.design.profile(group.profile) for group in groups_of(goal, result)]
    schedules = [schedule for player in profiles for schedule in schedules_of(result.design, player)]
    return max(7 / len(one.days) * HOUR * MICROS / one.day for one in schedules)
