"""How many still play on their own days, where the log's end cuts off who would have gone on."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from ramulus.recorded.estimates import FEWEST, NOTHING, Ends, share_of
from ramulus.recorded.forecast import GONE_AFTER, Span
from ramulus.recorded.habits import PlayerHabits
from ramulus.recorded.seen import Seen
from ramulus.recorded.survival import left_of


def gone_from(seen: Seen, span: Span) -> tuple[NDArray[np.bool_], NDArray[np.bool_]]:
    """Return who came before the last 14 days of the log, and who of them is gone, and not for having reached the cap.

    Who has not been seen for the last 14 days is gone from its last day on; of others nothing is known from then on.
    Nobody is told to be gone where there are too few, or the log is too short.
    """
    until = span.ends - GONE_AFTER
    there = seen.first < until
    known = there.sum() >= FEWEST and span.ends - span.begins >= 2 * GONE_AFTER
    return there, there & (seen.last < until) & ~np.isfinite(seen.arrival[:, -1]) & known


def chance_to_quit(seen: Seen, habits: PlayerHabits, span: Span) -> Ends:
    """Return the chance to quit at the end of a play day, with its exact 95 % interval; of the same players both.

    It is the share of play days after which somebody was gone: those before the last fortnight, as of later ones nobody
    knows, and without the day on which somebody reached the cap. Not a number where nobody is gone.
    """
    there, gone = gone_from(seen, span)
    if not gone.any():
        return NOTHING
    at_cap = np.isfinite(seen.arrival[:, -1])
    days = np.where(
        gone, habits.days + 1, np.where(at_cap, np.minimum(habits.days, habits.early_days), habits.early_days)
    )
    return share_of(int(gone.sum()), int(days[there].sum()))


def stays_of(seen: Seen, span: Span, points: Sequence[int]) -> dict[int, Ends]:
    """Return the share still playing at the end of some own days, with 95 % intervals.

    Who reached the cap is cut off there, and all who are not gone 14 days before the log's end.
    """
    there, gone = gone_from(seen, span)
    if not gone.any():
        return {}
    until, gone = span.ends - GONE_AFTER, gone[there]
    first, last = span.day_of(seen.first[there]), span.day_of(np.minimum(seen.last[there], until))
    own = (last - first + 1).astype(np.float64)
    left = left_of(own, gone)
    found = {}
    for day in points:
        if day > own.max():
            continue
        found[day] = left.after(day)
    return found
