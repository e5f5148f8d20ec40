"""How long an attack goes on: a few cases in the usual run, as many as fit into some minutes when asked to."""

from __future__ import annotations

import random
import resource
import signal
import time
from collections.abc import Iterator

HANGS_AFTER = 60  # s of work, a kernel compiled among it; waiting for what never comes is given ten times as long.
MOST_MEMORY = 2_000_000  # kB


class Hang(BaseException):
    """A case took too long; no `except Exception` on the way hides it."""


def _hang(*_: object) -> None:
    raise Hang


class Budget:
    """Yields a source of randomness a case, each of its own seed, so that any case can be repeated alone.

    Attributes:
        seconds: how long; None: `few` cases.
        seed: where the cases come from.
        hangs_after: how long a case may work, s.
        done: how many were tried.
    """

    def __init__(self, name: str, few: int, seconds: float | None, seed: str, hangs_after: float = HANGS_AFTER) -> None:
        self.name, self.few, self.seconds, self.seed, self.done = name, few, seconds, seed, 0
        self.hangs_after = hangs_after

    def __iter__(self) -> Iterator[random.Random]:
        until = time.monotonic() + (self.seconds or 0)
        before = [(one, signal.signal(one, _hang)) for one in (signal.SIGALRM, signal.SIGPROF)]
        try:
            while self.done < self.few or (self.seconds is not None and time.monotonic() < until):
                signal.setitimer(signal.ITIMER_PROF, self.hangs_after)
                signal.setitimer(signal.ITIMER_REAL, 10 * self.hangs_after)
                yield random.Random(f"{self.seed} {self.name} {self.done}")
                self.done += 1
                assert resource.getrusage(resource.RUSAGE_SELF).ru_maxrss < MOST_MEMORY
        finally:
            for timer in (signal.ITIMER_REAL, signal.ITIMER_PROF):
                signal.setitimer(timer, 0)
            for one, handler in before:
                signal.signal(one, handler)
