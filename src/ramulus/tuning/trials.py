"""Trials: variants of a design, played with shared draws, only as far as its goals ask."""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import Executor
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from ramulus.design.goal import (
    EVERYONE,
    DaysGoal,
    Goal,
    HoursGoal,
    LongestLevelGoal,
    RatioGoal,
    ReachedGoal,
    StillPlayingGoal,
    WastedGoal,
)
from ramulus.goals import horizon_for
from ramulus.goals.kinds import hours_needed
from ramulus.goals.longest_level import span_of
from ramulus.results.simulate import DEFAULT_HOURS, play_until
from ramulus.rules.sharing import share_tables

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.results.result import SimulationResult


ROOM = 1.5  # Over the hours that goals ask for: numbers may be far off.


@dataclass(frozen=True)
class TrialProgress:
    """How far a search has got.

    Attributes:
        runs_done: variants played.
        runs: all that are to be played, or None where nobody can know.
        seconds: wall-clock seconds since the start.
        doing: what is being done, in a few words.
    """

    runs_done: int
    runs: int | None
    seconds: float
    doing: str


def hours_to_search(design: Design, goals: Sequence[Goal]) -> float:
    """Return a horizon that is enough to tell which way numbers have to go, and no longer than need be."""
    if any(_names_no_end(goal) for goal in goals):
        return horizon_for(design, DEFAULT_HOURS)
    longest = [goal.wish * len(span_of(goal, design)) for goal in goals if isinstance(goal, LongestLevelGoal)]
    others = [hours_needed(goal, design) for goal in goals]
    return ROOM * max([*longest, *others])


def _names_no_end(goal: Goal) -> bool:
    """Whether a goal says nothing of when it is to be reached: of hours between levels, ratios, waste, who is left."""
    if isinstance(goal, HoursGoal):
        return goal.level is None
    if isinstance(goal, StillPlayingGoal):
        return goal.level is not None
    return isinstance(goal, WastedGoal | RatioGoal) or (
        isinstance(goal, LongestLevelGoal) and goal.from_level is not None
    )


class Trials:
    """Plays variants of a design for some goals, with the same draws each time.

    Args:
        design: the design.
        goals: the goals that matter.
        hours: the horizon (default: as in `simulate`).
        seed: the seed of every draw.
        executor: where chunks run.
        progress: is called with a `TrialProgress` after each variant.
    """

    def __init__(
        self, design: Design, goals: Sequence[Goal], *, hours: float | None = None, seed: int = 0,
        executor: Executor | None = None, progress: Callable[[TrialProgress], object] | None = None,
    ) -> None:  # fmt: skip
        self.design, self.goals = design, tuple(goals)
        self.hours = horizon_for(design, DEFAULT_HOURS) if hours is None else hours
        self.seed, self.doing = seed, "playing"
        self.runs: int | None = None
        self._executor, self._progress = executor, progress
        self._done, self._started = 0, time.monotonic()

    def variant(self, values: Mapping[str, Any]) -> Design:
        """Return the design with other values, and with the tables that they leave as they are.

        Raises:
            DesignError: a value is not allowed, or leads to costs that are not.
        """
        if not values:
            return self.design
        changed = self.design.with_values(values)
        share_tables(self.design, changed)
        return changed

    def play(
        self, design: Design, players: int, goals: Sequence[Goal] | None = None, *, seed: int | None = None,
        to_the_end: bool = False,
    ) -> SimulationResult:  # fmt: skip
        """Play a variant: the profiles of the goals, up to their highest level, or to the end.

        Raises:
            DesignError: the variant is at fault.
            SimulationStopped: it was interrupted.
        """
        wanted = self.goals if goals is None else goals
        hours = horizon_for(design, DEFAULT_HOURS) if to_the_end else self.hours
        counts = dict.fromkeys(profiles_of(wanted, design), players)
        last = None if to_the_end else last_level_of(wanted, design)
        result = play_until(
            last, design, counts, hours, self.seed if seed is None else seed, executor=self._executor,
            keep_players=True,
        )  # fmt: skip
        self._done += 1
        if self._progress is not None:
            self._progress(TrialProgress(self._done, self.runs, time.monotonic() - self._started, self.doing))
        return result


def profiles_of(goals: Sequence[Goal], design: Design) -> list[str]:
    """Return the profiles that some goals are about, in the order of the design."""
    named = {name for goal in goals for name in (goal.player, getattr(goal, "compared_with", goal.player))}
    return [name for name in design.profiles if EVERYONE in named or name in named]


def last_level_of(goals: Sequence[Goal], design: Design) -> int | None:
    """Return the highest level of the main track that some goals ask for; None where they ask for all of play."""
    levels = [_level_of(goal, design) for goal in goals]
    known = [level for level in levels if level is not None]
    return min(max(known), design.track().max_level) if known and len(known) == len(levels) else None


def _level_of(goal: Goal, design: Design) -> int | None:
    if goal.track not in (None, design.main_track_name):
        return None
    if isinstance(goal, LongestLevelGoal):
        return span_of(goal, design)[-1] + 1
    if isinstance(goal, HoursGoal):
        return goal.level if goal.level is not None else goal.to_level
    return goal.level if isinstance(goal, DaysGoal | RatioGoal | ReachedGoal) else None
