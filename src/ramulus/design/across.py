"""Mistakes that show only when tables of the file are seen together."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

from ramulus.errors import Problem

if TYPE_CHECKING:
    from ramulus.design.model import DesignModel


def problems_across(design: DesignModel) -> Iterator[tuple[Problem, str]]:
    """Yield what no table is at fault for alone, with the name that it hangs on."""
    without = [name for name, player in design.profiles.items() if not player.has_schedule]
    for name, source in design.sources.items():
        for key in ("limit_per_day", "limit_per_week"):
            if getattr(source, key) is not None and without:
                whom = f"for: {', '.join(without)}" if design.players else "as there are no players"
                found = f"it counts days, and there is no schedule {whom}"
                allowed = "hours_per_day for every player profile"
                yield Problem(f"sources.{name}.{key}", found, allowed, code="incomplete-pair"), "players"
