"""Goals judged by playing: what was wished, what was found, how far off, and whether that is more than chance."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING

from ramulus.design.goal import (
    EVERYONE,
    DaysGoal,
    Goal,
    LongestLevelGoal,
    RatioGoal,
    ReachedGoal,
    StillPlayingGoal,
    WastedGoal,
)
from ramulus.errors import refuse_other_than_design
from ramulus.goals.kinds import hours_needed, measure, words_of
from ramulus.goals.measuring import Measured

if TYPE_CHECKING:
    import pandas as pd

    from ramulus.design import Design
    from ramulus.simulation.played import PlayedDesign

MET, MISSED, OPEN = "met", "missed", "open"
GOAL_COLUMNS = ("goal", "player", "wish", "found", "low", "high", "off", "verdict", "players_needed")
SHARES = (ReachedGoal, StillPlayingGoal, WastedGoal)
MORE = 1.1  # Players beyond what would just do, as what is found moves too.


def horizon_for(design: Design, least: float) -> float:
    """Return the played hours that a design's goals ask for, at least so many."""
    refuse_other_than_design(design)
    return max([least, *(hours_needed(goal, design) for goal in design.goals)])


@dataclass(frozen=True)
class Judged:
    """One goal as it was found.

    Attributes:
        goal: the goal.
        measured: what was found.
        verdict: MET, MISSED or OPEN.
        players_needed: about how many players of each profile would settle an open one, else not a number.
        would_tell: what would make known what is not.
    """

    goal: Goal
    measured: Measured
    verdict: str
    players_needed: float
    would_tell: str = "play longer, or keep every player"

    @property
    def words(self) -> str:
        """The goal in words, with the level that it turned out to be about."""
        return words_of(self.goal) + (f" (longest: {self.measured.at})" if self.measured.at is not None else "")

    @property
    def off(self) -> float:
        """How far off it is: a share of the wish; of wishes that are shares, the difference."""
        apart = self.measured.found - self.goal.wish
        return apart if isinstance(self.goal, SHARES) else apart / self.goal.wish

    @property
    def row(self) -> tuple[object, ...]:
        """The row of `SimulationResult.goals`."""
        known = math.isfinite(self.measured.found)
        ends = [end if known and math.isfinite(end) else math.nan for end in self.measured[1:3]]
        found = (self.goal.wish, self.measured.found, *ends, self.off)
        return self.words, self.goal.player, *found, self.verdict, self.players_needed

    def __str__(self) -> str:
        """The goal and what was found, in a line."""
        if not math.isfinite(self.measured.found):
            why = f"not known: {self.would_tell}" if self.verdict == OPEN else "too few get there"
            return f"{self.words}: {why}"
        text, digits = _form_of(self.goal)
        low, high = self.measured.low, self.measured.high
        scale = 100 if isinstance(self.goal, SHARES) else 1
        numbers = [f"{scale * number:,.{digits}f}" for number in (self.measured.found, low, high)]
        ends = f"{numbers[1]}–{numbers[2] if math.isfinite(high) else '…'}"
        off = f"{100 * self.off:+.1f} points" if isinstance(self.goal, SHARES) else f"{self.off:+.1%}"
        more = f"; {self.players_needed:,.0f} players would tell" if self.players_needed > 0 else ""
        return f"{self.words}: {text.format(numbers[0])} ({ends}), {off}{more}"


def _form_of(goal: Goal) -> tuple[str, int]:
    """Return how what a goal measures is written, and with how many digits."""
    if isinstance(goal, SHARES):
        return "{}%", 1
    if isinstance(goal, DaysGoal):
        return "day {}", 0
    return ("{} times", 3) if isinstance(goal, RatioGoal) else ("{} h", 2 if goal.wish < 100 else 0)


def judge(result: PlayedDesign) -> list[Judged]:
    """Return what became of each goal of a design whose profiles were played."""
    found = []
    for goal in result.design.goals:
        if _was_played(goal, result):
            measured, between = measure(goal, result), limits(goal)
            verdict = verdict_of(measured, *between)
            most = max(result.players.values())
            needed = players_needed(measured, between, most) if verdict == OPEN else math.nan
            found.append(Judged(goal, measured, verdict, needed))
    return found


def goals_table(result: PlayedDesign) -> pd.DataFrame:
    """Return the columns of `SimulationResult.goals`."""
    return table_of(judge(result))


def table_of(judged: list[Judged]) -> pd.DataFrame:
    """Return judged goals as a table."""
    import pandas as pd

    return pd.DataFrame([one.row for one in judged], columns=list(GOAL_COLUMNS))


def _was_played(goal: Goal, result: PlayedDesign) -> bool:
    wanted = set(result.design.profiles) if goal.player == EVERYONE else {goal.player}
    return wanted | {getattr(goal, "compared_with", next(iter(wanted)))} <= set(result.players)


def limits(goal: Goal) -> tuple[float, float]:
    """Return between which numbers a goal is met; days are rounded outward to whole ones."""
    low, high = goal.wish * (1 - goal.allowance), goal.wish * (1 + goal.allowance)
    if isinstance(goal, ReachedGoal | StillPlayingGoal):
        return low, math.inf
    if isinstance(goal, LongestLevelGoal | WastedGoal):
        return -math.inf, high
    return (math.floor(low + 1e-9), math.ceil(high - 1e-9)) if isinstance(goal, DaysGoal) else (low, high)


def verdict_of(measured: Measured, low: float, high: float) -> str:
    """Return whether all of an interval lies within limits, all of it outside of them on one side, or neither."""
    if measured.low >= low and measured.high <= high:
        return MET
    return MISSED if measured.low > high or measured.high < low else OPEN


def players_needed(measured: Measured, limits: tuple[float, float], players: int) -> float:
    """Return about how many players of each profile would settle an open goal; not a number where none would.

    Intervals narrow with the root of the players.
    """
    found = measured.found
    reach = [(abs(found - limit), limit) for limit in limits if math.isfinite(limit)]
    if not math.isfinite(found) or not reach:
        return math.nan
    distance, limit = min(reach)
    width = measured.high - found if limit > found else found - measured.low
    if not math.isfinite(width) or distance <= 1e-6 * max(abs(limit), 1e-6):
        return math.nan
    return float(math.ceil(players * max((width / distance) ** 2 * MORE, 1.0)))
