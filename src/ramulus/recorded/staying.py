"""How many still play on their own days, where the log's end cuts off who would have gone on."""

from __future__ import annotations

import math
import warnings
from collections.abc import Sequence

import numpy as np

from ramulus.recorded.forecast import GONE_AFTER, Span
from ramulus.recorded.seen import Seen


def stays_of(seen: Seen, span: Span, points: Sequence[int]) -> dict[int, tuple[float, float, float]]:
    """Return the share still playing at the end of some own days, by Kaplan and Meier, with log-log intervals.

    Who has not been seen for the last 14 days of the log is gone from its last day on; all others are cut off 14 days
    before the log's end. Who reached the cap is cut off there.
    """
    from scipy.stats import CensoredData, ecdf

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
    left = ecdf(CensoredData.right_censored(own, ~gone)).sf
    with warnings.catch_warnings(), np.errstate(all="ignore"):
        warnings.simplefilter("ignore", RuntimeWarning)
        band = left.confidence_interval(0.95, method="log-log")
    found = {}
    for day in points:
        if day > own.max():
            continue
        at = int(np.searchsorted(left.quantiles, day, side="right")) - 1
        if at < 0:
            continue
        ends = (float(part.probabilities[at]) for part in (left, band.low, band.high))
        found[day] = tuple(1.0 if math.isnan(end) else end for end in ends)
    return found  # type: ignore[return-value]
