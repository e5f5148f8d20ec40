"""A simulation at a glance: the milestones with the profiles side by side."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING, Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ramulus.results.pace import pace_columns
from ramulus.simulation.in_level import InLevel
from ramulus.words.milestones import LEVEL, milestones
from ramulus.words.writers import Column, number, unit_of

if TYPE_CHECKING:
    from ramulus.results.result import SimulationResult

_SHOWN = ("reached", "hours_p10", "hours_p50", "hours_p90", "days_p50")


class Glance(NamedTuple):
    """The milestones of a simulation.

    Attributes:
        table: its columns by name: the level, then a column a profile.
        heads: how they look.
        dated: whether days are among them.
    """

    table: dict[str, NDArray[Any]]
    heads: dict[str, Column]
    dated: bool


def at_a_glance(result: SimulationResult, track: str | None = None) -> Glance:
    """Return the milestones of the pace on a track, a row a level and a column a profile."""
    what, name = result.design.track(track), track or result.design.main_track_name
    shown = milestones(what.start_level, what.max_level)
    table, heads = {LEVEL: np.array(shown)}, {LEVEL: Column("level", number())}
    any_dated = False
    for player, profile in result.played.profiles.items():
        arrivals = profile.arrivals[name]
        pace = pace_columns(arrivals, profile, InLevel(arrivals, profile, name))
        dated = bool(np.isfinite(pace["days_p50"]).any())
        numbers = zip(*(pace[column][np.array(shown) - what.start_level].tolist() for column in _SHOWN), strict=True)
        table[player] = np.array([_cell(*some) for some in numbers], dtype=object)
        heads[player] = Column(f"{player}\np50 (p10–p90){', day' if dated else ''}")
        any_dated |= dated
    return Glance(table, heads, any_dated)


def _cell(reached: float, p10: float, p50: float, p90: float, day: float) -> str:
    if math.isnan(p50):
        return f"{reached:.0%} get there" if reached else "nobody"
    unit, write = unit_of(p50)
    ends = "–".join("…" if math.isnan(end) else write(end) for end in (p10, p90))
    return f"{write(p50)} {unit} ({ends})" + ("" if math.isnan(day) else f", {day:.0f}")
