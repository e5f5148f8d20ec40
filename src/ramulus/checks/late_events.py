"""Checks of events: those whose first day comes when everyone they are for stands at the cap, by playing some."""

from __future__ import annotations

import math
from collections.abc import Iterator
from functools import cache
from typing import TYPE_CHECKING

from ramulus.checks.finding import Finding
from ramulus.errors import RamulusError

if TYPE_CHECKING:
    from ramulus.design import Design

PLAYED, NEARLY_ALL, MOST_ENCOUNTERS = 200, 0.99, 20_000
HOURS = 200.0


def check_late_events(design: Design) -> Iterator[Finding]:
    """Yield rules that begin after nearly all of every profile they are for have reached the cap."""
    if not design.sources:
        return
    last_day = cache(lambda name: _last_day(design, name))
    for index, rule in enumerate(design.multipliers):
        if rule.from_day is None or (rule.tracks is not None and design.main_track_name not in rule.tracks):
            continue
        names = list(rule.players or design.profiles)
        # The first that is still on its way says enough, so that few are played where an event meets somebody.
        if all(last_day(name) < rule.from_day for name in names):
            days = max(last_day(name) for name in names)
            yield Finding(
                "event-too-late", "warning", f"multipliers[{index}].from_day",
                f"{rule.name!r} begins on day {rule.from_day}, and by day {days:g} nearly everyone it is for is at the "
                f"cap ({PLAYED} simulated players of a profile)",
                "begin it earlier, or make the way longer",
            )  # fmt: skip


def _last_day(design: Design, name: str) -> float:
    """Return the calendar day by which nearly all of some players stand at the cap; infinity where they do not."""
    from ramulus.results.simulate import SimulationStopped, simulate
    from ramulus.simulation.samples import quantile

    try:
        played = simulate(design, {name: PLAYED}, HOURS, most_encounters=MOST_ENCOUNTERS).profile(name)
    except SimulationStopped:
        raise  # Who interrupted it wants no findings.
    except RamulusError:
        return math.inf  # What keeps the design from being played is found by other checks.
    day = float(quantile(played.main.calendar, NEARLY_ALL, played.players)[-1])
    return day if math.isfinite(day) else math.inf
