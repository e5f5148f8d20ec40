"""A goal of a design as it stands, from which each number is moved."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from ramulus.comparing.statistic import Statistic
from ramulus.design.goal import Goal
from ramulus.goals import measure, words_of
from ramulus.tuning.aims import met_between
from ramulus.tuning.goal_statistics import statistics_of

if TYPE_CHECKING:
    from ramulus.results.result import SimulationResult


@dataclass(frozen=True, eq=False)
class Base:
    """A goal of the design as it stands.

    Attributes:
        goal: the goal.
        found: what it measures, in its own unit.
        level: the level that it turned out to be about, or None.
        statistic: the same as a smooth number.
        room: between which values of the smooth number it is met.
    """

    goal: Goal
    found: float
    level: int | None
    statistic: Statistic
    room: tuple[float, float]

    @classmethod
    def of(cls, goal: Goal, result: SimulationResult) -> Base:
        """Return what became of a goal."""
        measured, found = measure(goal, result), statistics_of(goal, result)
        level = measured.at if measured.at is not None else next(iter(found))
        return cls(goal, measured.found, measured.at, found[level], met_between(goal))

    def again(self, result: SimulationResult) -> Statistic:
        """Return its smooth number in another run, at the same level."""
        found = statistics_of(self.goal, result)
        return found[self.level if self.level is not None else next(iter(found))]

    def hardest(self, result: SimulationResult) -> Statistic:
        """Return its smooth number in another run, at whichever level is the longest there."""
        return max(statistics_of(self.goal, result).values(), key=lambda statistic: statistic.value)

    @property
    def met(self) -> bool:
        """Whether what was found is within what is wished, whatever chance may add."""
        return self.room[0] <= self.statistic.value <= self.room[1]

    @property
    def words(self) -> str:
        """The goal in words."""
        return words_of(self.goal) + (f" (longest: {self.level})" if self.level is not None else "")
