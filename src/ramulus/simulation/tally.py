"""What a kernel counts, and totals that add up over any number of players."""

from __future__ import annotations

from dataclasses import dataclass, fields
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.rules.schedule import MICROS

CAP, HORIZON, STUCK, ENDLESS = 0, 1, 2, 3
END_REASONS = ("reached the cap", "out of time", "no open source", "too many encounters")

Ints = NDArray[np.int64]


class Tally(NamedTuple):
    """What a kernel fills in. n players; K levels of all tracks, one track after the other.

    Attributes:
        held: played seconds before the gate of each level in which it was first reached, shape (n, K); no levels where
            there are no gates.
        arrival: played seconds at which each level was first reached, else not a number, shape (n, K).
        encounters: encounters by then, shape (n, K).
        ended: why a player ended, shape (n,).
        last_level: the level at the end, from 0, shape (n,).
        earned, wasted: XP units of the main track that each player was awarded on its way to the cap, and lost at
            thresholds, shape (n,).
        income: XP units by level and source, shape (L, S).
        met, won: encounters and successes by level and source, shape (L, S).
        waste, lost: XP units wasted and lost by level, shape (L,).
        waited: millionths of a second in which nothing was left to do, by level, shape (L,).
        dropped: levels that losses took, by the level they were taken at, shape (L,).
        regained: millionths of a second spent below the highest level reached, by level, shape (L,).
        rested, at_gate: millionths of a second of rests, and before a shut gate of the main track, by level.
        away: XP units paid out of the store of time away, by level, shape (L,).
        leapt: encounters that were leapt over, by level, shape (L,).
        fault: a level, from 1, and what was missing there, at which the time of a rest is at fault; shape (2,).
        stop: is set from outside to make the kernel return at once, shape (1,).
    """

    held: Array
    arrival: Array
    encounters: NDArray[np.int32]
    ended: NDArray[np.int8]
    last_level: NDArray[np.int32]
    earned: Ints
    wasted: Ints
    income: Ints
    met: Ints
    won: Ints
    waste: Ints
    lost: Ints
    waited: Ints
    dropped: Ints
    regained: Ints
    rested: Ints
    at_gate: Ints
    away: Ints
    leapt: Ints
    fault: Ints
    stop: NDArray[np.int8]


def new_tally(
    players: int, every_level: int, levels: int, sources: int, stop: NDArray[np.int8], *, gates: bool = False
) -> Tally:
    """Return an empty tally."""
    return Tally(
        held=np.zeros((players, every_level if gates else 0)),
        arrival=np.full((players, every_level), np.nan),
        encounters=np.zeros((players, every_level), np.int32),
        ended=np.zeros(players, np.int8),
        last_level=np.zeros(players, np.int32),
        earned=np.zeros(players, np.int64),
        wasted=np.zeros(players, np.int64),
        income=np.zeros((levels, sources), np.int64),
        met=np.zeros((levels, sources), np.int64),
        won=np.zeros((levels, sources), np.int64),
        waste=np.zeros(levels, np.int64),
        lost=np.zeros(levels, np.int64),
        waited=np.zeros(levels, np.int64),
        dropped=np.zeros(levels, np.int64),
        regained=np.zeros(levels, np.int64),
        rested=np.zeros(levels, np.int64),
        at_gate=np.zeros(levels, np.int64),
        away=np.zeros(levels, np.int64),
        leapt=np.zeros(levels, np.int64),
        fault=np.zeros(2, np.int64),
        stop=stop,
    )


@dataclass(frozen=True, eq=False)
class Totals:
    """Sums over all players of a profile.

    Attributes:
        income: XP by level and source, shape (L, S).
        met, won: encounters and successes by level and source, shape (L, S).
        waste, lost: XP wasted, and lost by failing, by level, shape (L,).
        waited: hours in which nothing was left to do that day, by level, shape (L,).
        dropped: levels that losses took, by the level they were taken at, shape (L,).
        regained: hours spent below the highest level reached, winning it back, by level, shape (L,).
        rested, at_gate: hours of rests, and before a shut gate of the main track, by level, shape (L,).
        away: XP that time away had gathered, by level, shape (L,).
        leapt: encounters that were leapt over, by level, shape (L,).
    """

    income: Array
    met: Array
    won: Array
    waste: Array
    lost: Array
    waited: Array
    dropped: Array
    regained: Array
    rested: Array
    at_gate: Array
    away: Array
    leapt: Array

    @property
    def earned(self) -> float:
        """XP awarded on the way to the cap; what comes to who plays on there is left out."""
        return float(self.income[:-1].sum())

    @property
    def wasted(self) -> float:
        """XP wasted on the way to the cap."""
        return float(self.waste[:-1].sum())


class RunningTotals:
    """Totals that add up chunk by chunk, in any order to the same bit."""

    def __init__(self) -> None:
        self._sums: dict[str, NDArray[np.object_]] = {}

    def add(self, tally: Tally) -> None:
        """Add what one chunk has counted."""
        for field in fields(Totals):
            # As Python's own integers: the XP of a large run passes 63 bits, and floats would add up in some order.
            whole = getattr(tally, field.name).astype(object)
            self._sums[field.name] = self._sums[field.name] + whole if field.name in self._sums else whole

    def totals(self, scale: int) -> Totals:
        """Return the sums so far, those of XP in XP."""
        units = dict.fromkeys(("income", "waste", "lost", "away"), scale)
        units |= dict.fromkeys(("waited", "regained", "rested", "at_gate"), 3600 * MICROS)
        return Totals(**{name: (s / units.get(name, 1)).astype(np.float64) for name, s in self._sums.items()})
