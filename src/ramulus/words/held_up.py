"""What held players up beside the levels: gates, rests, coming late, events that came too late; and time away."""

from __future__ import annotations

from math import isfinite
from typing import TYPE_CHECKING

from ramulus.words.writers import duration

if TYPE_CHECKING:
    from ramulus.results.result import SimulationResult

SHORTEST = 1.0  # Minutes at gates or of rests worth a line.


def held_up(result: SimulationResult) -> list[tuple[str, str]]:
    """Return the hours at gates and of rests, and the XP that came of time away."""
    lines, start = [], result.design.track().start_level
    for player, profile in result.played.profiles.items():
        totals, count = profile.totals, profile.players
        at_gate, rested, away = (float(sums.sum()) / count for sums in (totals.at_gate, totals.rested, totals.away))
        if at_gate * 60 >= SHORTEST:
            where = f"most at level {start + int(totals.at_gate.argmax())}"
            lines.append((player, f"{duration(at_gate)} a player at gates, {where}"))
        if rested * 60 >= SHORTEST:
            lines.append((player, f"{duration(rested)} of rests a player"))
        if away > 0:
            share = away / max(float(totals.income.sum()) / count, 1e-9)
            lines.append((player, f"{away:,.0f} XP a player gathered on days away ({share:.0%} of all)"))
    return lines


def came_over_time(result: SimulationResult) -> list[tuple[str, str]]:
    """Return by which calendar day half of those who come over weeks stand at the highest level half of them reach."""
    from ramulus.simulation.samples import quantile

    lines, start = [], result.design.track().start_level
    for player, profile in result.played.profiles.items():
        days = quantile(profile.main.calendar, 0.5, profile.players)
        reached = [row for row, day in enumerate(days.tolist()) if isfinite(day)]
        if (come := result.design.players[player].arrives if result.design.players else None) and reached:
            own = float(quantile(profile.main.days, 0.5, profile.players)[reached[-1]])
            words = f"come until day {come[-1][0]:.0f}; half are at level {start + reached[-1]} by calendar day"
            lines.append((player, f"{words} {float(days[reached[-1]]):.0f}, day {own:.0f} of their own"))
    return lines


def came_too_late(result: SimulationResult) -> list[tuple[str, str]]:
    """Return the rules whose first day came when nearly all of a profile's players stood at the cap."""
    from ramulus.simulation.played import at_cap_from

    lines, main = [], result.design.main_track_name
    rules = [rule for rule in result.design.multipliers if rule.from_day is not None and rule.scales(main)]
    for player, profile in result.played.profiles.items():
        day = at_cap_from(profile)
        lines += [
            (player, f"{rule.name} begins on day {rule.from_day}; by day {day:.0f} nearly all are at the cap")
            for rule in rules
            if day < (rule.from_day or 0) and (rule.players is None or player in rule.players)
        ]
    return lines
