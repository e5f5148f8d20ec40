"""Every award of every player, a row each, as a game would write it down: for logs that are made up.

The rows are written as awards are booked, apart from all that kernels count, so that the one may be held against the
other.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ramulus.simulation.jitted import part
from ramulus.simulation.world import Sources

NOT_TOLD = -1
LOGGED = np.dtype(
    [
        ("clock", np.float64), ("seconds", np.float64), ("units", np.int64), ("xp", np.int64), ("level", np.int32),
        ("player", np.int32), ("source", np.int16), ("track", np.int16), ("won", np.int8),
    ],
    align=True,
)  # fmt: skip
"""One award or loss: played seconds when it is booked, the seconds from the one before, units (below 0: a loss),
the level, from 0, and the XP inside it afterwards (NOT_TOLD for a loss that an award follows), the player's place among
those that are played, the source, the track and whether the encounter was a success."""


def log_for(rows: int) -> NDArray[Any]:
    """Return room for some rows."""
    return np.zeros(rows, LOGGED)


@part
def note_row(
    room: Any, clock: float, seconds: float, source: int, won: bool, track: int, units: int, level: int, xp: int
) -> None:
    """Write a row down; where there is no room it is counted only."""
    at = room.logged[0]
    room.logged[0] = at + 1
    if at < len(room.log):
        row = room.log[at]
        row.clock, row.seconds, row.units, row.xp = clock, seconds, units, xp
        row.level, row.player, row.source, row.track, row.won = level, room.logged[1], source, track, won


@part
def note_encounter(
    room: Any, sources: Sources, source: Any, won: bool, clock: float, seconds: float, taken: int, gained: int, xp: int
) -> None:  # fmt: skip
    """Write down what an encounter came to: what a failure took, the award of the main track, those of skills."""
    if taken > 0:
        note_row(room, clock, seconds, source.number, won, 0, -taken, NOT_TOLD, NOT_TOLD)
    note_row(room, clock, seconds, source.number, won, 0, gained, room.levels[0], xp)
    for one in range(source.first_practice, source.last_practice):
        track, units = sources.practised[one], room.practised[1 if won else 0, one]
        if units > 0:
            note_row(room, clock, seconds, source.number, won, track, units, room.levels[track], room.xps[track])
