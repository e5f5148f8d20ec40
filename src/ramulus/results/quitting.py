"""Who would have quit, where, when and why; and who is still playing by level and by day."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ramulus.rules.coming import last_whole_day, points_of
from ramulus.rules.schedule import in_micros, schedules_of
from ramulus.simulation.in_level import HOUR
from ramulus.simulation.quits import QUIT_REASONS
from ramulus.simulation.samples import share_interval

if TYPE_CHECKING:
    import pandas as pd

    from ramulus.design import Design
    from ramulus.simulation.played import PlayedProfile


def quits_table(profile: PlayedProfile, levels: NDArray[np.int64]) -> pd.DataFrame:
    """Return who would have quit, a row a level and reason."""
    import pandas as pd

    quits, rows = profile.quits, []
    if quits is not None:
        for reason, name in list(enumerate(QUIT_REASONS))[1:]:
            for level in np.unique(quits.level[quits.reason == reason]).tolist():
                here = quits.of((quits.reason == reason) & (quits.level == level))
                count, days = len(here.reason), np.sort(here.day[~np.isnan(here.day)])
                day = float(days[(len(days) - 1) // 2]) if len(days) else np.nan
                hours = float(np.sort(here.seconds)[(count - 1) // 2]) / HOUR
                share = count / profile.players
                rows.append((profile.profile, int(levels[level]), name, count, share, hours, day))
    kinds = {"player": "str", "level": "int64", "reason": "str", "players": "int64", "share": "float64"}
    kinds |= {"hours_p50": "float64", "days_p50": "float64"}
    return pd.DataFrame(rows, columns=list(kinds)).astype(kinds).sort_values(["level", "reason"], ignore_index=True)


def still_on_days(design: Design, profile: PlayedProfile, hours: float) -> NDArray[np.int64]:
    """Return how many had not quit by the end of each own day from day 1 on, as far as every schedule was played.

    There is no day for a profile that cannot quit or has no schedule.
    """
    schedules, quits = schedules_of(design, design.profile(profile.profile)), profile.quits
    if quits is None or not schedules:
        return np.zeros(0, np.int64)
    numbers, points = np.arange(profile.players, dtype=np.int64), points_of(design.profile(profile.profile).arrives)
    last = last_whole_day(int(in_micros(hours * HOUR)), numbers, schedules, points, own=True)
    gone = np.bincount(quits.day[~np.isnan(quits.day)].astype(np.int64), minlength=last + 1)[: last + 1]
    return np.asarray(profile.players - np.cumsum(gone)[1:], np.int64)


def still_by_day(design: Design, profile: PlayedProfile, hours: float, confidence: float) -> pd.DataFrame:
    """Return the share of `still_on_days`, with its interval, a row a day."""
    import pandas as pd

    still = still_on_days(design, profile, hours)
    columns = ["player", "day", "still_playing", "still_playing_low", "still_playing_high"]
    if not len(still):
        return pd.DataFrame({name: pd.Series(dtype=object if name == "player" else float) for name in columns})
    low, high = share_interval(still, profile.players, confidence)
    days = np.arange(1, len(still) + 1)
    return pd.DataFrame(dict(zip(columns, (profile.profile, days, still / profile.players, low, high), strict=True)))
