"""Gates inside a kernel: which is shut, what opens it, and since when somebody stands before it."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.rules.overflow import Overflow, book_before_gate
from ramulus.simulation.jitted import part

if TYPE_CHECKING:
    from collections.abc import Sequence

    from ramulus.design import Design
    from ramulus.rules.schedule import Schedule

Ints = NDArray[np.int64]

NOBODY = -1.0


class Gates(NamedTuple):
    """The gates of a design, those of the main track first, on each track by level: G gates, T tracks.

    Attributes:
        first: where the gates of each track start, and one past the last, shape (T + 1,).
        track, level: its track, and the level that is not left, from 0, shape (G,).
        fills: whether XP fills the bar and no more, shape (G,).
        first_success, first_level: where the pairs below that open each start, and one past the last, shape (G + 1,).
        successes: a source and how many successes at it, shape (pairs, 2).
        levels: a track and its level, from 0, shape (pairs, 2).
        day: the play day from which it may open, from 0, for each schedule, shape (schedules, G); 0 where it waits for
            none.
    """

    first: Ints
    track: Ints
    level: Ints
    fills: NDArray[np.bool_]
    first_success: Ints
    first_level: Ints
    successes: Ints
    levels: Ints
    day: Ints


def make_gates(design: Design, schedules: Sequence[Schedule | None]) -> Gates:
    """Return the gates of a design, for players who have one of some schedules, or None for none."""
    order, main = design.track_order, design.main_track_name
    gates = sorted(design.gates, key=lambda gate: (order.index(gate.track or main), gate.at_level))
    tracks = [order.index(gate.track or main) for gate in gates]
    sources, starts = list(design.sources), [design.track(name).start_level for name in order]
    successes = [[[sources.index(name), count] for name, count in gate.successes.items()] for gate in gates]
    levels = [
        [[order.index(name), level - starts[order.index(name)]] for name, level in gate.levels.items()]
        for gate in gates
    ]
    days = [[s.first_play_day(g.from_day) if s and g.from_day else 0 for g in gates] for s in schedules or [None]]
    return Gates(
        first=np.searchsorted(tracks, np.arange(len(order) + 1)).astype(np.int64),
        track=np.array(tracks, dtype=np.int64),
        level=np.array([g.at_level - starts[t] for g, t in zip(gates, tracks, strict=True)], dtype=np.int64),
        fills=np.array([gate.meanwhile == "fill" for gate in gates], dtype=np.bool_),
        first_success=_starts([len(pairs) for pairs in successes]),
        first_level=_starts([len(pairs) for pairs in levels]),
        successes=np.array([pair for pairs in successes for pair in pairs], dtype=np.int64).reshape(-1, 2),
        levels=np.array([pair for pairs in levels for pair in pairs], dtype=np.int64).reshape(-1, 2),
        day=np.array(days, dtype=np.int64).reshape(len(days), len(gates)),
    )


def _starts(lengths: list[int]) -> Ints:
    return np.concatenate([[0], np.cumsum(lengths)]).astype(np.int64)


@part
def next_shut(gates: Gates, is_open: NDArray[np.bool_], track: int, level: int) -> int:
    """Return the next gate of a track that is shut, at a level or above it; -1 where there is none."""
    for gate in range(gates.first[track], gates.first[track + 1]):
        if gates.level[gate] >= level and not is_open[gate]:
            return gate
    return -1


@part
def book_at_gates(
    rule: Overflow, gates: Gates, is_open: NDArray[np.bool_], track: int, level: int, xp: int, units: int
) -> tuple[int, int, int]:
    """Book an award on a track with gates; returns as `book_award` does."""
    gate = next_shut(gates, is_open, track, level)
    if gate < 0:
        return book_before_gate(rule, rule.cap, False, level, xp, units)
    return book_before_gate(rule, gates.level[gate], gates.fills[gate], level, xp, units)


@part
def has_what_opens(gates: Gates, gate: int, used: Ints, peaks: Ints) -> bool:
    """Return whether all is so that a gate waits for, but its day."""
    for pair in range(gates.first_success[gate], gates.first_success[gate + 1]):
        if used[0, gates.successes[pair, 0]] < gates.successes[pair, 1]:
            return False
    for pair in range(gates.first_level[gate], gates.first_level[gate + 1]):
        if peaks[gates.levels[pair, 0]] < gates.levels[pair, 1]:
            return False
    return True


@part
def stands_at(rule: Overflow, gates: Gates, is_open: NDArray[np.bool_], track: int, level: int, xp: int) -> int:
    """Return the shut gate that somebody stands before with the level's cost in hand; -1 where there is none."""
    gate = next_shut(gates, is_open, track, level)
    if gate >= 0 and gates.level[gate] == level and xp >= rule.costs[rule.first + level]:
        return gate
    return -1


@part
def note_standing(
    held: Array, since: Array, held_at: Ints, track: int, gate_level: int, counts: bool, clock: float
) -> float:
    """Note whether somebody stands before a gate of a track from now on; return the seconds that it stood there.

    Args:
        held: seconds at the gate of each level of the track; written to where they count.
        since, held_at: from when on somebody stands at which level, by track.
        track: the track.
        gate_level: the level of the gate, or -1.
        counts: whether the time is of the level at which it was first reached.
        clock: played seconds now.
    """
    stood = 0.0
    if since[track] >= 0.0 and gate_level != held_at[track]:
        stood = clock - since[track]
        if counts:
            held[held_at[track]] += stood
        since[track] = NOBODY
    if gate_level >= 0 and since[track] < 0.0:
        since[track], held_at[track] = clock, gate_level
    return stood
