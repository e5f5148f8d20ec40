"""Chunks of players: the fixed-size unit of work, so that who plays where changes no bit of the result."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ramulus.simulation.draws import own_factors, player_keys
from ramulus.simulation.kernel import play_players
from ramulus.simulation.quits import Quits, quit_times, quits_of
from ramulus.simulation.tally import ENDLESS, Tally, new_tally
from ramulus.simulation.times import time_table
from ramulus.simulation.world import Stage

CHUNK, SMALL_CHUNK = 1024, 256
MANY_PLAYERS = 16 * CHUNK  # From here on chunks are large, so that processes are handed fewer of them.


def chunk_size(players: int) -> int:
    """Return how many players go into a chunk of a run of so many: small enough that no processor waits long."""
    return CHUNK if players >= MANY_PLAYERS else SMALL_CHUNK


@dataclass(frozen=True, eq=False)
class Job:
    """One chunk: the stage, its place among the profiles, the first player's number and how many to play.

    `stop` is shared with whoever started the run: a 1 in it ends the chunk at once, unfinished.
    """

    stage: Stage
    seed: int
    profile_index: int
    first: int
    players: int
    stop: NDArray[np.int8]


@dataclass(frozen=True, eq=False)
class Chunk:
    """What a chunk came to: whose it is, its players' place in the profile, what was counted, who would quit."""

    profile_index: int
    first: int
    tally: Tally
    quits: Quits | None

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
    stage = job.stage
    levels, sources = stage.sources.xp.low.shape
    tally = new_tally(job.players, int((stage.tracks.cap + 1).sum()), levels, sources, job.stop)
    numbers = np.arange(job.first, job.first + job.players, dtype=np.int64)
    keys = player_keys(job.seed, stage.profile, numbers)
    play_players(stage, keys, own_factors(keys, stage.spread), numbers, time_table(stage.shape), tally)
    return Chunk(job.profile_index, job.first, tally, _quits(stage, keys, numbers, tally))


def _quits(stage: Stage, keys: NDArray[np.uint64], numbers: NDArray[np.int64], tally: Tally) -> Quits | None:
    if stage.quitting is None:
        return None
    levels = int(stage.tracks.cap[0]) + 1
    arrival = tally.arrival[:, :levels]
    # Whoever was given up after too many encounters is known up to its last level only.
    until = np.where(tally.ended == ENDLESS, np.fmax.reduce(arrival, axis=1), stage.settings.horizon)
    times = quit_times(stage.quitting, keys, numbers, stage.schedules)
    return quits_of(stage.quitting, times, arrival, until, numbers, stage.schedules)
