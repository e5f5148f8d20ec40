"""Play many players of each profile, chunk by chunk, on any executor."""

from __future__ import annotations

import os
import time
from collections.abc import Callable, Iterator, Mapping
from concurrent.futures import FIRST_COMPLETED, Executor, Future, ThreadPoolExecutor, wait
from dataclasses import dataclass
from typing import cast

import numpy as np
from numpy.typing import NDArray

from ramulus.simulation.chunks import Chunk, Job, Sizes, chunk_size, packed, play_chunk
from ramulus.simulation.gathering import Gathering
from ramulus.simulation.played import Played
from ramulus.simulation.world import Stage


@dataclass(frozen=True)
class Progress:
    """How far a simulation has got.

    Attributes:
        players_done: players played to their end.
        players: all players.
        seconds: wall-clock seconds since the start.
    """

    players_done: int
    players: int
    seconds: float


class Interrupted(Exception):  # noqa: N818 — it is no error.
    """A run was interrupted; `played` holds the players that were done, or None where none were."""

    def __init__(self, played: Played | None, done: int, players: int) -> None:
        self.played, self.done, self.players = played, done, players
        super().__init__(done, players)


@dataclass(frozen=True, eq=False)
class Plan:
    """What is to be played.

    Attributes:
        stages: the profiles.
        counts: how many players of each.
        levels: how many levels each track has, by name, the main track first.
        hours: the horizon, played hours.
        seed: the seed of every draw.
        keep: whether every player's numbers are kept.
        until: further tracks whose caps end play.
    """

    stages: list[Stage]
    counts: list[int]
    levels: Mapping[str, int]
    hours: float
    seed: int
    keep: bool
    until: tuple[str, ...] = ()

    @property
    def players(self) -> int:
        """All players."""
        return sum(self.counts)


def play(plan: Plan, executor: Executor | None, progress: Callable[[Progress], object] | None) -> Played:
    """Play a plan on an executor (default: threads, one a processor).

    Raises:
        Interrupted: Ctrl-C came; it holds what was done.
    """
    pairs = zip(plan.stages, plan.counts, strict=True)
    gatherings = [Gathering(stage, count, plan.levels, keep=plan.keep) for stage, count in pairs]
    stop = np.zeros(1, np.int8)
    own = ThreadPoolExecutor(os.cpu_count() or 1) if executor is None else None
    try:
        for chunk in _chunks(plan, executor or cast(Executor, own), stop, gatherings, progress):
            gatherings[chunk.profile_index].add(chunk)
    except KeyboardInterrupt:
        stop[0] = 1  # The kernel holds no lock that a signal could break in on; it looks here.
        done = sum(gathering.players_done for gathering in gatherings)
        raise Interrupted(_played(plan, gatherings) if done else None, done, plan.players) from None
    except BaseException:
        stop[0] = 1  # Whoever watches the progress may have had enough: what is in flight ends soon.
        raise
    finally:
        if own is not None:
            own.shutdown(wait=False, cancel_futures=True)
    return _played(plan, gatherings)


def _played(plan: Plan, gatherings: list[Gathering]) -> Played:
    profiles = {
        stage.profile: gathering.played(int(stage.tracks.scale[0]))
        for stage, gathering in zip(plan.stages, gatherings, strict=True)
        if gathering.players_done
    }
    return Played(profiles, plan.hours, plan.seed, plan.until)


def _jobs(plan: Plan, stop: NDArray[np.int8], sizes: Sizes | None) -> Iterator[Job]:
    """Yield chunks of a size that the number of players alone decides, or of one that grows as it is learned."""
    fixed = chunk_size(plan.players)
    for index, (stage, count) in enumerate(zip(plan.stages, plan.counts, strict=True)):
        sent, first = stage if sizes is None else packed(stage), 0
        while first < count:
            size = min(fixed, count - first) if sizes is None else sizes.next(count - first)
            yield Job(sent, plan.seed, index, first, size, stop)
            first += size


def width_of(executor: Executor) -> int:
    """Return how many chunks an executor plays at once, as far as it says."""
    workers = getattr(executor, "_max_workers", None)  # Of threads and processes.
    client = getattr(executor, "_client", None)  # Of Dask's.
    if workers is None and client is not None:
        workers = sum(client.nthreads().values())
    return int(workers or os.cpu_count() or 1)


def _chunks(
    plan: Plan, executor: Executor, stop: NDArray[np.int8], gatherings: list[Gathering],
    progress: Callable[[Progress], object] | None,
) -> Iterator[Chunk]:  # fmt: skip
    """Keep a few chunks in flight and yield each as it comes."""
    started, width = time.monotonic(), width_of(executor)
    far = not isinstance(executor, ThreadPoolExecutor)
    sizes = Sizes(plan.players, width, sum(plan.levels.values())) if far else None
    jobs, in_flight = _jobs(plan, stop, sizes), set[Future[Chunk]]()
    at_once = 2 * width + 2
    try:
        while True:
            while len(in_flight) < at_once and (job := next(jobs, None)) is not None:
                in_flight.add(executor.submit(play_chunk, job))
            if not in_flight:
                return
            # A short wait, so that Ctrl-C is heard between chunks.
            done, in_flight = wait(in_flight, timeout=0.2, return_when=FIRST_COMPLETED)
            for future in done:
                chunk = future.result()
                if sizes is not None:
                    sizes.learn(len(chunk.tally.ended), chunk.seconds)
                yield chunk
            if progress is not None:
                players_done = sum(gathering.players_done for gathering in gatherings)
                progress(Progress(players_done, plan.players, time.monotonic() - started))
    finally:
        for future in in_flight:
            future.cancel()
