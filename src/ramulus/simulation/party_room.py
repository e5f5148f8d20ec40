"""What a kernel is told of a party, and room for it to write in."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.simulation.days import TODAY
from ramulus.simulation.opened import OPEN, Opened
from ramulus.simulation.world import Ints, Sources, Tracks


class PartyRules(NamedTuple):
    """What a party does.

    Attributes:
        leader: the named leader's place among the members, or -1 for whoever is furthest on.
        hold: whether members are held below the leader.
        splits: whether the XP drawn is divided by the number of members who still play.
        until_even: whether play stops once all members have come to one level.
        may_quit: whether anybody could quit.
    """

    leader: int
    hold: bool
    splits: bool
    until_even: bool
    may_quit: bool


class Met(NamedTuple):
    """One encounter of a party, as each member takes part in it.

    Attributes:
        party, encounter: which party's, and the how many-th, from 1.
        leader, leader_level: who leads, and its level before, from 0.
        playing: how many members still play.
        clock: played seconds at its end.
        won: whether the attempt succeeded.
        draw: what XP is drawn by.
    """

    party: int
    encounter: int
    leader: int
    leader_level: int
    playing: int
    clock: float
    won: bool
    draw: float


class PartyRoom(NamedTuple):
    """Where one party stands, written over from party to party; M members, T tracks, S sources.

    Attributes:
        levels, xps: the level held and the units inside it, shape (M, T).
        peaks, peak_at: the highest level of the main track reached, and played seconds by then, shape (M,).
        plays: who still plays, shape (M,).
        windows: between which borders of its timed rules each member is, shape (M,).
        used: successes so far, as `Sources.limits`, shape (3, S).
        opened, running: what is open for the leader, shape (S,) each.
        days: where the party is in time, shape (1,).
    """

    levels: Ints
    xps: Ints
    peaks: Ints
    peak_at: Array
    plays: NDArray[np.bool_]
    windows: Ints
    used: Ints
    opened: Opened
    running: Array
    days: Opened


def new_party_room(members: int, tracks: Tracks, sources: Sources) -> PartyRoom:
    """Return room for parties of so many members."""
    none = np.zeros((members, len(tracks.cap)), np.int64)
    return PartyRoom(
        levels=none,
        xps=none.copy(),
        peaks=np.zeros(members, np.int64),
        peak_at=np.zeros(members),
        plays=np.zeros(members, np.bool_),
        windows=np.zeros(members, np.int64),
        used=np.zeros_like(sources.limits),
        opened=np.zeros(len(sources.reads), OPEN),
        running=np.zeros(len(sources.reads)),
        days=np.zeros(1, TODAY),
    )
