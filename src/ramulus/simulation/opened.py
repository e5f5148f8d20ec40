"""What is open: the sources that a player can meet now, laid out side by side.

Which sources are open, and what they weigh, take and pay, holds until a level is gained or lost, uses run out or come
back, or timed rules go on or off. So it is laid out first, one record a source, and whoever plays encounters reads
nothing else. Records are handed on as they are, which arrays in tuples cannot be without being counted each time.
"""

from __future__ import annotations

from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.rules.pursuit import pursued
from ramulus.simulation.jitted import part
from ramulus.simulation.world import Ints, Sources, World

# Of one open source; units are those of XP.
#   number, column: which source it is, and its column.
#   skill, limited, width: the track it practises or -1; whether its uses run out; how many amounts of XP it can give.
#   success, seconds: the chance, and the time before variation.
#   seconds_lost, seconds_won: of a failure and a success with all that adds to them, where nothing varies.
#   low, product: the least XP, and the product of multipliers.
#   units_lost, units_won: what a failure and a success award, where XP is fixed.
#   skill_lost, skill_won: what they award to the skill practised.
#   met, won, income: encounters, successes and units since it was laid out.
OPEN = np.dtype(
    [(name, np.int64) for name in ("number", "column", "skill", "limited", "width", "met", "won", "income")]
    + [(name, np.float64) for name in ("success", "seconds", "seconds_lost", "seconds_won", "low", "product")]
    + [(name, np.int64) for name in ("units_lost", "units_won", "skill_lost", "skill_won")]
)
Opened = NDArray[Any]


class Meets(NamedTuple):
    """What somebody meets alone, or at the head of a party; L levels, C columns.

    Attributes:
        seconds, success, weight: per encounter, shape (L, C).
        pay: XP by the hour where sources are chosen by it, shape (L, C); no levels where they are not.
        pursuit: the power of what pays in the choice of a source, or ONLY_BEST.
        between: seconds between encounters.
        extra: seconds that a failure adds.
    """

    seconds: Array
    success: Array
    weight: Array
    pay: Array
    pursuit: float
    between: float
    extra: float


@part
def open_sources(opened: Opened, running: Array, sources: Sources, meets: Meets, levels: Ints, used: Ints) -> int:
    """Lay out the sources that are open, with weight and uses left; return how many there are.

    Args:
        opened, running: room for each source; `running` comes to hold the running sum of weights.
        sources: what is the same for every profile.
        meets: whose encounters they are.
        levels: the levels held, one item a track.
        used: successes so far, as `Sources.limits`.
    """
    count, level = 0, levels[0]
    for number in range(len(sources.reads)):
        column = column_of(sources.first_column, sources.reads, number, levels)
        if meets.weight[level, column] > 0.0 and has_uses(used, sources.limits, number):
            source, seconds = opened[count], meets.seconds[level, column]
            source.number, source.column, running[count] = number, column, meets.weight[level, column]
            source.skill, source.width = sources.practises[number], sources.xp.width[number]
            source.limited = sources.limits[0, number] + sources.limits[1, number] + sources.limits[2, number] > 0
            source.success, source.seconds = meets.success[level, column], seconds
            source.seconds_lost, source.seconds_won = seconds + meets.extra + meets.between, seconds + meets.between
            source.low = sources.xp.low[level, number]
            source.met = source.won = source.income = 0
            count += 1
    if meets.pursuit != 0.0:
        _go_after_pay(opened, running, count, meets.pay[level], meets.pursuit)
    for i in range(1, count):
        running[i] += running[i - 1]
    return count


@part
def lay_out_awards(opened: Opened, count: int, world: World, level: int, state: int) -> None:
    """Lay out what the open sources award while some timed rules are on, for a world at one ability."""
    for i in range(count):
        source, column = opened[i], opened[i].column
        source.product = world.factor[state, level, column]
        source.units_lost, source.units_won = world.units[state, 0, level, column], world.units[state, 1, level, column]
        source.skill_lost = world.skill_units[state, 0, level, column]
        source.skill_won = world.skill_units[state, 1, level, column]


@part
def _go_after_pay(opened: Opened, weight: Array, count: int, pay: Array, pursuit: float) -> None:
    """Change the weights of the open sources to those of players who go after what pays."""
    best = 0.0
    for i in range(count):
        best = max(best, pay[opened[i].column])
    if best > 0.0:
        for i in range(count):
            weight[i] = pursued(weight[i], pay[opened[i].column], best, pursuit)


@part
def pick(running: Array, count: int, target: float) -> int:
    """Return the first of some open sources whose running weight is above the target.

    Counting is faster than searching: nothing has to be guessed by the processor. The last one is left where rounding
    brings the target up to the whole sum.
    """
    found = 0
    for i in range(count - 1):
        found += running[i] <= target
    return found


@part
def column_of(first_column: Ints, reads: Ints, source: int, levels: Ints) -> int:
    """Return the column of a source, by the level of the skill that it depends on."""
    return first_column[source] + (levels[reads[source]] if reads[source] >= 0 else 0)


@part
def has_uses(used: Ints, limits: Ints, source: int) -> bool:
    """Return whether a source has uses left, ever, today and this week."""
    for span in range(3):  # noqa: SIM110 — all() of a generator does not compile.
        if 0 < limits[span, source] <= used[span, source]:
            return False
    return True


@part
def use(used: Ints, source: int) -> None:
    """Count a success, ever, today and this week."""
    for span in range(3):
        used[span, source] += 1


@part
def may_come_back(sources: Sources, weight: Array, levels: Ints, used: Ints) -> bool:
    """Return whether a source that is open with weight is used up for today or this week only."""
    limits = sources.limits
    for number in range(len(sources.reads)):
        column = column_of(sources.first_column, sources.reads, number, levels)
        if weight[levels[0], column] > 0.0 and (limits[0, number] == 0 or used[0, number] < limits[0, number]):
            return True
    return False
