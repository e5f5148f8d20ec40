"""A stint: the encounters that a player has while nothing changes but the clock and the XP.

Which sources are open, what they weigh, take and pay holds from one level-up (or used-up source, or skill level) to
the next. So it is laid out in short arrays first, and the loop over encounters reads nothing else.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numba.extending import register_jitable
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.rules.overflow import Overflow
from ramulus.rules.pursuit import pursued
from ramulus.simulation.world import Settings, Sources, Tracks, World

Ints = NDArray[np.int64]


class Stint(NamedTuple):
    """What is met during a stint, one item an open source, in the order of the file.

    Attributes:
        source, column: which source it is, and its column.
        running: the running sum of weights.
        success: the chance.
        seconds: the time of an attempt, before variation.
        span: seconds of a failure (0) and a success (1) with everything that adds to them, where nothing varies.
        low: the least XP.
        factor: the product of multipliers.
        pay: XP by the hour, where players choose by it.
        units: what a failure and a success award, where XP is fixed.
        skill_units: what they award to the skill practised.
        met, won, income: encounters, successes and XP units during the stint.
    """

    source: Ints
    column: Ints
    running: Array
    success: Array
    seconds: Array
    span: Array
    low: Array
    factor: Array
    pay: Array
    units: Ints
    skill_units: Ints
    met: Ints
    won: Ints
    income: Ints


@register_jitable
def new_stint(sources: int) -> Stint:
    """Return room for a stint."""
    numbers, times, units = np.zeros((5, sources), np.int64), np.zeros((6, sources)), np.zeros((4, sources), np.int64)
    return Stint(
        numbers[0], numbers[1], times[0], times[1], times[2], np.zeros((2, sources)), times[3], times[4], times[5],
        units[:2], units[2:], numbers[2], numbers[3], numbers[4],
    )  # fmt: skip


@register_jitable
def open_sources(
    stint: Stint, sources: Sources, world: World, settings: Settings, level: Ints, used: Ints, state: int
) -> int:
    """Lay out the sources that are open with weight and uses left, of a world at one ability; return how many.

    `running` holds their weights, to be changed by what players go after and then added up.
    """
    count, now = 0, level[0]
    for source in range(len(sources.reads)):
        column = column_of(sources.first_column, sources.reads, source, level)
        weight = world.weight[now, column]
        if weight > 0.0 and has_uses(used, sources.limits, source):
            stint.source[count], stint.column[count], stint.running[count] = source, column, weight
            stint.success[count], seconds = world.success[now, column], world.seconds[now, column]
            stint.seconds[count], stint.low[count] = seconds, sources.xp.low[now, source]
            stint.span[0, count] = seconds + settings.extra_seconds + settings.seconds_between
            stint.span[1, count] = seconds + settings.seconds_between
            stint.met[count] = stint.won[count] = stint.income[count] = 0
            count += 1
    lay_out_awards(stint, count, world, now, state)
    return count


@register_jitable
def add_up_weights(running: Array, count: int) -> float:
    """Turn the weights of some sources into their running sum; return all of it."""
    total = 0.0
    for i in range(count):
        total += running[i]
        running[i] = total
    return total


@register_jitable
def pays_at(stint: Stint, count: int, world: World, now: int) -> None:
    """Lay out what the open sources pay by the hour, for players who choose by it."""
    for i in range(count):
        stint.pay[i] = world.pay[now, stint.column[i]]


@register_jitable
def at_ability(world: World, ability: int) -> World:
    """Return the tables of one class of ability, without their first axis."""
    return World(
        world.seconds[ability], world.success[ability], world.weight[ability], world.pay[ability],
        world.factor[ability], world.units[ability], world.skill_units[ability],
        world.lost, world.borders, world.state, world.first_border,
    )  # fmt: skip


@register_jitable
def go_after(weight: Array, pay: Array, count: int, pursuit: float) -> None:
    """Change the weights of some sources to those of players who go after what pays."""
    best = 0.0
    for i in range(count):
        best = max(best, pay[i])
    if best > 0.0:
        for i in range(count):
            weight[i] = pursued(weight[i], pay[i], best, pursuit)


@register_jitable
def has_uses(used: Ints, limits: Ints, source: int) -> bool:
    """Return whether a source has uses left, ever, today and this week."""
    for span in range(3):  # noqa: SIM110 — all() of a generator does not compile.
        if 0 < limits[span, source] <= used[span, source]:
            return False
    return True


@register_jitable
def may_come_back(first_column: Ints, reads: Ints, limits: Ints, weights: Array, level: Ints, used: Ints) -> bool:
    """Return whether a source that is open with weight is used up for today or this week only."""
    for source in range(len(reads)):
        column = column_of(first_column, reads, source, level)
        if weights[level[0], column] > 0.0 and (limits[0, source] == 0 or used[0, source] < limits[0, source]):
            return True
    return False


@register_jitable
def column_of(first_column: Ints, reads: Ints, source: int, level: Ints) -> int:
    """Return the column of a source, by the level of the skill that it depends on."""
    return first_column[source] + (level[reads[source]] if reads[source] >= 0 else 0)


@register_jitable
def lay_out_awards(stint: Stint, count: int, world: World, now: int, state: int) -> None:
    """Lay out what the open sources pay while some timed rules are on."""
    for i in range(count):
        column = stint.column[i]
        stint.factor[i] = world.factor[state, now, column]
        stint.units[0, i] = world.units[state, 0, now, column]
        stint.units[1, i] = world.units[state, 1, now, column]
        stint.skill_units[0, i] = world.skill_units[state, 0, now, column]
        stint.skill_units[1, i] = world.skill_units[state, 1, now, column]


@register_jitable
def pick(running: Array, count: int, target: float) -> int:
    """Return the first of some open sources whose running weight is above the target.

    Counting is faster than searching: nothing has to be guessed by the processor. The last one is left where rounding
    brings the target up to the whole sum.
    """
    found = 0
    for i in range(count - 1):
        found += running[i] <= target
    return found


@register_jitable
def rule_of(tracks: Tracks, track: int) -> Overflow:
    """Return the overflow rule of one track."""
    return Overflow(
        tracks.costs,
        tracks.first[track],
        tracks.cap[track],
        tracks.scale[track],
        tracks.carry[track],
        tracks.carry_limit[track],
        tracks.more[track],
        tracks.most_ups[track],
        tracks.whole[track],
        tracks.at_cap[track],
        tracks.may_drop[track],
    )
