"""A log gone through in parts, players apart, on any executor; what each part comes to is put together."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Executor
from functools import partial
from typing import TYPE_CHECKING, TypeVar

from ramulus.recorded.reading import Reading
from ramulus.simulation.in_flight import as_they_come, width_of

if TYPE_CHECKING:
    from ramulus.recorded.log import Log

Found = TypeVar("Found")


def over_parts(log: Log, work: Callable[[Log], Found | None], executor: Executor | None) -> list[Found]:
    """Return what some work makes of a log: of all of it, or of as many parts as an executor works on at once.

    What was read and left out is noted with the log. The parts hold other players each, and come in no order: whoever
    puts together what they come to does so by the players' keys.

    Args:
        log: the log.
        work: goes through a log; it and what it returns cross process borders. None: there was nobody in it.
        executor: where it runs; None: here.
    """
    if executor is None:
        found = work(log)
        return [] if found is None else [found]
    count = width_of(executor)
    parts = (log.of_part(place, count) for place in range(count))
    done = [one for some in as_they_come(executor, partial(_with_reading, work), parts) for one in some]
    log.note(Reading.joined([reading for _, reading in done]))
    return [found for found, _ in done if found is not None]


def _with_reading(work: Callable[[Log], Found | None], log: Log) -> tuple[Found | None, Reading]:
    return work(log), log.reading
