"""How far two stages are the same to the bit, so that no player's play can differ up to there."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from ramulus.simulation.gates import Gates
from ramulus.simulation.world import Stage

Floats = NDArray[np.float64]
_OF_PLAY = ("last_level", "until", "most_encounters", "horizon")  # When play ends, and not what is played.
_BY_LEVEL = ("leaps",)
_BY_COLUMN = ("seconds", "success", "weight", "factor", "units")  # Axes (…, level, column).


# What has no level of the rules that look around them.
_OF_RULES = {
    "done": ("kind", "first", "ends", "stride", "skill_worth"),
    "gates": Gates._fields,
    "pools": ("refills", "steps"),
    "away": ("more", "whole", "gaps"),
}


def alike_up_to(one: Stage, two: Stage) -> int:
    """Return up to which level of the main track, from 0, two stages of one profile play the same.

    That is how many levels both have where nothing of them differs at all, and 0 where anything differs that has no
    level.
    """
    if not (_same_at_any_level(one, two) and _same_tracks(one, two)):
        return 0
    levels = min(len(one.sources.xp.low), len(two.sources.xp.low))
    if one.tracks.cap[0] != two.tracks.cap[0]:
        levels -= 1
    for first, second in zip(_by_level(one), _by_level(two), strict=True):
        levels = min(levels, _first_apart(first, second, levels))
    return levels


def _by_level(stage: Stage) -> Iterator[Floats]:
    """Yield all that is read at a level, the level first; what is closed there is read by nobody."""
    world, columns = stage.world, stage.sources.first_column
    met = world.weight > 0
    by_source = np.logical_or.reduceat(met.any(axis=0), columns, axis=1)
    yield np.where(by_source, stage.sources.xp.low, 0.0)
    for name in _BY_COLUMN:
        table = getattr(world, name)
        open_there = met.reshape(len(met), *([1] * (table.ndim - 3)), *met.shape[1:])
        yield np.moveaxis(np.where(open_there, table, 0.0), -2, 0)
    if world.pay.shape[1] == met.shape[1]:
        yield np.moveaxis(np.where(met, world.pay, 0.0), 1, 0)
    done, pools = world.done, world.pools
    for table in (world.skill_units, done.worth, done.practice, done.spent, pools.drain):
        yield np.moveaxis(table.astype(np.float64), -2, 0)
    for table in (pools.size, pools.leaves, world.away.per_day, world.away.most):
        yield np.moveaxis(table.astype(np.float64), -1, 0)
    yield world.lost.astype(np.float64)
    yield stage.settings.leaps.astype(np.float64)
    yield stage.tracks.costs[: stage.tracks.cap[0]].astype(np.float64)


def _first_apart(one: Floats, two: Floats, levels: int) -> int:
    """Return the first row that differs, at most some."""
    if one.shape[1:] != two.shape[1:]:
        return 0
    shared = min(len(one), len(two), levels)
    if not shared or not one.size:
        return levels
    different = ~np.isclose(one[:shared], two[:shared], rtol=0, atol=0, equal_nan=True).reshape(shared, -1).all(axis=1)
    return int(different.argmax()) if different.any() else levels


def _same_at_any_level(one: Stage, two: Stage) -> bool:
    """Return whether all that has no level is the same: the profile, what sources draw from, when rules are on."""
    if (one.profile, one.spread, one.shape, one.schedules) != (two.profile, two.spread, two.shape, two.schedules):
        return False
    pairs = [
        (getattr(one.settings, key), getattr(two.settings, key))
        for key in one.settings._fields
        if key not in (*_OF_PLAY, *_BY_LEVEL)
    ]
    pairs += [(getattr(one.sources, key), getattr(two.sources, key)) for key in one.sources._fields if key != "xp"]
    pairs += [
        (getattr(one.sources.xp, key), getattr(two.sources.xp, key)) for key in ("width", "first", "amounts", "up_to")
    ]
    pairs += [(getattr(one.world, key), getattr(two.world, key)) for key in ("borders", "state", "first_border")]
    for part, keys in _OF_RULES.items():
        pairs += [(getattr(getattr(one.world, part), key), getattr(getattr(two.world, part), key)) for key in keys]
    return one.comes == two.comes and all(np.array_equal(first, second) for first, second in pairs)


def _same_tracks(one: Stage, two: Stage) -> bool:
    """Return whether the overflow rules and the skills' costs are the same; the main track's costs aside."""
    keys = [key for key in one.tracks._fields if key not in ("costs", "first", "cap", "at_cap")]
    same = all(np.array_equal(getattr(one.tracks, key), getattr(two.tracks, key)) for key in keys)
    skills = np.array_equal(one.tracks.costs[one.tracks.cap[0] :], two.tracks.costs[two.tracks.cap[0] :])
    return same and skills and np.array_equal(one.tracks.cap[1:], two.tracks.cap[1:])
