"""The heads of the tables that people read, with units, and how each column is written."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from ramulus.words.writers import Column, factor, hours, number, percent, significant, xp

if TYPE_CHECKING:
    from ramulus.design import Design

LEVELS = {
    "track": Column("track"),
    "level": Column("level", number()),
    "cost": Column("cost\nXP", xp),
    "total": Column("total\nXP", xp),
    "growth": Column("growth", percent()),
}
PACE = {
    "player": Column("player"),
    "level": Column("level", number()),
    "reached": Column("reached", percent(0)),
    "hours_p10": Column("p10\nhours", hours),
    "hours_p50": Column("p50\nhours", hours),
    "hours_p90": Column("p90\nhours", hours),
    "encounters_p50": Column("encounters\np50", number()),
    "days_p50": Column("day\np50", number()),
    "hours_in_level_p50": Column("hours to the\nnext level p50", hours),
    "gate_hours_p50": Column("hours at\nits gate p50", hours),
    "calendar_day_p50": Column("calendar\nday p50", number()),
    "still_playing": Column("still\nplaying", percent()),
}
EFFORT = {
    "player": Column("player"),
    "level": Column("level", number()),
    "source": Column("source"),
    "chance": Column("chance to\nbe next", percent()),
    "seconds": Column("seconds", number(1)),
    "success": Column("success", percent()),
    "award": Column("award\nXP", xp),
    "xp_per_hour": Column("XP per\nhour", number()),
}
GAIN = {
    "player": Column("player"),
    "level": Column("level", number()),
    "source": Column("source"),
    "base": Column("base\nXP", significant),
    "factor": Column("factor", factor),
    "award": Column("award\nXP", xp),
}
PARTY = {
    "encounter": Column("encounter", number()),
    "member": Column("member"),
    "hours_p50": Column("hours\np50", number(2)),
    "level_p50": Column("level\np50", number()),
    "level_p10": Column("level\np10", number()),
    "level_p90": Column("level\np90", number()),
}
COMPARED = {
    "variant": Column("variant"),
    "player": Column("player"),
    "level": Column("level", number()),
    "reached": Column("reached", percent(0)),
    "hours_p50": Column("p50\nhours", hours),
    "difference": Column("difference\nhours", lambda value: "" if math.isnan(value) else f"{value:+.2f}"),
    "difference_low": Column("from", lambda value: "" if math.isnan(value) else f"{value:+.2f}"),
    "difference_high": Column("to", lambda value: "" if math.isnan(value) else f"{value:+.2f}"),
    "hours_p10": Column("p10\nhours", hours),
    "hours_p90": Column("p90\nhours", hours),
}


def gain_heads(design: Design) -> dict[str, Column]:
    """Return the heads of a table of gain: a column a multiplier after the others."""
    return {**GAIN, **{rule.name: Column(rule.name.replace(" ", "\n"), factor) for rule in design.multipliers}}
