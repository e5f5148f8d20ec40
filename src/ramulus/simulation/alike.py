"""How far two stages are the same to the bit, so that no player's play can differ up to there."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ramulus.simulation.world import Stage

_OF_PLAY = ("last_level", "until", "most_encounters", "horizon")  # When play ends, and not what is played.
_BY_LEVEL = {"seconds": 1, "success": 1, "weight": 1, "pay": 1, "factor": 2, "units": 3, "skill_units": 3, "lost": 0}


def alike_up_to(one: Stage, two: Stage) -> int:
    """Return up to which level of the main track, from 0, two stages of one profile play the same; the levels that both
    have where nothing of them differs at all, and 0 where anything differs that has no level.
    """
    levels = min(len(one.sources.xp.low), len(two.sources.xp.low))
    if not (_same_at_any_level(one, two) and _same_tracks(one, two)):
        return 0
    rows = [(one.sources.xp.low, two.sources.xp.low, 0)]
    rows += [(getattr(one.world, name), getattr(two.world, name), axis) for name, axis in _BY_LEVEL.items()]
    rows.append((one.tracks.costs[: one.tracks.cap[0]], two.tracks.costs[: two.tracks.cap[0]], 0))
    found = levels - 1 if one.tracks.cap[0] != two.tracks.cap[0] else levels
    for first, second, axis in rows:
        if first.ndim != second.ndim or len(first) == len(second) == 0:
            return 0 if first.ndim != second.ndim else found
        found = min(found, _first_apart(np.moveaxis(first, axis, 0), np.moveaxis(second, axis, 0), found))
    return found


def _first_apart(one: NDArray[np.float64], two: NDArray[np.float64], levels: int) -> int:
    """Return the first row that differs, at most some."""
    if one.shape[1:] != two.shape[1:]:
        return 0
    shared = min(len(one), len(two), levels)
    if not shared:
        return levels
    different = ~np.isclose(one[:shared], two[:shared], rtol=0, atol=0, equal_nan=True).reshape(shared, -1).all(axis=1)
    return int(different.argmax()) if different.any() else levels


def _same_at_any_level(one: Stage, two: Stage) -> bool:
    """Return whether all that has no level is the same: the profile, what sources draw from, when rules are on."""
    if (one.profile, one.spread, one.shape, one.schedules) != (two.profile, two.spread, two.shape, two.schedules):
        return False
    pairs = [
        (getattr(one.settings, key), getattr(two.settings, key)) for key in one.settings._fields if key not in _OF_PLAY
    ]
    pairs += [(getattr(one.sources, key), getattr(two.sources, key)) for key in one.sources._fields if key != "xp"]
    pairs += [
        (getattr(one.sources.xp, key), getattr(two.sources.xp, key)) for key in ("width", "first", "amounts", "up_to")
    ]
    pairs += [(getattr(one.world, key), getattr(two.world, key)) for key in ("borders", "state", "first_border")]
    return all(np.array_equal(first, second) for first, second in pairs)


def _same_tracks(one: Stage, two: Stage) -> bool:
    """Return whether the overflow rules and the skills' costs are the same; the main track's costs aside."""
    keys = [key for key in one.tracks._fields if key not in ("costs", "first", "cap", "at_cap")]
    same = all(np.array_equal(getattr(one.tracks, key), getattr(two.tracks, key)) for key in keys)
    skills = np.array_equal(one.tracks.costs[one.tracks.cap[0] :], two.tracks.costs[two.tracks.cap[0] :])
    return same and skills and np.array_equal(one.tracks.cap[1:], two.tracks.cap[1:])
