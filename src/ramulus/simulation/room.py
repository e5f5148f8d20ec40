"""Room for a kernel to write in: kernels make no arrays, so that nobody has to count who still needs one."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from ramulus.formula.functions import Array
from ramulus.simulation.days import TODAY
from ramulus.simulation.opened import OPEN, Opened
from ramulus.simulation.world import Ints, Sources, Tracks


class Room(NamedTuple):
    """Where one player stands, written over from player to player; T tracks, S sources, K levels of all tracks.

    Attributes:
        levels, xps, peaks: the level held, the units inside it and the highest level reached, by track, shape (T,).
        first_level: where the levels of each track start among those of all tracks, shape (T,).
        used: successes so far, as `Sources.limits`, shape (3, S).
        opened, running: what is open, shape (S,) each.
        days: where it is in time, shape (1,).
    """

    levels: Ints
    xps: Ints
    peaks: Ints
    first_level: Ints
    used: Ints
    opened: Opened
    running: Array
    days: Opened


def new_room(tracks: Tracks, sources: Sources) -> Room:
    """Return room for players of a design."""
    none = np.zeros_like(tracks.cap)
    return Room(
        levels=none,
        xps=none.copy(),
        peaks=none.copy(),
        first_level=np.concatenate([[0], np.cumsum(tracks.cap + 1)[:-1]]).astype(np.int64),
        used=np.zeros_like(sources.limits),
        opened=np.zeros(len(sources.reads), OPEN),
        running=np.zeros(len(sources.reads)),
        days=np.zeros(1, TODAY),
    )
