"""What a designer should know of a tuning, in words: what stays open, what stops it, which goals pull apart."""

from __future__ import annotations

import math
from collections.abc import Container, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np

from ramulus.goals import words_of
from ramulus.tuning.certainty import Certainty

if TYPE_CHECKING:
    from ramulus.design.goal import Goal
    from ramulus.formula.functions import Array
    from ramulus.tuning.landscape import Fit

OPPOSED = 0.3  # Of the weaker pull: goals that pull less than that against each other go unsaid.
MOVE = 0.03  # By how much the number that moves most is said to move.


@dataclass(frozen=True, eq=False)
class Pull:
    """Where a goal pulls the numbers.

    Attributes:
        goal: the goal.
        off: how far off it is, in tolerances; 0 where it is met with room.
        way: how it pulls at each coordinate, shape (n,).
        failed: whether it is farther off than it tolerates.
        silent: whether small moves of the numbers do not matter to it.
        reached: whether enough players get there.
    """

    goal: Goal
    off: float
    way: Array
    failed: bool
    silent: bool
    reached: bool

    def opposes(self, other: Pull) -> bool:
        """Whether two goals pull the numbers to different sides."""
        weaker = min(float(self.way @ self.way), float(other.way @ other.way))
        return self is not other and float(self.way @ other.way) < -OPPOSED * weaker

    @property
    def stays(self) -> str:
        """That it stays off, and how far, in words."""
        if not self.reached:
            return f"{self} stays out of reach (too few get there)"
        return f"{self} stays off ({abs(self.off):.1f} tolerances)"

    def __str__(self) -> str:
        return f"{self.goal.player}, {words_of(self.goal)}"


def pulls_of(fit: Fit) -> list[Pull]:
    """Return where each goal pulls the numbers of a fit."""
    by_goal: dict[int, list[int]] = {}
    for index, aim in enumerate(fit.aims):
        by_goal.setdefault(id(aim.goal), []).append(index)
    misses, found = np.array([aim.miss for aim in fit.aims]), []
    for own in by_goal.values():
        aims, slopes = [fit.aims[index] for index in own], fit.slopes[own]
        off = max((aim.off for aim in aims), key=abs)
        silent = all(aim.slack for aim in aims) and not slopes.any()
        failed, reached = any(aim.failed for aim in aims), all(aim.reached for aim in aims)
        found.append(Pull(aims[0].goal, off, -(slopes.T @ misses[own]), failed, silent, reached))
    return found


def said_of(certainty: Certainty, met: Container[int] = ()) -> list[str]:
    """Return what there is to know of a tuning, a sentence each.

    Args:
        certainty: the fit, and how sure it is.
        met: the goals (their ids) that other draws and more players found met: nothing is left to say of them.
    """
    pulls = [one for one in pulls_of(certainty.fit) if id(one.goal) not in met or one.silent]
    silent = [one for one in pulls if one.silent]
    slack = [f"met with room, and so without a say: {_listed(silent)}"] if silent else []
    return [*_loose(certainty), *_bounds(certainty, pulls), *_conflicts(certainty, pulls), *slack]


def _listed(pulls: Sequence[Pull]) -> str:
    return "; ".join(map(str, pulls))


def _loose(certainty: Certainty) -> list[str]:
    """Name the numbers that the goals do not pin down, and how they could move together."""
    loose = [index for index in certainty.inside if not certainty.determined[index]]
    if not loose:
        return []
    found = f"the goals do not pin down {' and '.join(certainty.ranges[index].number.name for index in loose)}"
    way = certainty.open_way
    scale = MOVE / max(map(abs, way.values()))
    moves = [
        f"{certainty.ranges[index].number.name} {'up' if move > 0 else 'down'} {abs(move * scale):.1%}"
        for index, move in way.items()
        if abs(move * scale) > MOVE / 20 and certainty.ranges[index].in_logs
    ]
    if len(moves) > 1:
        return [f"{found}: {', '.join(moves)} would do about as well"]
    low, high = certainty.interval(loose[0])
    if math.isfinite(low):
        return [f"{found}: what was played cannot tell {_short(low)} from {_short(high)}"]
    return [f"{found}: other values near it do as well"]


def _short(value: float) -> str:
    return f"{float(f'{value:.3g}'):,.6g}"


def _bounds(certainty: Certainty, pulls: Sequence[Pull]) -> list[str]:
    """Name the bounds that stop numbers, and the goals that would have them go on."""
    said = []
    for index, bound in enumerate(certainty.at_bound):
        if bound:
            one = certainty.ranges[index]
            outward = 1 if (bound == "high") == (one.x_of(one.high) > one.x_of(one.low)) else -1
            wanting = [pull for pull in pulls if pull.failed and outward * pull.way[index] > 0]
            text = f"{one.number.name} stops at its bound {getattr(one, bound):g}"
            way = "higher" if bound == "high" else "lower"
            said.append(f"{text}; it would have to be {way} for: {_listed(wanting)}" if wanting else text)
    return said


def _conflicts(certainty: Certainty, pulls: Sequence[Pull]) -> list[str]:
    """Name the goals that stay off, and which goals pull against them."""
    said = []
    for one in pulls:
        against = [other for other in pulls if other.opposes(one)]
        if one.failed and against:
            said.append(f"{one.stays}, and pulls against: {_listed(against)}")
        elif one.failed and not any(certainty.at_bound):
            said.append(f"{one.stays}: no numbers within the bounds were found that bring it nearer")
    return said
