"""Players followed through their rows: the played time of each award, and the level held before and after it."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.recorded.rows import UNKNOWN, Batch, Ints, firsts_of
from ramulus.rules.overflow import book_award, book_loss
from ramulus.rules.starting import start_of
from ramulus.simulation.compiled import Kernel
from ramulus.simulation.steps import rule_of
from ramulus.simulation.world import make_tracks

if TYPE_CHECKING:
    from ramulus.design import Design

FROM_START, NEVER = -1, -2


class Followed(NamedTuple):
    """What became of players, a number a row.

    Attributes:
        clock: played seconds from the player's first award; what lies between two sittings is not played.
        pause: seconds since the row before within a sitting, without the encounter's own; not a number elsewhere.
        before, after: the level of the row's track before and after it, from 0.
        midway: which players' logs start midway, one item a player.
    """

    clock: Array
    pause: Array
    before: NDArray[np.int32]
    after: NDArray[np.int32]
    midway: NDArray[np.bool_]


def follow(design: Design, batch: Batch, longest_pause: float) -> Followed:
    """Follow players through their rows; where no level was logged it is what the ledger makes of the XP.

    Args:
        design: the design.
        batch: the rows.
        longest_pause: seconds; a longer pause between two awards ends a sitting.
    """
    rows, count = batch.rows, len(batch.rows.time)
    tracks = design.derived(make_tracks)
    found = Followed(
        np.zeros(count), np.full(count, np.nan), np.zeros(count, np.int32), np.zeros(count, np.int32),
        np.zeros(batch.players, np.bool_),
    )  # fmt: skip
    room = np.zeros((2, len(tracks.cap)), np.int64)
    profiles = np.maximum(batch.profiles, 0).astype(np.int64)
    starts = starts_of(design)
    follow_rows(tuple(rows), batch.starts, profiles, starts, tracks, float(longest_pause), room, tuple(found))
    return found


def starts_of(design: Design) -> Ints:
    """Return the level, from 0, and the units inside it with which each profile starts, shape (P, 2)."""
    return np.array([start_of(design, profile) for profile in design.profiles], dtype=np.int64)


@Kernel
def follow_rows(  # type: ignore[no-untyped-def]
    rows, starts, profiles, start, tracks, longest, room, found
):
    """Fill in what `follow` finds in some rows; `room` is written over."""
    time, units, track_of, _, _, level, xp, seconds = rows
    clock, pause, before, after, midway = found
    levels, xps = room[0], room[1]
    for player in range(len(starts) - 1):
        for track in range(len(levels)):
            levels[track], xps[track] = 0, tracks.start_units[track]
        levels[0], xps[0] = start[profiles[player]]
        played, first = 0.0, starts[player]
        for row in range(first, starts[player + 1]):
            if row > first:
                gap = time[row] - time[row - 1]
                if gap <= longest:
                    played += gap
                    pause[row] = gap - seconds[row]
            clock[row] = played
            track = track_of[row]
            rule, held = rule_of(tracks, track), levels[track]
            if units[row] >= 0:
                now, rest, _ = book_award(rule, held, xps[track], units[row])
            else:
                now, rest, _ = book_loss(rule, held, xps[track], -units[row])
            if level[row] != UNKNOWN:
                if row == first and (level[row] != now or (xp[row] != UNKNOWN and xp[row] != rest)):
                    midway[player] = True  # It has been here before.
                    held = level[row]
                if level[row] != now:
                    now, rest = min(max(level[row], 0), rule.cap), 0
                if xp[row] != UNKNOWN:
                    rest = xp[row]
            before[row], after[row] = held, now
            levels[track], xps[track] = now, rest


def first_rows(batch: Batch, followed: Followed, track: int, levels: int) -> Ints:
    """Return the row at which each player first reached each level of a track, shape (players, levels).

    FROM_START where it was there before its first award; NEVER where it did not get there, and everywhere where its log
    starts midway.
    """
    mine = np.flatnonzero(batch.rows.track == track)
    owner, after = batch.owner[mine], followed.after[mine].astype(np.int64)
    found = np.full((batch.players, levels), NEVER, np.int64)
    # Players follow each other, so that the running highest of player and level is that of the level.
    peak = np.maximum.accumulate(owner * (levels + 1) + after) - owner * (levels + 1) if len(mine) else after
    first = firsts_of(owner)
    was = np.where(first, followed.before[mine], np.roll(peak, 1))
    for at in np.flatnonzero(peak > was):
        found[owner[at], was[at] + 1 : peak[at] + 1] = mine[at]
    for at in np.flatnonzero(first):
        found[owner[at], : followed.before[mine[at]] + 1] = FROM_START
    found[followed.midway] = NEVER
    return found


def arrivals(first: Ints, of_row: Array, at_start: Array | float) -> Array:
    """Return something of the rows at which players first reached levels, such as their played seconds.

    Args:
        first: those rows, as `first_rows` has them, shape (players, levels).
        of_row: what is asked for, of every row.
        at_start: and of who was there before, shape (players,).
    """
    started = np.broadcast_to(np.asarray(at_start, np.float64).reshape(-1, 1), first.shape)
    return np.where(first >= 0, of_row[np.maximum(first, 0)], np.where(first == FROM_START, started, np.nan))


def sittings(batch: Batch, longest_pause: float) -> Array:
    """Return how many sittings of its player's had begun by each row."""
    begins = np.diff(batch.rows.time, prepend=-np.inf) > longest_pause
    begins[batch.starts[:-1]] = True
    count = np.cumsum(begins)
    return (count - (count[batch.starts[:-1]] - 1)[batch.owner]).astype(np.float64)


def ends(batch: Batch, followed: Followed) -> Array:
    """Return the played seconds at each player's last award, shape (players,)."""
    return followed.clock[batch.starts[1:] - 1]


def calendar_of(batch: Batch) -> tuple[Array, Array]:
    """Return the times of each player's first and last award."""
    return batch.rows.time[batch.starts[:-1]], batch.rows.time[batch.starts[1:] - 1]
