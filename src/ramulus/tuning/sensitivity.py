"""Sensitivity: how much each number of a design moves each of its goals."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from concurrent.futures import Executor
from typing import TYPE_CHECKING, NamedTuple

import pandas as pd

from ramulus.comparing.paired import difference, same_up_to
from ramulus.design.goal import RatioGoal, StillPlayingGoal
from ramulus.errors import DesignError, RamulusError, refuse_other_than_design, refuse_single_name
from ramulus.goals import SHARES
from ramulus.goals.measuring import groups_of
from ramulus.rules.quitting import quit_alike, quit_rules
from ramulus.tuning.base import Base
from ramulus.tuning.needed import Needed
from ramulus.tuning.numbers import NamedNumber, named_number
from ramulus.tuning.steps import steps_of
from ramulus.tuning.trials import TrialProgress, Trials, last_level_of

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.design.goal import Goal
    from ramulus.results.result import SimulationResult

COLUMNS = ("name", "value", "player", "goal", "found", "change", "low", "high", "unit", "step", "needed", "note")
AROUND = (1, -1, 2, -2)
TO_PROBE = 300


class Change(NamedTuple):
    """What a number does to a goal: per percent of it, or per step; in percent, of shares in points.

    `low` and `high` are its 95 % interval; not a number where too little is known.
    """

    value: float
    low: float
    high: float

    def differs(self, other: Change) -> bool:
        """Whether two changes differ beyond their 95 % intervals."""
        return self.low > other.high + 1e-9 or self.high < other.low - 1e-9

    @property
    def seen(self) -> bool:
        """Whether it is more than chance."""
        return self.low > 0 or self.high < 0

    @property
    def certain(self) -> bool:
        """Whether nothing can differ."""
        return self == (0.0, 0.0, 0.0)


def sensitivity(
    design: Design,
    vary: Sequence[str] | None = None,
    players: int = 600,
    hours: float | None = None,
    seed: int = 0,
    *,
    executor: Executor | None = None,
    progress: Callable[[TrialProgress], object] | None = None,
) -> pd.DataFrame:
    """Say how much each number of a design moves each of its goals, by playing on both sides of it.

    A number moves by 3 % up and down, and by 6 % to see whether what it does is straight; amounts of XP that play
    rounds, and whole numbers, by whole ones; a 0 by a power of ten that some goal feels. All runs share their draws,
    and intervals are of the pairs.

    Args:
        design: the design; it needs goals.
        vary: places of numbers, or bare names (default: all constants).
        players: how many players of each profile that has a goal.
        hours: the horizon in played hours (default: as in `simulate`).
        seed: the seed of every draw.
        executor: where chunks run (default: threads, one a processor).
        progress: is called with a `TrialProgress` after each run.

    Returns:
        A row a goal and number, the numbers that move it most first: `name`, `value`, `player`, `goal`, `found`,
        `change`, `low`, `high`, `unit`, `step`, `needed`, `note`. `change` is in percent of what the goal measures
        per percent of the number; of a number that is 0 or whole per step said in `step`; of a goal on a share in
        points per step; `unit` says which. `low` and `high` are its 95 % interval. `needed` is the value that alone
        would meet the goal: the number itself where it is met, not a number where none was found between a tenth of
        it and ten times it. Its `attrs` hold the design's `title`, `players` and `seed`.

    Raises:
        MissingPartError: the design has no goals.
        UnknownNameError: there is no such place.
        RamulusError: no number stands there, or there are none to vary.
        DesignError: the design is at fault.
        SimulationStopped: it was interrupted (Ctrl-C).

    Examples:
        >>> import ramulus as rm
        >>> table = rm.sensitivity(rm.demo_design(), ["first_cost"], players=100)
        >>> table["name"].unique().tolist()
        ['constants.first_cost']
    """
    refuse_other_than_design(design)
    design.require("goals", "sensitivity")
    refuse_single_name(vary, "vary")
    named = [named_number(design, name) for name in (list(design.constants) if vary is None else vary)]
    numbers = list({number.place: number for number in named}.values())
    if not numbers:
        raise RamulusError("no constants to move; allowed: name the places of numbers, such as encounter.variation")
    trials = Trials(design, design.goals, hours=hours, seed=seed, executor=executor, progress=progress)
    trials.runs = 1 + len(AROUND) * len(numbers)
    played = trials.play(design, players)
    bases = [Base.of(goal, played) for goal in design.goals]
    rows = [row for number in numbers for row in _Moved(trials, number, bases, played, players).rows()]
    table = pd.DataFrame(rows, columns=["_goal", *COLUMNS])
    table["_size"] = -table["change"].abs().fillna(-1.0)
    table = table.sort_values(["_goal", "_size"], kind="stable", ignore_index=True)[list(COLUMNS)]
    table.attrs = {"title": design.title, "players": players, "seed": seed}
    return table


def _cannot_differ(goal: Goal, one: SimulationResult, two: SimulationResult) -> bool:
    """Whether two runs play the same, for certain, as far as a goal looks."""
    names = [group.profile for group in groups_of(goal, one)]
    names += [goal.compared_with] if isinstance(goal, RatioGoal) else []
    if any(one.design.profile(name) != two.design.profile(name) for name in names):
        return False
    # Patience may hang on a constant; what is played does not hang on who quits.
    quits = [[quit_rules(run.design, name) for run in (one, two)] for name in names]
    if isinstance(goal, StillPlayingGoal) and not all(quit_alike(*pair) for pair in quits):
        return False
    far = [last_level_of([goal], run.design) or run.design.track().max_level + 1 for run in (one, two)]
    return all(same_up_to(one, two, name) >= max(far) - one.design.track().start_level for name in names)


class _Moved:
    """One number, moved up and down."""

    def __init__(
        self, trials: Trials, number: NamedNumber, bases: list[Base], played: SimulationResult, players: int
    ) -> None:  # fmt: skip
        self._trials, self._number, self._bases, self._players = trials, number, bases, players
        trials.doing = number.place
        self._steps = steps_of(number, self._felt)
        # Two steps only tell whether one is straight: half of the players are enough.
        counts = {steps: players if abs(steps) == 1 else -(-players // 2) for steps in AROUND}
        runs = {steps: self._play(self._steps.at(steps), count) for steps, count in counts.items()}
        self._runs = {0: played, **{steps: run for steps, run in runs.items() if run is not None}}
        self._found = {steps: [base.again(run) for base in bases] for steps, run in self._runs.items()}
        self._found[0] = [base.statistic for base in bases]
        near = {steps: run for steps, run in runs.items() if run is not None and abs(steps) == 1}
        self._hardest = {steps: [base.hardest(run) for base in bases] for steps, run in near.items()}
        self._hardest[0] = self._found[0]

    def _play(self, value: float, players: int) -> SimulationResult | None:
        try:
            return self._trials.play(self._trials.variant({self._number.place: value}), players)
        except DesignError:  # A value that the design does not take is the end of the reach.
            return None

    def _felt(self, value: float) -> float:
        """Return how much the most moved goal moves where the number has another value."""
        players = min(self._players, TO_PROBE)
        now, then = (self._play(number, players) for number in (self._number.value, value))
        if now is None or then is None:
            return math.inf
        apart = [abs(base.again(then).value - base.again(now).value) for base in self._bases]
        return max((change for change in apart if math.isfinite(change)), default=0.0)

    def rows(self) -> list[tuple[object, ...]]:
        """Return a row a goal."""
        return [self._row(index, base) for index, base in enumerate(self._bases)]

    def _row(self, index: int, base: Base) -> tuple[object, ...]:
        near, far = self._between(index, -1, 1), self._between(index, -2, 2)
        if near is None:
            near = self._between(index, 0, 1) or self._between(index, -1, 0)
        needed = self._needed(index, base)
        change = near or Change(math.nan, math.nan, math.nan)
        step = self._steps.words if 1 in self._found and -1 in self._found else self._one_sided()
        name = (index, self._number.place, self._number.value, base.goal.player, base.words, base.found)
        return (*name, *change, self._unit(base), step, needed, self._note(index, base, near, far))

    def _unit(self, base: Base) -> str:
        """Return what a change is counted in."""
        share = isinstance(base.goal, SHARES)
        if self._steps.by_percent and not share:
            return "% per %"
        return f"{'points' if share else '%'} per {self._steps.words.removeprefix('±')}"

    def _one_sided(self) -> str:
        return self._steps.words.replace("±", "+" if 1 in self._found else "-")

    def _between(self, index: int, low: int, high: int) -> Change | None:
        """Return what a goal changes between two steps; None where one of them cannot be played or is not reached."""
        if low not in self._found or high not in self._found:
            return None
        one, two = self._found[low][index], self._found[high][index]
        if not (one.known and two.known):
            return None
        share = isinstance(self._bases[index].goal, SHARES)
        # Per percent of the number in percent; per step where the number or the goal has no percent.
        steps = self._steps
        apart = steps.apart(steps.at(low), steps.at(high)) if steps.by_percent and not share else float(high - low)
        scale = 1.0 if steps.by_percent and not share else 100.0
        same = _cannot_differ(self._bases[index].goal, self._runs[low], self._runs[high])
        found = [scale * number / apart for number in difference(one, two, cannot_differ=same)[:3]]
        return Change(found[0], *(found[1:] if apart > 0 else found[:0:-1]))

    def _note(self, index: int, base: Base, near: Change | None, far: Change | None) -> str:
        if not base.statistic.known:
            return "too few get there as it stands"
        up, down = self._between(index, 0, 1), self._between(index, -1, 0)
        if near is None:
            return "cannot be moved" if not self._found.keys() & {1, -1} else "too few get there on one side"
        if up is None or down is None:
            return "moved to one side only"
        if up.seen and down.seen and up.value * down.value < 0:
            return f"turns here: {self._one_way(index, base, 1)}, {self._one_way(index, base, -1)}"
        if self._number.whole and up.differs(down):
            return f"{self._one_way(index, base, 1)}, {self._one_way(index, base, -1)}"
        if far is not None and near.differs(far):
            return f"not straight here: {far.value:+.2g} over twice the step"
        if near.certain and (far is None or far.certain):
            return "does not move it"
        return "" if near.seen else "not seen to move it"

    def _one_way(self, index: int, base: Base, steps: int) -> str:
        """Return what one step does, in words."""
        apart = self._found[steps][index].value - base.statistic.value
        size = f"{self._steps.size * steps:+.0%}" if self._steps.relative else f"{self._steps.size * steps:+g}"
        share = isinstance(base.goal, SHARES)
        return f"{size}: {f'{100 * apart:+.1f} points' if share else f'{math.expm1(apart):+.1%}'}"

    def _needed(self, index: int, base: Base) -> float:
        if base.met:
            return self._number.value
        known = {self._steps.at(steps): found[index] for steps, found in self._hardest.items()}
        return Needed(self._trials, self._number, base, self._players).value(known)
