"""Which columns are of what is measured: whole numbers among them are whole by chance, and written as the others."""

from __future__ import annotations

import re

MEASURED = re.compile(
    r"(reached|share|hours|still_playing|chance|success|factor|growth|progress|seconds|xp_per_hour|difference|wasted_share"
    r"|levels_lost|ability|speed|luck|shared|times|low|high|off|change)(_[a-z0-9_]+)?"
)


def is_measured(name: str) -> bool:
    """Return whether a column is of what is measured, and whole by chance alone."""
    return MEASURED.fullmatch(name) is not None
