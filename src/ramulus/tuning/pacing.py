"""The search for costs that give wished hours: played, corrected, and played again."""

from __future__ import annotations

import itertools
import math
from functools import partial
from operator import itemgetter
from typing import TYPE_CHECKING, Any, cast

import numpy as np
import pandas as pd

from ramulus.errors import RamulusError
from ramulus.goals.measuring import Measured, quantile_of
from ramulus.results.simulate import SimulationStopped
from ramulus.rules.tabulation import tabulated
from ramulus.simulation.in_level import HOUR
from ramulus.simulation.samples import Sample, WholeSample, quantile
from ramulus.tuning.cost_curve_fit import TimeWishes, carried_on, in_grains, smooth_costs
from ramulus.tuning.goal_statistics import earned_by
from ramulus.tuning.paced_costs import COLUMNS, PacedCosts
from ramulus.tuning.trials import Trials

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.formula.functions import Array
    from ramulus.results.result import SimulationResult
    from ramulus.simulation.played import PlayedProfile

PLAYERS = (300, 500, 500, 1000, 1000, 2000, 4000, 4000)
CONFIRMED_BY = 8000
HELD = 0.0125  # A wish holds within it, so that any fresh run of many players finds it within 1.5 %.
NO_TIME = 1e18  # XP per hour of a level whose hours are counted elsewhere.
FALLING = 0.03  # A smaller miss is none of costs that would have to fall.
MORE_ROUNDS, SETTLED = 10, 0.004  # Of the most players, until no wish is missed by more.
JUMP, NEAR = 0.02, 0.02  # A level of costs that near whose hours differ by so much more than they jumps.
OVERSHOT, LEAST_WAY = -0.2, 0.15


class Pacing:
    """The search for the costs: play, read off XP per hour, fit, and again with more players."""

    def __init__(self, trials: Trials, player: str, wishes: TimeWishes) -> None:
        self._trials, self._player, self._wishes = trials, player, wishes
        self._trials.runs = len(PLAYERS) + 1
        track, cost = trials.design.track(), trials.design.track().cost
        self._grain = float(cost.rounding_to or 1)
        self._least = self._grain * (math.floor(float(track.start_xp) / self._grain) + 1)
        self._count = track.max_level - track.start_level
        self._way, self._misses = 1.0, cast("Array | None", None)
        self._sides: dict[bool, tuple[Array, Array]] = {}
        self._most = np.full(self._count, np.inf)

    def paced(self) -> PacedCosts:
        """Return the costs, as far as the search got."""
        curve = tabulated(self._trials.design).main.curve
        costs = in_grains(curve.costs, self._grain, self._least)
        before, exact, stopped = curve.costs, costs.copy(), False
        found, best, last = None, (math.inf, costs), 0
        try:
            for players in (*PLAYERS, *(MORE_ROUNDS * PLAYERS[-1:])):
                self._trials.doing = f"{players:,} players"
                result = self._trials.play(self._design(costs), players)
                worst = self._worst(result)
                # What few players find best may be luck: more players judge anew.
                best = min(best if players == last else (math.inf, costs), (worst, costs), key=itemgetter(0))
                last = players
                if players == PLAYERS[-1]:
                    if worst < SETTLED:
                        break
                    self._hold_jump(costs, result)
                self._turn_down(result)
                # What is rounded away is not forgotten, so that small corrections add up.
                exact = np.exp((1 - self._way) * np.log(exact) + self._way * np.log(self._corrected(costs, result)))
                costs = in_grains(exact, self._grain, self._least)
            self._trials.doing = "confirming with other draws"
            costs = best[1]
            result = self._trials.play(self._design(costs), CONFIRMED_BY, seed=self._trials.seed + 1)
            found = self._found(result)
        except (SimulationStopped, KeyboardInterrupt):
            if best[0] == math.inf:
                raise
            costs, stopped = best[1], True
        return self._told(costs, before, found, stopped)

    def _design(self, costs: Array) -> Design:
        design = self._trials.design
        values: dict[str, Any] = {"values": [int(cost) if float(cost).is_integer() else float(cost) for cost in costs]}
        if design.track().cost.rounding_to is not None:
            values["rounding_to"] = design.track().cost.rounding_to
        return self._trials.variant({f"tracks.{design.main_track_name}.cost": values})

    def _medians(self, result: SimulationResult) -> Array:
        """Return the median hours to each level from the start to the last wished one; infinite where unreached."""
        group = result.profile(self._player)
        hours = quantile(group.main.seconds, 0.5, group.players)[: self._wishes.levels[-1] + 1] / HOUR
        return np.where(np.isnan(hours), np.inf, hours)

    def _worst(self, result: SimulationResult) -> float:
        hours = self._medians(result)[np.array(self._wishes.levels)]
        return float(np.abs(np.log(hours / np.array(self._wishes.hours))).max())

    def _turn_down(self, result: SimulationResult) -> None:
        """Go part of the way only, where the last correction overshot.

        Where sources come back with time, XP an hour goes by time and not by level, and corrections swing to and fro.
        """
        misses = np.log(self._medians(result)[np.array(self._wishes.levels)] / np.array(self._wishes.hours))
        if self._misses is not None and np.isfinite(misses).all() and np.isfinite(self._misses).all():
            worst = int(np.abs(self._misses).argmax())
            left = float(misses[worst] / self._misses[worst])
            # What was left of the miss, of the part of the way that was gone, is how far to go (a secant).
            if left < OVERSHOT:
                self._way = min(max(self._way / (1 - left), LEAST_WAY), 1.0)
        self._misses = misses

    def _corrected(self, costs: Array, result: SimulationResult) -> Array:
        top = self._wishes.levels[-1]
        group = result.profile(self._player)
        scale = tabulated(result.design).main.scale
        overall = earned_by(group, 0.5) / scale / result.hours
        hours = self._medians(result)
        rates = _rates(costs[:top], hours, overall)
        wishes, held = self._wishes, np.flatnonzero(np.isfinite(self._most[:top]))
        if len(held) and np.isfinite(hours).all():
            # A level that is held takes what it takes; the others share what is left of the wishes above it.
            taken = [float(np.diff(hours)[held[held < below]].sum()) for below in wishes.levels]
            left = tuple(wish - part for wish, part in zip(wishes.hours, taken, strict=True))
            if min(left) > 0 and all(one < two for one, two in itertools.pairwise(left)):
                wishes, rates[held] = TimeWishes(wishes.levels, left), NO_TIME
        found = smooth_costs(costs[:top], rates, wishes, self._grain, self._least)
        return np.asarray(np.minimum(carried_on(found, self._count, self._grain), self._most))

    def _hold_jump(self, costs: Array, result: SimulationResult) -> None:
        """Hold the cost of a level down at which hours jump past the wish, so that the others make up for it.

        A loss or an award rounded to whole XP changes at some cost; no smooth curve gets to hours inside of such a
        jump.
        """
        hours = np.diff(self._medians(result))
        place = int(np.abs(np.log(np.cumsum(hours)[np.array(self._wishes.levels) - 1] / self._wishes.hours)).argmax())
        top = self._wishes.levels[place]
        late = bool(np.cumsum(hours)[top - 1] > self._wishes.hours[place])
        self._sides[late] = costs, hours
        if len(self._sides) < 2 or not np.isfinite(hours).all():
            return
        (low, short), (high, long) = self._sides[False], self._sides[True]
        apart = np.log(long[:top] / short[:top]) - np.log(high[:top] / low[:top])
        level = int(apart.argmax())
        if apart[level] > JUMP and np.allclose(low, high, rtol=NEAR):
            self._most[level] = min(self._most[level], low[level])
            self._sides, self._way = {}, 1.0

    def _found(self, result: SimulationResult) -> list[tuple[Measured, float]]:
        """Return the hours to each wished level with their interval, and the hours of one encounter there."""
        found = []
        group = result.profile(self._player)
        encounters = group.main.encounters
        for goal, below in zip(self._trials.goals, self._wishes.levels, strict=True):
            one = slice(below, below + 1)
            measured = quantile_of(goal, 0.5, result, partial(_over, one), result.hours * HOUR)
            assert isinstance(encounters, WholeSample)
            met = encounters.values[:, below]
            each = measured.found / max(float(np.median(met[np.isfinite(met)])), 1.0) if np.isfinite(met).any() else 0.0
            known = Measured(measured.found / HOUR, measured.low / HOUR, measured.high / HOUR)
            found.append((known, each / HOUR))
        return found

    def _told(
        self, costs: Array, before: Array, found: list[tuple[Measured, float]] | None, stopped: bool
    ) -> PacedCosts:
        start = self._trials.design.track().start_level
        rows = []
        for place, (below, wish) in enumerate(zip(self._wishes.levels, self._wishes.hours, strict=True)):
            measured = found[place][0] if found is not None else Measured(math.nan, math.nan, math.nan)
            holds = abs(measured.found - wish) <= HELD * wish
            rows.append((start + below, wish, *measured[:3], measured.found / wish - 1, holds))
        wishes = pd.DataFrame(rows, columns=list(COLUMNS))
        levels = np.arange(start, start + self._count)
        table = pd.DataFrame({"level": levels, "before": before, "after": costs})
        each = [0.0 if found is None else found[place][1] for place in range(len(rows))]
        notes = ["interrupted: the best costs so far, not confirmed"] if stopped else self._notes(wishes, costs, each)
        design, of_before = self._design(costs), self._trials.design
        unread = tuple(name for name in design.unread_constants if name not in of_before.unread_constants)
        return PacedCosts(design, of_before, self._player, wishes, table, tuple(notes), unread, stopped)

    def _notes(self, wishes: pd.DataFrame, costs: Array, encounters: list[float]) -> list[str]:
        """Name the wishes that do not hold, and why; `encounters` are the hours that one takes on the way there."""
        flat = np.diff(costs) <= self._grain
        notes, below = [], 0
        for row, top, each in zip(wishes.itertuples(), self._wishes.levels, encounters, strict=True):
            if not row.holds:
                crowded = bool(flat[max(below - 1, 0) : top].any())
                why = "play does not settle there"
                if crowded and not abs(row.off) <= FALLING:
                    why = "it would need costs that fall"
                elif each / 2 > HELD * row.wish:
                    why = f"one encounter more or less is {60 * each:.2g} min"
                found = f"{row.found:.3g} h ({row.off:+.1%})" if math.isfinite(row.found) else "too few get there"
                notes.append(f"level {row.level} in {row.wish:g} h does not hold: {found}; {why}")
            below = top
        return notes


def _over(level: slice, group: PlayedProfile) -> Sample:
    """Return a profile's seconds to one level."""
    return group.main.seconds.over(level)


def _rates(costs: Array, hours: Array, overall: float) -> Array:
    """Return the XP per hour within each level, from the hours at which levels were reached.

    Levels that are passed together share a rate; unreached ones have that of the last level that was reached, or the
    overall one where there is none.
    """
    rates = np.full(len(costs), np.nan)
    first, earned = 0, 0.0
    for level, cost in enumerate(costs.tolist()):
        earned += cost
        spent = hours[level + 1] - hours[first]
        if math.isfinite(spent) and spent > 1e-6 * hours[level + 1]:
            rates[first : level + 1] = earned / spent
            first, earned = level + 1, 0.0
    known = np.isfinite(rates)
    if not known.any():
        if not overall > 0:
            raise RamulusError("half of the players earn nothing in that time; wish for more, or see what check says")
        return np.full(len(costs), overall)
    return np.asarray(np.interp(np.arange(len(costs)), np.flatnonzero(known), rates[known]))
