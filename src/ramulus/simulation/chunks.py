"""Chunks of players: the fixed-size unit of work, so that who plays where changes no bit of the result."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ramulus.simulation.draws import own_factors, player_keys
from ramulus.simulation.kernel import play_players
from ramulus.simulation.tally import Tally, new_tally
from ramulus.simulation.times import time_table
from ramulus.simulation.world import Stage

CHUNK = 1024


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
    """What a chunk came to: whose it is, where its players stand in the profile, and what was counted."""

    profile_index: int
    first: int
    tally: Tally

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
    keys = player_keys(job.seed, stage.profile, job.first, job.players)
    levels, sources = stage.sources.xp.low.shape
    tally = new_tally(job.players, int((stage.tracks.cap + 1).sum()), levels, sources, job.stop)
    numbers = np.arange(job.first, job.first + job.players, dtype=np.int64)
    play_players(stage, keys, own_factors(keys, stage.spread), numbers, time_table(stage.shape), tally)
    return Chunk(job.profile_index, job.first, tally)
