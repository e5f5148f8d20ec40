"""Work handed to an executor piece by piece: as much in flight as it is wide, and what it comes to as it comes."""

from __future__ import annotations

import os
import pickle
import zlib
from collections.abc import Callable, Iterator
from concurrent.futures import FIRST_COMPLETED, Executor, Future, ThreadPoolExecutor, wait
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, TypeVar

Piece = TypeVar("Piece")
Result = TypeVar("Result")


@dataclass(frozen=True)
class Progress:
    """How far a simulation has got.

    Attributes:
        players_done: players played to their end, or parties.
        players: all of them.
        seconds: wall-clock seconds since the start.

    Examples:
        >>> import ramulus as rm
        >>> rm.Progress(players_done=50, players=200, seconds=1.5)
        Progress(players_done=50, players=200, seconds=1.5)
    """

    players_done: int
    players: int
    seconds: float


def own_threads() -> ThreadPoolExecutor:
    """Return what plays where no executor is given: a thread a processor; kernels need no lock."""
    return ThreadPoolExecutor(os.cpu_count() or 1)


def width_of(executor: Executor) -> int:
    """Return how many pieces an executor works on at once, as far as it says."""
    workers = getattr(executor, "_max_workers", None)  # Of threads and processes.
    client = getattr(executor, "_client", None)  # Of Dask's.
    if workers is None and client is not None:
        workers = sum(client.nthreads().values())
    return int(workers or os.cpu_count() or 1)


def goes_far(executor: Executor) -> bool:
    """Return whether what is handed to an executor leaves the process."""
    return not isinstance(executor, ThreadPoolExecutor)


def packed(stage: Any) -> bytes:
    """Return a stage as few bytes: tables repeat themselves."""
    return zlib.compress(pickle.dumps(stage), 1)


def unpacked(stage: Any) -> Any:
    """Return a stage that may be packed; whoever gets many pieces of one unpacks it once."""
    return _unpacked(stage) if isinstance(stage, bytes) else stage


@lru_cache(maxsize=16)
def _unpacked(data: bytes) -> Any:
    return pickle.loads(zlib.decompress(data))


def as_they_come(
    executor: Executor, work: Callable[[Piece], Result], pieces: Iterator[Piece]
) -> Iterator[list[Result]]:
    """Do some work on each piece; yield the results as they come, a few or none at a time.

    A list comes at least every fifth of a second, so that Ctrl-C is heard and progress is shown.
    """
    in_flight: set[Future[Result]] = set()
    at_once = 2 * width_of(executor) + 2
    try:
        while True:
            while len(in_flight) < at_once and (piece := next(pieces, None)) is not None:
                in_flight.add(executor.submit(work, piece))
            if not in_flight:
                return
            done, in_flight = wait(in_flight, timeout=0.2, return_when=FIRST_COMPLETED)
            yield [future.result() for future in done]
    finally:
        for future in in_flight:
            future.cancel()
