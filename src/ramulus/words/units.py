"""The unit of each column that a table may have, for other programs: heads on a terminal say it to people."""

from __future__ import annotations

import re
from collections.abc import Iterable

HOURS, SECONDS, DAYS, XP, LEVELS, SHARE = "h", "s", "day", "XP", "level", "share"
_ENDS = r"(_p\d+)?(_before)?(_low|_high|_error)?"
_UNITS = (
    (re.compile(rf"(gate_|forecast_)?hours(_in_level|_regaining|_to_level)?{_ENDS}"), HOURS),
    (re.compile(rf"seconds{_ENDS}"), SECONDS),
    (re.compile(rf"(calendar_)?days?{_ENDS}"), DAYS),
    (re.compile(r"cost|total|amount|kept|wasted|lost|xp|earned|award|base|xp_in_level|total_xp"), XP),
    (re.compile(r"xp_per_hour"), "XP/h"),
    (re.compile(r"level|level_before|levels_gained|levels_lost|level_p\d+|third_level"), LEVELS),
    (re.compile(rf"(reached|share|still_playing|chance|success|progress|growth|wasted_share){_ENDS}"), SHARE),
    (re.compile(rf"encounters{_ENDS}|successes|encounter|players(_needed)?|step"), "count"),
    (re.compile(rf"(ratio|factor|times|difference_times){_ENDS}"), "times"),
)


def units_of(columns: Iterable[str]) -> dict[str, str]:
    """Return the unit of each of some columns that has one.

    A share goes from 0 to 1, a ratio is in times, days are numbered from 1. What hangs on the row (what a goal
    measures, the value of a number) has none, and neither has text.
    """
    found = {}
    for name in columns:
        unit = next((unit for pattern, unit in _UNITS if pattern.fullmatch(name)), None)
        if unit is not None:
            found[name] = unit
    return found
