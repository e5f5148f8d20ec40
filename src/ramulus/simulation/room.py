"""Room for a kernel to write in: kernels make no arrays, so that nobody has to count who still needs one."""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.rules.programs import DEEPEST
from ramulus.simulation.award_log import log_for
from ramulus.simulation.days import TODAY
from ramulus.simulation.done import NO_END
from ramulus.simulation.opened import OPEN, Opened
from ramulus.simulation.world import Ints, Sources, Tracks, World


class Room(NamedTuple):
    """Where one player stands, written over from player to player; T tracks, S sources, K levels of all tracks.

    Attributes:
        levels, xps, peaks: the level held, the units inside it and the highest level reached, by track, shape (T,).
        first_level: where the levels of each track start among those of all tracks, shape (T,).
        used: successes so far, as `Sources.limits`, shape (3, S).
        earned: units awarded to each track today and this week, shape (2, T).
        practised: what a failure (0) and a success (1) award to each skill that is practised, shape (2, N).
        next_earned: the most units awarded today and this week with which awards stay as they are, shape (2, T).
        drained: what a failure (0) and a success (1) at each open source take of each pool, shape (S, 2, P).
        size: how much each pool holds at the level held, shape (P,).
        thrown: units of the main track wasted since it was last looked at, shape (1,).
        store: units gathered on days away, shape (1,).
        is_open: which gates are open, shape (G,).
        since, held_at: from when on it stands before a gate, or NOBODY, and at which level, by track, shape (T,).
        missing: what each pool lacks, in millionths, shape (P,).
        stack: room for the program of a rest, shape (DEEPEST,).
        opened, running, pays: what is open, its weights and what it pays, shape (S,) each.
        days: where it is in time, shape (1,).
        stream, leapt: where the draws of a leap are; how many encounters were leapt over, and since reaching which
            level how many leaps there were; shape (1,) and (3,).
        log, logged: awards as they are booked; how many so far, and the player's place, shape (2,).
    """

    levels: Ints
    xps: Ints
    peaks: Ints
    first_level: Ints
    used: Ints
    earned: Ints
    practised: Ints
    next_earned: Ints
    drained: Ints
    size: Ints
    thrown: Ints
    store: Ints
    is_open: NDArray[np.bool_]
    since: Array
    held_at: Ints
    missing: Ints
    stack: Array
    opened: Opened
    running: Array
    pays: Array
    days: Opened
    stream: NDArray[np.uint64]
    leapt: Ints
    log: NDArray[Any]
    logged: Ints


def new_room(tracks: Tracks, sources: Sources, world: World, rows: int = 0) -> Room:
    """Return room for players of a design, and for some rows of a log."""
    none = np.zeros_like(tracks.cap)
    return Room(
        levels=none,
        xps=none.copy(),
        peaks=none.copy(),
        first_level=np.concatenate([[0], np.cumsum(tracks.cap + 1)[:-1]]).astype(np.int64),
        used=np.zeros_like(sources.limits),
        earned=np.zeros((2, len(none)), np.int64),
        practised=np.zeros((2, len(sources.practised)), np.int64),
        next_earned=np.full((2, len(none)), NO_END),
        drained=np.zeros((len(sources.reads), 2, len(world.pools.size)), np.int64),
        size=np.zeros(len(world.pools.size), np.int64),
        thrown=np.zeros(1, np.int64),
        store=np.zeros(1, np.int64),
        is_open=np.zeros(len(world.gates.level), np.bool_),
        since=np.zeros(len(none)),
        held_at=none.copy(),
        missing=np.zeros(len(world.pools.size), np.int64),
        stack=np.zeros(DEEPEST),
        opened=np.zeros(len(sources.reads), OPEN),
        running=np.zeros(len(sources.reads)),
        pays=np.zeros(len(sources.reads)),
        days=np.zeros(1, TODAY),
        stream=np.zeros(1, np.uint64),
        leapt=np.zeros(3, np.int64),
        log=log_for(rows),
        logged=np.zeros(2, np.int64),
    )
