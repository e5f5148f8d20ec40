"""How a game records the awards of its players: the names of its columns, and how its times are read."""

from __future__ import annotations

import zoneinfo
from typing import Annotated, Literal

from pydantic import AfterValidator, Field

from ramulus.design.base import Model, _mistake

Column = Literal[
    "player", "time", "xp", "source", "success", "level", "xp_in_level", "total_xp", "seconds", "track", "profile",
    "kind", "design", "order",
]  # fmt: skip
LONGEST_PAUSE = 30.0


def _known_zone(name: str) -> str:
    try:
        zoneinfo.ZoneInfo(name)
    except (zoneinfo.ZoneInfoNotFoundError, ValueError, OSError):
        raise _mistake(f"{name!r} is no time zone", "UTC, or a name of the tz database, such as Europe/Paris") from None
    return name


class RecordedPlay(Model):
    """How a log of awards that real players got is read."""

    columns: dict[Column, Annotated[str, Field(min_length=1)]] = {}
    """What the log calls a column, by its own name here: player = "user_id"."""
    longest_pause_minutes: Annotated[float, Field(gt=0)] = LONGEST_PAUSE
    """A longer pause between two awards ends a sitting, and is not played time."""
    level_is: Literal["after", "before"] = "after"
    """Whether level and XP of a row are those after its award, or before it."""
    timezone: Annotated[str, AfterValidator(_known_zone)] = "UTC"
    """The time zone of days; times that name none are UTC."""
