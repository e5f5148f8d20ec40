"""The tables of pace: when players reach levels and how long they stay, with intervals."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from ramulus.simulation.in_level import HOUR, InLevel
from ramulus.simulation.samples import quantile, quantile_interval, share_interval

if TYPE_CHECKING:
    from collections.abc import Callable

    from ramulus.formula.functions import Array
    from ramulus.simulation.played import Arrivals, Group

QUANTILES = (10, 50, 90)


def whole_days(days: Array, rounded: Callable[[Array], Array]) -> Array:
    """Return calendar days as whole ones: a bin of a large run lies about a day, and is not one."""
    return rounded(np.where(np.abs(days - np.rint(days)) < 1e-9, np.rint(days), days))


def pace_columns(arrivals: Arrivals, profile: Group, stays: InLevel) -> dict[str, Array]:
    """Return the columns of `SimulationResult.pace` over the levels of one track, intervals and quitting aside."""
    seconds = {q: quantile(arrivals.seconds, q / 100, profile.players) for q in QUANTILES}
    return {
        "reached": arrivals.seconds.reached() / profile.players,
        **{f"hours_p{q}": value / HOUR for q, value in seconds.items()},
        "encounters_p50": quantile(arrivals.encounters, 0.5, profile.players),
        "days_p50": whole_days(quantile(arrivals.days, 0.5, profile.players), np.rint),
        "hours_in_level_p50": stays.hours(50),
        **({} if arrivals.at_gate is None else {"gate_hours_p50": stays.hours_at_gate(50)}),
    }


def pace_intervals(arrivals: Arrivals, profile: Group, stays: InLevel, confidence: float) -> dict[str, Array]:
    """Return an interval for each column of `pace_columns`, its ends named `_low` and `_high`."""
    players = profile.players
    seconds = {q: quantile_interval(arrivals.seconds, q / 100, players, confidence) for q in QUANTILES}
    days = quantile_interval(arrivals.days, 0.5, players, confidence)
    found = {
        "reached": share_interval(arrivals.seconds.reached(), players, confidence),
        **{f"hours_p{q}": (low / HOUR, high / HOUR) for q, (low, high) in seconds.items()},
        "encounters_p50": quantile_interval(arrivals.encounters, 0.5, players, confidence),
        "days_p50": (whole_days(days[0], np.floor), whole_days(days[1], np.ceil)),
        "hours_in_level_p50": stays.interval(50, confidence),
    }
    ends = ("low", "high")
    return {f"{name}_{end}": ends_of[i] for name, ends_of in found.items() for i, end in enumerate(ends)}
