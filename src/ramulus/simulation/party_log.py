"""Who the members of many parties are, and what is written down of their play, encounter by encounter."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.simulation.world import Ints


class PartyLog(NamedTuple):
    """What the kernel fills in, encounter by encounter; n parties, E encounters and the start, M members.

    Attributes:
        level: the members' levels, from 0, shape (n, E + 1, M).
        xp: XP units inside them.
        award: XP units awarded, after a cut.
        cut: XP units taken off to hold a member below the leader.
        boost: XP units that rules which read the leader's level added, before a cut.
        clock: played seconds, shape (n, E + 1).
        source, leader: what was met and who led, shape (n, E + 1); -1 at the start.
        played: encounters played, shape (n,).
        quit: after how many encounters each member quit, or -1, shape (n, M).
        quit_clock: played seconds by then, shape (n, M).
        impatient: whether it quit out of patience, not by the day, shape (n, M).
    """

    level: NDArray[np.int32]
    xp: Ints
    award: Ints
    cut: Ints
    boost: Ints
    clock: Array
    source: NDArray[np.int32]
    leader: NDArray[np.int32]
    played: Ints
    quit: Ints
    quit_clock: Array
    impatient: NDArray[np.bool_]


class People(NamedTuple):
    """Who the members are, shape (n, M) each.

    Attributes:
        keys: their keys for random draws.
        own: their own factors on time.
        slots: their schedules, among those of all members.
        kinds: their classes of ability, among those of all members.
        quit_at: played seconds at which the calendar makes them quit, infinite where it does not.
        patience: their own factors on patience.
    """

    keys: NDArray[np.uint64]
    own: Array
    slots: Ints
    kinds: Ints
    quit_at: Array
    patience: Array
