"""What a game does instead: one mistake or two that explain all its answers, found by asking on until one is left."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, replace
from itertools import combinations, islice

from ramulus.game.idle import idle_mistakes
from ramulus.game.mistaken import AWARD, Game, State, Step, opened
from ramulus.game.mistakes import MISTAKES
from ramulus.game.pack import TrackPack
from ramulus.game.requests import Answer, Request, explains, is_told
from ramulus.game.vector_runs import built, searched

Ask = Callable[[Request], Answer]
CONFIRMED = 12
_LOOKED_AT = 150  # Runs among which the one is chosen that tells most apart.
_NO_COST = 2**50
_FIRST = 1_000_000  # Ids of runs that are asked on, apart from those that every game is asked for.


@dataclass(frozen=True)
class Explanation:
    """What explains all that a game answered.

    Attributes:
        mistakes: their codes, one or two.
        costs: costs of the game by level, where they are others than the design's.
        further: how many runs that it was not found by agree with it.
        others: what no run tells apart from it.
    """

    mistakes: tuple[str, ...] = ()
    costs: tuple[tuple[int, int, int], ...] = ()
    further: int = 0
    others: tuple[tuple[str, ...], ...] = ()


class Diagnosis:
    """The search for what a game does on one track.

    Args:
        track: the track.
        known: runs of it with the answers so far.
        ask: asks the game; None where it cannot be asked on.
        until: when to stop, by the monotonic clock.
    """

    def __init__(
        self, track: TrackPack, known: Sequence[tuple[Request, Answer]], ask: Ask | None, until: float
    ) -> None:
        self.track, self.known, self._ask, self._until = track, list(known), ask, until

    def explained(self) -> Explanation | None:
        """Return what explains all answers; None where nothing does that is known."""
        singles: list[tuple[str, ...]] = [(code,) for code in MISTAKES if code not in idle_mistakes(self.track)]
        return self._of(self.track, singles) or self._of_costs(singles) or self._of(self.track, self._pairs(singles))

    def _of(
        self, track: TrackPack, hypotheses: list[tuple[str, ...]], costs: tuple[tuple[int, int, int], ...] = ()
    ) -> Explanation | None:
        """Return which of some hypotheses is left once the game was asked on, and holds on runs of its own."""
        found = self._left(track, self._explaining(track, hypotheses))
        return self._confirmed(track, found, costs) if found else None

    def _of_costs(self, singles: list[tuple[str, ...]]) -> Explanation | None:
        """Return what explains the answers where the game has other costs: nothing else, or one mistake."""
        if self._ask is None:
            return None
        costs = self._costs(self._ask)
        changed = tuple(
            (self.track.start_level + place, one, right)
            for place, (one, right) in enumerate(zip(costs, self.track.costs, strict=True)) if one != right
        )  # fmt: skip
        other = replace(self.track, costs=tuple(costs))
        return (self._of(other, [()], changed) or self._of(other, singles, changed)) if changed else None

    @staticmethod
    def _pairs(singles: list[tuple[str, ...]]) -> list[tuple[str, ...]]:
        return [(*one, *two) for one, two in combinations(singles, 2)]

    def _explaining(self, track: TrackPack, hypotheses: Iterable[tuple[str, ...]]) -> list[tuple[str, ...]]:
        """Return the hypotheses that explain all answers; what a short run refutes is not tried on a long one."""
        runs = sorted(self.known, key=lambda pair: len(pair[0].steps))
        return [one for one in hypotheses if all(explains(r, a, Game(track, one).does(r.steps)) for r, a in runs)]

    def _left(self, track: TrackPack, hypotheses: list[tuple[str, ...]]) -> list[tuple[str, ...]]:
        """Ask on, with the run on which most hypotheses disagree, until one is left or no run tells them apart."""
        while len(hypotheses) > 1 and self._ask is not None and time.monotonic() < self._until:
            run = self._telling(track, hypotheses)
            if run is None:
                break
            self._hear(run)
            hypotheses = self._explaining(track, hypotheses)
        return hypotheses

    def _telling(self, track: TrackPack, hypotheses: list[tuple[str, ...]]) -> tuple[Step, ...] | None:
        told = is_told(answer for _, answer in self.known)
        best, most = None, 1
        for run in [*built(self.track), *islice(searched(self.track), _LOOKED_AT)]:
            ways = {tuple(_seen(state, told) for state in Game(track, one).does(run)) for one in hypotheses}
            if len(ways) > most:
                best, most = run, len(ways)
        return best

    def _hear(self, run: tuple[Step, ...]) -> None:
        request = Request(_FIRST + len(self.known), self.track, run)
        if self._ask is not None:
            self.known.append((request, self._ask(request)))

    def _confirmed(
        self, track: TrackPack, found: list[tuple[str, ...]], costs: tuple[tuple[int, int, int], ...]
    ) -> Explanation | None:  # fmt: skip
        """Return an explanation once it holds on runs that it was not found by."""
        further = 0
        if self._ask is not None:
            before = len(self.known)
            for run in islice(searched(self.track), _LOOKED_AT, _LOOKED_AT + CONFIRMED):
                self._hear(run)
            further = len(self.known) - before
            found = self._explaining(track, found)
        if not found:
            return None
        return Explanation(found[0], costs, further, tuple(found[1:]))

    def _costs(self, ask: Ask) -> list[int]:
        """Read the game's costs off it: the least award that raises each level, by bisection."""
        costs: list[int] = []
        for place, right in enumerate(self.track.costs):
            there, xp = self._way_to(costs)
            low, high = -1, max(right - xp, 1)
            while not _rises(ask, self.track, there, high) and high < _NO_COST and time.monotonic() < self._until:
                low, high = high, 2 * high
            while high - low > 1 and time.monotonic() < self._until:
                middle = (low + high) // 2
                low, high = (low, middle) if _rises(ask, self.track, there, middle) else (middle, high)
            if time.monotonic() >= self._until or high >= _NO_COST:
                return [*costs, *self.track.costs[place:]]
            costs.append(xp + high - self.track.exceeded)
        return costs

    def _way_to(self, costs: list[int]) -> tuple[list[Step], int]:
        """Return awards to the level past some costs of the game's, and the XP that stands there."""
        rest = [_NO_COST] * (len(self.track.costs) - len(costs))
        game, steps = Game(replace(self.track, costs=(*costs, *rest), gates=())), [*opened(self.track)]
        for cost in costs:
            steps.append((AWARD, max(int(cost + self.track.exceeded - game.xp), 0)))
            game.award(steps[-1][1])
        return steps, int(game.xp)


def _rises(ask: Ask, track: TrackPack, steps: list[Step], units: int) -> bool:
    """Return whether an award raises the game a level from where it stands after some steps."""
    answer = ask(Request(_FIRST, track, (*steps, (AWARD, units))))
    levels = [state.get("level") for state in answer.states]
    return len(levels) > 1 and levels[-1] != levels[-2]


def _seen(state: State, told: set[str]) -> tuple[float, ...]:
    """Return what a game tells of a state."""
    seen: list[float] = [state.level]
    seen += [state.xp] if told & {"xp", "total_xp"} else []
    seen += [state.points] if "points" in told else []
    return (*seen, *([state.level_ups] if "events" in told else []))
