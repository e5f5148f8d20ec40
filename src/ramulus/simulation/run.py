"""Play many players of each profile, chunk by chunk, on any executor."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator, Mapping
from concurrent.futures import Executor
from dataclasses import dataclass
from typing import cast

import numpy as np
from numpy.typing import NDArray

from ramulus.simulation.chunks import Chunk, Job, Sizes, chunk_size, play_chunk
from ramulus.simulation.gathering import Gathering
from ramulus.simulation.in_flight import Progress, as_they_come, goes_far, own_threads, packed, width_of
from ramulus.simulation.played import Played
from ramulus.simulation.world import Stage


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
    own = own_threads() if executor is None else None
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


def _chunks(
    plan: Plan, executor: Executor, stop: NDArray[np.int8], gatherings: list[Gathering],
    progress: Callable[[Progress], object] | None,
) -> Iterator[Chunk]:  # fmt: skip
    """Yield each chunk as it comes."""
    started, sizes = time.monotonic(), None
    if goes_far(executor):
        sizes = Sizes(plan.players, width_of(executor), sum(plan.levels.values()))
    for chunks in as_they_come(executor, play_chunk, _jobs(plan, stop, sizes)):
        for chunk in chunks:
            if sizes is not None:
                sizes.learn(len(chunk.tally.ended), chunk.seconds)
            yield chunk
        if progress is not None:
            players_done = sum(gathering.players_done for gathering in gatherings)
            progress(Progress(players_done, plan.players, time.monotonic() - started))
