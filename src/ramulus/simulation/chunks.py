"""Chunks of players: the fixed-size unit of work, so that who plays where changes no bit of the result."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.simulation.kernel import LOG_COLUMNS, Tally, play
from ramulus.simulation.worlds import Stage

CHUNK = 1024


@dataclass(frozen=True, eq=False)
class Job:
    """One chunk: the stage, which chunk of the profile it is, and how many of its players to play.

    `stop` is shared with whoever started the run: a 1 in it ends the chunk at once, unfinished.
    """

    stage: Stage
    seed: int
    profile_index: int
    chunk: int
    players: int
    stop: NDArray[np.int8]


@dataclass(frozen=True, eq=False)
class Chunk:
    """What a chunk came to.

    Attributes:
        arrival: played seconds at first reaching each level of all tracks, shape (players, K).
        encounters: encounters by then, shape (players, K).
        ended: why each player ended, shape (players,).
        last: level index, XP units, encounters, XP units wasted at the end, shape (players, 4).
        clock: played seconds at the end, shape (players,).
        sums: by name: income, met and won (levels, sources); waste and lost (levels,).
    """

    profile_index: int
    chunk: int
    arrival: Array
    encounters: NDArray[np.int32]
    ended: NDArray[np.int8]
    last: NDArray[np.int64]
    clock: Array
    sums: dict[str, NDArray[np.int64]]


def draw_players(seed: int, profile_index: int, chunk: int, spread: float) -> tuple[NDArray[np.uint64], Array]:
    """Return the keys and pace factors of all players of a chunk.

    The whole chunk is drawn even where fewer play, so that player 7 is the same whatever the number of players.
    """
    sequence = np.random.SeedSequence(entropy=seed, spawn_key=(profile_index, chunk))
    generator = np.random.Generator(np.random.PCG64(sequence))
    keys = generator.integers(0, 2**64, CHUNK, dtype=np.uint64)
    return keys, np.exp(spread * generator.standard_normal(CHUNK))


def play_chunk(job: Job) -> Chunk:
    """Play one chunk of players."""
    tally = new_tally(job.stage, job.players)._replace(stop=job.stop)
    keys, pace = draw_players(job.seed, job.profile_index, job.chunk, job.stage.spread)
    play(keys[: job.players], pace[: job.players], job.stage.world, job.stage.rules, job.stage.settings, tally)
    sums = {name: getattr(tally, name) for name in ("income", "met", "won", "waste", "lost")}
    return Chunk(
        job.profile_index,
        job.chunk,
        tally.arrival,
        tally.encounters,
        tally.ended,
        tally.last,
        tally.clock,
        sums,
    )


def new_tally(stage: Stage, players: int, log_rows: int = 0) -> Tally:
    """Return an empty tally for the kernel to fill in."""
    levels, sources = stage.world.xp_fixed.shape
    every = int((stage.rules.count + 1).sum())
    return Tally(
        arrival=np.full((players, every), np.nan),
        encounters=np.zeros((players, every), np.int32),
        ended=np.zeros(players, np.int8),
        last=np.zeros((players, 4), np.int64),
        clock=np.zeros(players),
        income=np.zeros((levels, sources), np.int64),
        met=np.zeros((levels, sources), np.int64),
        won=np.zeros((levels, sources), np.int64),
        waste=np.zeros(levels, np.int64),
        lost=np.zeros(levels, np.int64),
        log=np.zeros((log_rows, len(LOG_COLUMNS)), np.int64),
        logged=np.zeros(1, np.int64),
        stop=np.zeros(1, np.int8),
    )


def play_logged(stage: Stage, key: int, pace: float, rows: int = 1_000_000) -> tuple[NDArray[np.int64], Tally]:
    """Play one player and return what was booked, row by row, with the columns LOG_COLUMNS."""
    tally = new_tally(stage, 1, rows)
    play(np.array([key], np.uint64), np.array([pace]), stage.world, stage.rules, stage.settings, tally)
    return tally.log[: int(tally.logged[0])], tally
