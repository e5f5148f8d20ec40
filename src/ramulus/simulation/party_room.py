"""What a kernel is told of a party, and room for it to write in."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.rules.programs import DEEPEST
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
        boosted, plain: units that the encounter awards each, with and without rules that read the leader's level, (M,).
        drawn_at: the level of each as the source was drawn, shape (M,).
        practised: units that it awards to each skill that is practised, shape (M, N).
        peaks_of: the highest level of each track reached, shape (M, T).
        peaks, peak_at: the highest level of the main track reached, and played seconds by then, shape (M,).
        plays: who still plays, shape (M,).
        earned: units awarded to each track of each member today and this week, shape (M, 2, T).
        store: units gathered by each member on days away, shape (M,).
        is_open: which gates are open for each member, shape (M, G).
        missing: what each pool of each member lacks, in millionths, shape (M, P).
        windows: between which borders of its timed rules each member is, shape (M,).
        used: successes so far, as `Sources.limits`, shape (3, S).
        opened, running, pays: what is open for the leader, its weights and what it pays, shape (S,) each.
        days: where the party is in time, by its leader's days, shape (1,).
        own_days: where each member is, by its own days, shape (M,).
        stack: room for the program of a rest, shape (DEEPEST,).
        fault: as in `Tally`.
    """

    levels: Ints
    xps: Ints
    boosted: Ints
    plain: Ints
    drawn_at: Ints
    practised: Ints
    peaks_of: Ints
    peaks: Ints
    peak_at: Array
    plays: NDArray[np.bool_]
    earned: Ints
    store: Ints
    is_open: NDArray[np.bool_]
    missing: Ints
    windows: Ints
    used: Ints
    opened: Opened
    running: Array
    pays: Array
    days: Opened
    own_days: Opened
    stack: Array
    fault: Ints


def new_party_room(members: int, tracks: Tracks, sources: Sources, gates: int, pools: int) -> PartyRoom:
    """Return room for parties of so many members, with so many gates and pools."""
    none = np.zeros((members, len(tracks.cap)), np.int64)
    return PartyRoom(
        levels=none,
        xps=none.copy(),
        boosted=np.zeros(members, np.int64),
        plain=np.zeros(members, np.int64),
        drawn_at=np.zeros(members, np.int64),
        practised=np.zeros((members, len(sources.practised)), np.int64),
        peaks_of=none.copy(),
        peaks=np.zeros(members, np.int64),
        peak_at=np.zeros(members),
        plays=np.zeros(members, np.bool_),
        earned=np.zeros((members, 2, len(tracks.cap)), np.int64),
        store=np.zeros(members, np.int64),
        is_open=np.zeros((members, gates), np.bool_),
        missing=np.zeros((members, pools), np.int64),
        windows=np.zeros(members, np.int64),
        used=np.zeros_like(sources.limits),
        opened=np.zeros(len(sources.reads), OPEN),
        running=np.zeros(len(sources.reads)),
        pays=np.zeros(len(sources.reads)),
        days=np.zeros(1, TODAY),
        own_days=np.zeros(members, TODAY),
        stack=np.zeros(DEEPEST),
        fault=np.zeros(2, np.int64),
    )
