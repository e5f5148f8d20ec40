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
from ramulus.rules.pursuit import NO_TIME, pursued
from ramulus.simulation.done import (
    NO_END,
    OF_SUCCESSES,
    OF_SUCCESSES_TODAY,
    OF_XP_THIS_WEEK,
    OF_XP_TODAY,
    Done,
    combination,
    next_end,
)
from ramulus.simulation.jitted import part
from ramulus.simulation.world import Ints, Sources, World

# Of one open source; units are those of XP.
#   number, column: which source it is, and its column.
#   first_practice, last_practice: where what it practises stands, and one past it.
#   next_today, next_ever: the most successes of the day, and ever, with which its awards stay as they are.
#   limited, width: whether its uses run out or are counted; how many amounts of XP it can give.
#   success, seconds: the chance, and the time before variation.
#   seconds_lost, seconds_won: of a failure and a success with all that adds to them, where nothing varies.
#   low, product: the least XP, and the product of multipliers.
#   units_lost, units_won: what a failure and a success award, where XP is fixed.
#   met, won, income: encounters, successes and units since it was laid out.
_COUNTS = (
    "number", "column", "first_practice", "last_practice", "limited", "next_today", "next_ever", "width", "met", "won",
    "income",
)  # fmt: skip
OPEN = np.dtype(
    [(name, np.int64) for name in _COUNTS]
    + [(name, np.float64) for name in ("success", "seconds", "seconds_lost", "seconds_won", "low", "product")]
    + [(name, np.int64) for name in ("units_lost", "units_won")]
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
    """Lay out the sources that are open, with weight and uses left, and what they pay; return how many there are.

    Args:
        opened, running: room for each source; `running` comes to hold the running sum of weights.
        sources: what is the same for every profile.
        meets: whose encounters they are.
        levels: the levels held, one item a track.
        used: successes so far, as `Sources.limits`.
    """
    count = lay_out_sources(opened, running, sources, meets, levels, used)
    if meets.pursuit != 0.0:
        _go_after_pay(opened, running, count, meets.pay[levels[0]], meets.pursuit)
    add_up(running, count)
    return count


@part
def add_up(running: Array, count: int) -> None:
    """Add up the weights of the open sources."""
    for i in range(1, count):
        running[i] += running[i - 1]


@part
def lay_out_sources(opened: Opened, running: Array, sources: Sources, meets: Meets, levels: Ints, used: Ints) -> int:
    """Lay out the sources that are open, with their weights in `running`; return how many there are."""
    count, level = 0, levels[0]
    for number in range(len(sources.reads)):
        column = column_of(sources.first_column, sources.reads, number, levels)
        if meets.weight[level, column] > 0.0 and has_uses(used, sources.limits, number):
            source, seconds = opened[count], meets.seconds[level, column]
            source.number, source.column, running[count] = number, column, meets.weight[level, column]
            source.first_practice, source.last_practice = (
                sources.first_practice[number],
                sources.first_practice[number + 1],
            )
            source.width, source.limited = sources.xp.width[number], sources.is_counted[number]
            source.success, source.seconds = meets.success[level, column], seconds
            source.seconds_lost, source.seconds_won = seconds + meets.extra + meets.between, seconds + meets.between
            source.low = sources.xp.low[level, number]
            source.met = source.won = source.income = 0
            count += 1
    return count


@part
def lay_out_awards(opened: Opened, count: int, sources: Sources, world: World, room: Any, state: int) -> None:
    """Lay out what the open sources award while some timed rules are on, for a world at one ability.

    With it goes what may be done until a rule that looks at it stands in another band.
    """
    done = world.done
    if done.combinations > 1:
        for track in range(len(room.levels)):
            for span in (OF_XP_TODAY, OF_XP_THIS_WEEK):
                room.next_earned[span, track] = next_end(done, span, track, room.earned[span, track])
    for i in range(count):
        source, band = opened[i], 0
        source.next_today, source.next_ever = NO_END, NO_END
        if done.combinations > 1:
            number = source.number
            band = combination(done, room.used, room.earned, number, 0)
            source.next_today = next_end(done, OF_SUCCESSES_TODAY, 0, room.used[1, number])
            source.next_ever = next_end(done, OF_SUCCESSES, 0, room.used[0, number])
        lay_out_award(source, world, room.levels[0], state + band)
        lay_out_practice(source, sources, world, room, state)


@part
def lay_out_award(source: Any, world: World, level: int, state: int) -> None:
    """Lay out what one open source awards in a state of the rules."""
    column = source.column
    source.product = world.factor[state, level, column]
    source.units_lost, source.units_won = world.units[state, 0, level, column], world.units[state, 1, level, column]


@part
def lay_out_practice(source: Any, sources: Sources, world: World, room: Any, state: int) -> None:
    """Lay out what one open source awards to the skills that it practises, in a state of timed rules."""
    done, levels = world.done, room.levels
    for one in range(source.first_practice, source.last_practice):
        track, now = sources.practised[one], state
        if done.combinations > 1:
            now += combination(done, room.used, room.earned, source.number, track)
        column = sources.practice_column[one] + levels[track]
        room.practised[0, one] = world.skill_units[now, 0, levels[0], column]
        room.practised[1, one] = world.skill_units[now, 1, levels[0], column]


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
def go_after_parts(
    opened: Opened, weight: Array, count: int, sources: Sources, done: Done, used: Ints, earned: Ints, levels: Ints,
    pays: Array, skill_worth: float, pursuit: float,
) -> None:  # fmt: skip
    """Do the same where what a source pays hangs on what was done, or on several skills; at one ability.

    Args:
        opened, weight, count: the open sources and their weights.
        sources: what is the same for every profile.
        done: the rules that look at what was done.
        used, earned: what was done.
        levels: the levels held, one item a track.
        pays: room for what each pays.
        skill_worth: what one XP of a skill is worth.
        pursuit: the power of what pays in the choice.
    """
    best = 0.0
    for i in range(count):
        source = opened[i]
        now = combination(done, used, earned, source.number, 0)
        worth = done.worth[0, now, levels[0], source.column]
        for one in range(source.first_practice, source.last_practice):
            track = sources.practised[one]
            now = combination(done, used, earned, source.number, track)
            column, won = sources.practice_column[one] + levels[track], source.success
            failed, paid = done.practice[0, now, 0, levels[0], column], done.practice[0, now, 1, levels[0], column]
            worth += skill_worth * (won * paid + (1.0 - won) * failed)
        pays[i] = paid_by_hour(worth, done.spent[0, levels[0], source.column])
        best = max(best, pays[i])
    if best > 0.0:
        for i in range(count):
            weight[i] = pursued(weight[i], pays[i], best, pursuit)


@part
def open_alone(room: Any, sources: Sources, meets: Meets, mine: World) -> int:
    """Lay out what is open for a player alone; return how many sources there are."""
    return open_sources(room.opened, room.running, sources, meets, room.levels, room.used)


@part
def open_by_parts(room: Any, sources: Sources, meets: Meets, mine: World) -> int:
    """Lay out what is open where what it pays may hang on what was done; return how many sources there are."""
    if mine.done.worth.shape[2] == 0:
        return open_alone(room, sources, meets, mine)
    count = lay_out_sources(room.opened, room.running, sources, meets, room.levels, room.used)
    go_after_parts(
        room.opened, room.running, count, sources, mine.done, room.used, room.earned, room.levels, room.pays,
        mine.done.skill_worth, meets.pursuit,
    )  # fmt: skip
    add_up(room.running, count)
    return count


@part
def paid_by_hour(xp: float, seconds: float) -> float:
    """Return XP per hour, as `pay_by_hour` does."""
    earned = max(3600.0 * xp, 0.0)
    if seconds > 0.0:
        return min(earned / seconds, NO_TIME)
    return NO_TIME if earned > 0.0 else 0.0


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
def use_up(used: Ints, limits: Ints, source: Any) -> bool:
    """Count a success at an open source; return whether it has no uses left, or awards otherwise from now on."""
    number = source.number
    use(used, number)
    otherwise = used[1, number] > source.next_today or used[0, number] > source.next_ever
    return bool(otherwise or not has_uses(used, limits, number))


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
