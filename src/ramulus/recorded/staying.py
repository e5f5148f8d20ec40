"""How many still play on their own days, where the log's end cuts off who would have gone on."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np

from ramulus.recorded.forecast import GONE_AFTER, Span
from ramulus.recorded.seen import Seen
from ramulus.recorded.survival import left_of


def stays_of(seen: Seen, span: Span, points: Sequence[int]) -> dict[int, tuple[float, float, float]]:
    """Return the share still playing at the end of some own days, with 95 % intervals.

    Who has not been seen for the last 14 days of the log is gone from its last day on; all others are cut off 14 days
    before the log's end. Who reached the cap is cut off there.
    """
    until = span.ends - GONE_AFTER
    there = seen.first < until
    if there.sum() < 5 or span.ends - span.begins < 2 * GONE_AFTER:
        return {}
    first, last = span.day_of(seen.first[there]), span.day_of(np.minimum(seen.last[there], until))
    own = (last - first + 1).astype(np.float64)
    at_cap = np.isfinite(seen.arrival[there, -1])
    gone = (seen.last[there] < until) & ~at_cap
    if not gone.any():
        return {}
    left = left_of(own, gone)
    found = {}
    for day in points:
        if day > own.max():
            continue
        at = int(np.searchsorted(left.at, day, side="right")) - 1
        found[day] = (float(left.share[at]), float(left.low[at]), float(left.high[at]))
    return found
