"""What a whole log tells of its players, gone through in parts where somebody works on several."""

from __future__ import annotations

from concurrent.futures import Executor
from functools import partial
from itertools import chain
from typing import TYPE_CHECKING

from ramulus.recorded.forecast import Span, span_of
from ramulus.recorded.log import Log
from ramulus.recorded.parts import over_parts
from ramulus.recorded.seen import Cells, Seen, seen_in

if TYPE_CHECKING:
    from ramulus.design import Design


def seen_of_log(
    design: Design, log: Log, place: int, cells: dict[int, Cells] | None = None, executor: Executor | None = None
) -> Seen:
    """Return what is kept of all players of a log, on the track at a place; the rest as `seen_in`."""
    return Seen.joined(over_parts(log, partial(_seen_of, design, place, cells), executor))


def span_of_log(log: Log) -> Span:
    """Return what a log spans that was read."""
    return span_of(log.reading.first, log.reading.last, log.longest_pause, log.settings.timezone)


def _seen_of(design: Design, place: int, cells: dict[int, Cells] | None, log: Log) -> Seen | None:
    batches = log.batches()
    first = next(batches, None)
    if first is None:
        return None
    zone = log.settings.timezone
    return seen_in(design, chain([first], batches), place, log.longest_pause, cells, timezone=zone)
