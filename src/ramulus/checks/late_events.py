"""Checks of events: those whose first day comes when everyone they are for stands at the cap, by playing some."""

from __future__ import annotations

import math
from collections.abc import Iterator
from typing import TYPE_CHECKING

from ramulus.checks.finding import Finding
from ramulus.checks.playing import PLAYED, Trials
from ramulus.simulation.played import at_cap_from

if TYPE_CHECKING:
    from ramulus.design import Design


def check_late_events(design: Design) -> Iterator[Finding]:
    """Yield rules that begin after nearly all of every profile they are for have reached the cap."""
    if not design.sources:
        return
    trials = design.derived(Trials)
    for index, rule in enumerate(design.multipliers):
        if rule.from_day is None or not rule.scales(design.main_track_name):
            continue
        last = 0.0
        for name in rule.players or design.profiles:
            played = trials.of(name)
            last = max(last, math.inf if played is None else at_cap_from(played))
            if last >= rule.from_day:
                break  # Somebody is still on its way.
        else:
            yield Finding(
                "event-too-late", "warning", f"multipliers[{index}].from_day",
                f"{rule.name!r} begins on day {rule.from_day}, and by day {last:g} nearly everyone it is for is at the "
                f"cap ({PLAYED} simulated players of a profile)",
                "begin it earlier, or make the way longer",
            )  # fmt: skip
