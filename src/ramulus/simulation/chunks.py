"""Chunks of players: the fixed-size unit of work, so that who plays where changes no bit of the result."""

from __future__ import annotations

import time
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ramulus.errors import DesignError, Problem
from ramulus.rules.pools import MILLIONTHS
from ramulus.simulation.draws import own_factors, player_keys
from ramulus.simulation.in_flight import unpacked
from ramulus.simulation.kernel import play_players
from ramulus.simulation.quits import Quits, quit_times, quits_of
from ramulus.simulation.tally import ENDLESS, Tally, new_tally
from ramulus.simulation.times import time_table
from ramulus.simulation.world import Stage

CHUNK, SMALL_CHUNK = 1024, 256
MANY_PLAYERS = 16 * CHUNK  # From here on chunks are large, so that processes are handed fewer of them.
LONG_ENOUGH = 1.0  # Seconds of a chunk beside which handing it over is nothing.
MOST_CELLS = 500_000  # Players times levels of a chunk that comes back: some megabytes.


def chunk_size(players: int) -> int:
    """Return how many players go into a chunk of a run of so many: small enough that no processor waits long."""
    return CHUNK if players >= MANY_PLAYERS else SMALL_CHUNK


class Sizes:
    """How many players go into the next chunk, where chunks go far: more, until one takes a second.

    Args:
        players: how many are played in all.
        width: how many chunks are played at once.
        levels: how many levels all tracks have.
    """

    def __init__(self, players: int, width: int, levels: int) -> None:
        self.size, self._left, self._width = chunk_size(players), players, width
        self._most = max(MOST_CELLS // levels, self.size)

    def next(self, players: int) -> int:
        """Return the size of a chunk out of so many players of a profile, so that nobody is left without one."""
        share = max(self._left // self._width, SMALL_CHUNK)
        size = min(self.size, share, players)
        self._left -= size
        return size

    def learn(self, players: int, seconds: float) -> None:
        """Take in how long a chunk took."""
        if players >= self.size and seconds < LONG_ENOUGH:
            self.size = min(2 * self.size, self._most)


@dataclass(frozen=True, eq=False)
class Job:
    """One chunk: the stage, its place among the profiles, the first player's number and how many to play.

    The stage is the thing itself, or packed where it goes to another process. `stop` is shared with whoever started
    the run: a 1 in it ends the chunk at once, unfinished.
    """

    stage: Stage | bytes
    seed: int
    profile_index: int
    first: int
    players: int
    stop: NDArray[np.int8]


@dataclass(frozen=True, eq=False)
class Chunk:
    """What a chunk came to: whose it is, its players' place in the profile, what was counted, who would quit.

    `seconds` is how long it took to play, by the clock on the wall.
    """

    profile_index: int
    first: int
    tally: Tally
    quits: Quits | None
    seconds: float

    @property
    def numbers(self) -> NDArray[np.int64]:
        """The numbers of the chunk's players in the profile."""
        return np.arange(self.first, self.first + len(self.tally.ended), dtype=np.int64)

    @property
    def players(self) -> slice:
        """Where the chunk's players stand among those of the profile."""
        return slice(self.first, self.first + len(self.tally.ended))


def play_chunk(job: Job) -> Chunk:
    """Play one chunk of players."""
    begun = time.monotonic()
    stage: Stage = unpacked(job.stage)
    tally = tally_for(stage, job.players, job.stop)
    numbers = np.arange(job.first, job.first + job.players, dtype=np.int64)
    keys = player_keys(job.seed, stage.profile, numbers)
    play_players(stage, keys, own_factors(keys, stage.spread), numbers, time_table(stage.shape), tally)
    refuse_fault(tally.fault, stage.first_level)
    quits = quits_in(stage, keys, numbers, tally)
    return Chunk(job.profile_index, job.first, tally, quits, time.monotonic() - begun)


def tally_for(stage: Stage, players: int, stop: NDArray[np.int8]) -> Tally:
    """Return an empty tally for some players of a stage; `stop` as a job has it."""
    levels, sources = stage.sources.xp.low.shape
    gates = len(stage.world.gates.level) > 0
    return new_tally(players, int((stage.tracks.cap + 1).sum()), levels, sources, stop, gates=gates)


def refuse_fault(fault: NDArray[np.int64], first_level: int) -> None:
    """Refuse the time of a rest that a kernel found to be below 0, or no number.

    Raises:
        DesignError: there is one.
    """
    if fault[0] > 0:
        at, missing = first_level + int(fault[0]) - 1, float(fault[1]) / MILLIONTHS
        found = f"no time of 0 seconds or more at level {at}, with {missing:.6g} missing"
        raise DesignError([Problem("encounter.rest.seconds", found, "0 seconds or more", code="negative-time")])


def quits_in(stage: Stage, keys: NDArray[np.uint64], numbers: NDArray[np.int64], tally: Tally) -> Quits | None:
    """Return which of some players would have quit, and when; None where nobody can."""
    if stage.quitting is None:
        return None
    levels = int(stage.tracks.cap[0]) + 1
    arrival = tally.arrival[:, :levels]
    # Whoever was given up after too many encounters is known up to its last level only.
    until = np.where(tally.ended == ENDLESS, np.fmax.reduce(arrival, axis=1), stage.settings.horizon)
    times = quit_times(stage.quitting, keys, numbers, stage.schedules, stage.comes)
    return quits_of(stage.quitting, times, arrival, until, numbers, stage.schedules, stage.comes)
