"""Simulate many players of each profile, chunk by chunk, on any executor."""

from __future__ import annotations

import os
import time
from collections.abc import Callable, Iterator, Mapping
from concurrent.futures import FIRST_COMPLETED, Executor, Future, ThreadPoolExecutor, wait
from dataclasses import dataclass
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ramulus.errors import RamulusError, UnknownNameError
from ramulus.simulation.chunks import CHUNK, Chunk, Job, play_chunk
from ramulus.simulation.result import Gathering, SimulationResult
from ramulus.simulation.worlds import Stage, make_stages

if TYPE_CHECKING:
    from ramulus.design import Design

DEFAULT_HOURS = 200.0
MOST_CELLS_KEPT = 12_000_000
MOST_ENCOUNTERS = 1_000_000
MOST_LEVELS = 5_000


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


class SimulationStopped(RamulusError):  # noqa: N818 — it is no error but an interrupt.
    """A simulation was interrupted; `result` holds the players that were done, or None where none were."""

    exit_status = 130  # What shells give a command that an interrupt ended.

    def __init__(self, result: SimulationResult | None, done: int, players: int) -> None:
        self.result, self.done, self.players = result, done, players
        super().__init__(f"stopped after {done:,} of {players:,} players")


def simulate(
    design: Design,
    players: int | Mapping[str, int] = 2000,
    hours: float = DEFAULT_HOURS,
    seed: int = 0,
    *,
    executor: Executor | None = None,
    progress: Callable[[Progress], object] | None = None,
    keep_players: bool | None = None,
    most_encounters: int = MOST_ENCOUNTERS,
) -> SimulationResult:
    """Play many players of each profile, encounter by encounter, until the cap or the horizon.

    The same design, seed and sizes give the same result to the bit, whatever the executor.

    Args:
        design: the design; it needs sources and the time of an encounter.
        players: how many players of each profile, or a number for each profile by name. `by_share` splits a
            population.
        hours: the horizon in played hours.
        seed: the seed of every random draw. Two designs with one seed share their draws where they can.
        executor: where chunks run (default: threads, one a processor).
        progress: is called with a `Progress` now and then.
        keep_players: whether every player's times are kept (default: while they fit; else counts in bins whose
            quantiles are within 0.4 %).
        most_encounters: after which a player is given up, so that no design runs for ever.

    Returns:
        The result, with its tables.

    Raises:
        DesignError: the design is at fault.
        SimulationStopped: it was interrupted (Ctrl-C); the error holds what was done.

    Examples:
        >>> import ramulus as rm
        >>> result = rm.simulate(rm.demo_design(), players=200, seed=7)
        >>> bool(result.reached(10, hours=5).min() > 0.9)
        True
    """
    _refuse_sizes(hours, most_encounters)
    stages = make_stages(design, hours, most_encounters)
    counts = _counts(design, stages, players)
    levels = int((stages[0].rules.count + 1).sum())
    if levels > MOST_LEVELS:
        raise RamulusError(f"{levels:,} levels over all tracks; allowed in a simulation: at most {MOST_LEVELS:,}")
    keep = sum(counts) * levels <= MOST_CELLS_KEPT if keep_players is None else keep_players
    gathering = Gathering(design, stages, counts, hours, seed, keep)
    stop = np.zeros(1, np.int8)
    jobs = _jobs(stages, counts, seed, stop)
    own = ThreadPoolExecutor(os.cpu_count() or 1) if executor is None else None
    try:
        _run_all(jobs, own or executor, gathering, sum(counts), progress)
    except KeyboardInterrupt:
        stop[0] = 1  # The kernel holds no lock that a signal could break in on; it looks here.
        done = gathering.players_done
        raise SimulationStopped(gathering.result() if done else None, done, sum(counts)) from None
    finally:
        if own is not None:
            own.shutdown(wait=False, cancel_futures=True)
    return gathering.result()


def by_share(design: Design, players: int) -> dict[str, int]:
    """Return how many of a population each profile has, by the profiles' shares.

    Every profile with a share gets at least one; the numbers add up to `players` (or to the number of profiles).
    """
    design.require("players", "a population")
    shares = np.array([float(player.share) for player in design.players.values()])
    if shares.sum() <= 0:
        shares = np.ones(len(shares))
    exact = players * shares / shares.sum()
    counts = np.maximum(np.floor(exact), shares > 0).astype(int)
    # Largest remainders first, as seats are given out.
    for index in np.argsort(counts - exact, kind="stable")[: max(players - int(counts.sum()), 0)]:
        counts[index] += 1
    return dict(zip(design.players, counts.tolist(), strict=True))


def _refuse_sizes(hours: float, most_encounters: int) -> None:
    if not (np.isfinite(hours) and hours > 0):
        raise RamulusError(f"hours is {hours!r}; allowed: a finite number above 0")
    if most_encounters < 1 or most_encounters > 2_000_000_000:
        raise RamulusError(f"most_encounters is {most_encounters!r}; allowed: 1 … 2,000,000,000")


def _counts(design: Design, stages: list[Stage], players: int | Mapping[str, int]) -> list[int]:
    if not isinstance(players, Mapping):
        players = {stage.profile: players for stage in stages}
    for name, count in players.items():
        if name not in [stage.profile for stage in stages]:
            raise UnknownNameError("player profile", name, design.players)
        if not isinstance(count, int | np.integer) or count < 0:
            raise RamulusError(f"players is {count!r}; allowed: a whole number of 1 or more")
    counts = [int(players.get(stage.profile, 0)) for stage in stages]
    if sum(counts) < 1:
        raise RamulusError("no players to play; allowed: 1 or more")
    return counts


def _jobs(stages: list[Stage], counts: list[int], seed: int, stop: NDArray[np.int8]) -> Iterator[Job]:
    for index, (stage, count) in enumerate(zip(stages, counts, strict=True)):
        for chunk in range(-(-count // CHUNK)):
            yield Job(stage, seed, index, chunk, min(CHUNK, count - chunk * CHUNK), stop)


def _run_all(
    jobs: Iterator[Job],
    executor: Executor | None,
    gathering: Gathering,
    players: int,
    progress: Callable[[Progress], object] | None,
) -> None:
    """Keep a few chunks in flight and fold each in as it comes; counts add up the same in any order."""
    assert executor is not None
    started = time.monotonic()
    in_flight: set[Future[Chunk]] = set()
    at_once = 2 * (os.cpu_count() or 1) + 2
    try:
        while True:
            while len(in_flight) < at_once and (job := next(jobs, None)) is not None:
                in_flight.add(executor.submit(play_chunk, job))
            if not in_flight:
                return
            # A short wait, so that Ctrl-C is heard between chunks.
            done, in_flight = wait(in_flight, timeout=0.2, return_when=FIRST_COMPLETED)
            for future in done:
                gathering.add(future.result())
            if progress is not None:
                progress(Progress(gathering.players_done, players, time.monotonic() - started))
    finally:
        for future in in_flight:
            future.cancel()
