"""The unit of each column that a command's tables have, for other programs: heads on a terminal say it to people."""

from __future__ import annotations

import re
from collections.abc import Iterable

HOURS, SECONDS, DAYS, XP, LEVEL, SHARE, COUNT, TIMES = "h", "s", "day", "XP", "level", "share", "count", "times"
_ENDS = r"(_p\d+)?(_low|_high)?"
# What has one meaning wherever it stands.
_EVERYWHERE = (
    (re.compile(rf"(gate_|drags_)?hours(_in_level)?{_ENDS}|forecast_p50"), HOURS),
    (re.compile(rf"(calendar_)?days?{_ENDS}"), DAYS),
    (re.compile(r"xp_per_hour"), "XP/h"),
    (re.compile(r"(drags_|step_)?level|level_(before|p\d+)|levels_gained|parts_at"), LEVEL),
    (re.compile(rf"(reached|share|still_playing|chance|success){_ENDS}"), SHARE),
    (re.compile(rf"encounters{_ENDS}|successes|players|players_needed|awards|explained"), COUNT),
    (re.compile(rf"(ratio|times|step_times){_ENDS}"), TIMES),
)
_AWARDED = dict.fromkeys(("amount", "kept", "wasted", "xp", "cost", "earned"), XP) | {"progress": SHARE, "step": COUNT}
# What is another thing in each command.
_OF_COMMAND = {
    "levels": {"cost": XP, "total": XP, "growth": SHARE},
    "award": _AWARDED,
    "gain": {"base": XP, "factor": TIMES, "award": XP},
    "effort": {"seconds": SECONDS, "award": XP},
    "simulate": {"xp": XP},
    "party": {"encounter": COUNT},
    "compare": {
        "wasted": SHARE, "before": HOURS, "after": HOURS, "difference": HOURS, "difference_low": HOURS,
        "difference_high": HOURS,
    },
    "replay": {"xp": XP, "low": XP, "high": XP},
    "observed": {"seen": COUNT, "ended": COUNT},
}  # fmt: skip


def units_of(command: str, columns: Iterable[str]) -> dict[str, str]:
    """Return the unit of each of some columns that has one.

    A share goes from 0 to 1, a ratio is in times, days are numbered from 1. What hangs on the row (what a goal
    measures, the value of a number) has none, and neither has text.

    Args:
        command: what the tables are printed by.
        columns: their names, but for those that a design gives: stats, multipliers.
    """
    own, found = _OF_COMMAND.get(command, {}), {}
    for name in columns:
        unit = own.get(name) or next((unit for pattern, unit in _EVERYWHERE if pattern.fullmatch(name)), None)
        if unit is not None:
            found[name] = unit
    return found
