"""Awards as arrays, a row each, and the batches of whole players that they come in."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array

UNKNOWN = -1
Ints = NDArray[np.int64]


class Rows(NamedTuple):
    """Awards and losses, n of them; those of a player side by side in their order.

    Attributes:
        time: seconds since 1970, UTC.
        units: XP in units of the track; below 0: a loss.
        track: its place among the design's tracks.
        source: its place among the design's sources, or UNKNOWN.
        success: 1, 0 or UNKNOWN.
        level, xp: the level, from 0, and the units inside it afterwards, or UNKNOWN.
        seconds: how long the encounter took; not a number where that is unknown.
    """

    time: Array
    units: Ints
    track: NDArray[np.int16]
    source: NDArray[np.int16]
    success: NDArray[np.int8]
    level: NDArray[np.int32]
    xp: Ints
    seconds: Array

    def of(self, which: NDArray[np.bool_] | slice | Ints) -> Rows:
        """Return some of the rows."""
        return Rows(*(column[which] for column in self))  # type: ignore[arg-type]


class Batch(NamedTuple):
    """The rows of some players, all that they have.

    Attributes:
        rows: the awards.
        starts: where each player's rows start, and one past the last, shape (players + 1,).
        keys: what tells a player from others, shape (players,).
        profiles: the place of each one's profile, or UNKNOWN, shape (players,).
    """

    rows: Rows
    starts: Ints
    keys: NDArray[np.uint64]
    profiles: NDArray[np.int16]

    @property
    def players(self) -> int:
        """How many players there are."""
        return len(self.keys)

    @property
    def owner(self) -> Ints:
        """Each row's player, from 0."""
        return np.repeat(np.arange(self.players), np.diff(self.starts))

    @property
    def encounters(self) -> Ints:
        """The places of the rows that tell of an encounter: the main track's awards with a source."""
        return np.flatnonzero((self.rows.track == 0) & (self.rows.source >= 0) & (self.rows.units >= 0))


def firsts_of(owner: Ints) -> NDArray[np.bool_]:
    """Return which rows are their player's first, of rows whose players follow each other."""
    first = np.ones(len(owner), np.bool_)
    first[1:] = owner[1:] != owner[:-1]
    return first
