"""The kernel of parties: members who share every encounter, by the draws, rules and tables of single players."""

from __future__ import annotations

from functools import cache
from typing import Any

import numpy as np
from numba.extending import register_jitable
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.rules.overflow import Overflow, book_award, book_loss
from ramulus.rules.pay import paid_xp
from ramulus.rules.rounding import round_amount
from ramulus.rules.schedule import MICROS
from ramulus.rules.xp_laws import drawn_xp
from ramulus.rules.xp_units import units_of
from ramulus.simulation.compiled import SOURCES, kernel
from ramulus.simulation.days import day_at, end_of, next_day
from ramulus.simulation.draws import SOURCE, SUCCESS, TIME, XP, bits_of, uniform
from ramulus.simulation.stint import add_up_weights, column_of, go_after, has_uses, may_come_back, pick, rule_of
from ramulus.simulation.times import time_at
from ramulus.simulation.world import Ints

MOST_WAITS = 1_000_000


@cache
def party_kernel() -> Any:
    """Return the kernel: ``play(people, named, hold, splits, even, sources, world, tracks, settings, times, log)``.

    `people` are the members; `named` is the leader's place or -1; `splits` divides the XP drawn among those who still
    play; `even` stops a party whose members have come to one level; `log` is filled in.
    """
    made_of = SOURCES

    @kernel
    def play(  # type: ignore[no-untyped-def]
        people, named, hold, splits, even, sources, world, tracks, settings, times, log
    ):
        fingerprint = made_of  # noqa: F841 — a change in any source makes another kernel, not a stale one.
        # Arrays come out of their tuples once: to hand whole tuples to functions takes the compiler many seconds.
        keys, own, slots, kinds = people.keys, people.own, people.slots, people.kinds
        rule, practises, limits, xp_of = rule_of(tracks, 0), sources.practises, sources.limits, sources.xp
        first_column, reads, factor, alone = sources.first_column, sources.reads, world.factor, world.alone
        borders, states, first_border, scales = world.borders, world.state, world.first_border, tracks.scale
        skill_xp, skill_factor, lost = world.skill_xp, world.skill_factor, world.lost
        by_source = factor.shape[3] == len(reads)
        first_state, leaders, play_days, pursuits = world.first_state, world.leaders, world.play_day, world.pursuit
        success, seconds_of, between = world.success, world.seconds, world.seconds_between
        share, least = settings.xp_share, settings.least_award
        rounding, to = settings.rounding, settings.rounding_to
        level = np.zeros((keys.shape[1], len(tracks.cap)), np.int64)
        xp, used = np.zeros_like(level), np.zeros_like(limits)
        peak, since, plays = np.zeros(len(level), np.int64), np.zeros(len(level)), np.ones(len(level), np.bool_)
        may_quit = np.isfinite(people.quit_at).any() or np.isfinite(world.patience).any()
        limited = limits.sum(axis=0) > 0
        there_is, running, pay = np.zeros_like(practises), np.zeros(len(practises)), np.zeros(len(practises))
        for party in range(len(keys)):
            _join(level, xp, used, tracks.start_units, world.start_level, world.start_units)
            peak[:], since[:], plays[:], playing = level[:, 0], 0.0, True, len(level)
            clock, encounter, last, waits = 0.0, 0, log.level.shape[1] - 1, 0
            led, play_day, day_end = -1, 0, np.inf
            _write(log.level[party, 0], log.xp[party, 0], level, xp)
            while encounter < last and not _all_at(level, plays, rule.cap):
                if may_quit:
                    for member in range(len(level)):
                        fed_up = since[member] + people.patience[party, member] * world.patience[member, peak[member]]
                        quits = min(fed_up, people.quit_at[party, member])
                        if plays[member] and quits <= clock and peak[member] < rule.cap:
                            plays[member] = False
                            playing -= 1
                            log.quit[party, member], log.quit_clock[party, member] = encounter, quits
                            log.impatient[party, member] = fed_up < people.quit_at[party, member]
                if (playing < 2 and len(level) > 1) or playing < 1 or (named >= 0 and not plays[named]):
                    break
                leader = named if named >= 0 else _furthest(level, xp, plays)
                day = play_days[leader]
                if leader != led and day > 0:
                    # Days are the leader's: who takes over goes on with what was used today.
                    play_day = day_at(day, clock)
                    day_end, led = end_of(day, play_day), leader
                kind = kinds[party, leader]
                there = _open(there_is, running, first_column, reads, limits, world.weight[kind], level[leader], used)
                if pursuits[leader] != 0.0:
                    pays = world.pay[kind, playing - 1 if world.pay.shape[1] > 1 else 0]
                    _pays(pay, there_is, there, first_column, reads, pays, level[leader])
                    go_after(running, pay, there, pursuits[leader])
                add_up_weights(running, there)
                if there == 0:
                    waits += 1
                    back = may_come_back(first_column, reads, limits, world.weight[kind], level[leader], used)
                    if not back or waits > MOST_WAITS or day_end > settings.horizon:
                        break
                    clock = day * (play_day + 1) / MICROS
                    play_day = next_day(day, world.days_per_week[leader], play_day, clock, used)
                    day_end = end_of(day, play_day)
                    continue
                key = keys[party, leader]
                source = there_is[pick(running, there, uniform(key, encounter, SOURCE) * running[there - 1])]
                lead, column = level[leader, 0], column_of(first_column, reads, source, level[leader])
                won = uniform(key, encounter, SUCCESS) < success[kind, lead, column]
                seconds = seconds_of[kind, lead, column]
                if len(times) > 0:
                    seconds *= time_at(times, bits_of(key, encounter, TIME))
                seconds += (0.0 if won else settings.extra_seconds) + between[leader]
                clock += seconds * own[party, leader]
                if clock > settings.horizon:
                    break
                if clock >= day_end:
                    play_day = next_day(day, world.days_per_week[leader], play_day, clock, used)
                    day_end = end_of(day, play_day)
                draw = uniform(key, encounter, XP)
                encounter += 1
                parts = playing if splits else 1
                size = playing - 1 if alone.shape[1] > 1 else 0
                beside = size * leaders + min(lead, leaders - 1)
                log.source[party, encounter], log.leader[party, encounter] = source, leader
                # The leader is booked first: who is held is held below where it now stands.
                for turn in range(len(level)):
                    member = leader if turn == 0 else turn - 1 if turn <= leader else turn
                    if not plays[member]:
                        continue
                    slot = slots[party, member]
                    state = _state_at(borders, states, first_border[slot], first_border[slot + 1], clock)
                    state += first_state[kinds[party, member]]
                    now, column = level[member, 0], column_of(first_column, reads, source, level[member])
                    drawn = drawn_xp(
                        xp_of.low[now, source], xp_of.width[source], xp_of.first[source], xp_of.first[source + 1],
                        xp_of.amounts, xp_of.up_to, draw,
                    ) / parts  # fmt: skip
                    at = source if by_source else column
                    amount = paid_xp(drawn, factor[state, beside, now, at], won, share, rounding, to, least)
                    boosted = units_of(amount, rule.scale)
                    amount = paid_xp(drawn, alone[state, size, now, at], won, share, rounding, to, least)
                    plain = units_of(amount, rule.scale)
                    if not won and lost[now] > 0:
                        level[member, 0], xp[member, 0], _ = book_loss(rule, now, xp[member, 0], lost[now])
                    units = boosted
                    if hold and turn > 0 and boosted > plain:
                        top = level[leader, 0], xp[leader, 0]
                        units = _held(rule, level[member, 0], xp[member, 0], plain, boosted, top[0], top[1])
                    level[member, 0], xp[member, 0], _ = book_award(rule, level[member, 0], xp[member, 0], units)
                    if level[member, 0] > peak[member]:
                        peak[member], since[member] = level[member, 0], clock
                    log.award[party, encounter, member], log.cut[party, encounter, member] = units, boosted - units
                    log.boost[party, encounter, member] = boosted - plain
                    skill = practises[source]
                    if skill >= 0:
                        practised = skill_xp[kinds[party, member], now, column] * skill_factor[state, beside, now, at]
                        practised = round_amount(practised * (1.0 if won else share), rounding, to)
                        gained = units_of(practised, scales[skill])
                        booked = book_award(rule_of(tracks, skill), level[member, skill], xp[member, skill], gained)
                        level[member, skill], xp[member, skill] = booked[0], booked[1]
                if won and limited[source]:
                    used[0, source] += 1
                    used[1, source] += 1
                    used[2, source] += 1
                log.clock[party, encounter] = clock
                _write(log.level[party, encounter], log.xp[party, encounter], level, xp)
                if even and _all_at(level, plays, level[leader, 0]):
                    break
            log.played[party] = encounter

    return play


@register_jitable
def _join(level: Ints, xp: Ints, used: Ints, start_units: Ints, own_level: Ints, own_units: Ints) -> None:
    used[:], level[:] = 0, 0
    for member in range(len(level)):
        xp[member] = start_units
        level[member, 0], xp[member, 0] = own_level[member], own_units[member]


@register_jitable
def _write(level_there: NDArray[np.int32], xp_there: Ints, level: Ints, xp: Ints) -> None:
    for member in range(len(level)):
        level_there[member] = level[member, 0]
        xp_there[member] = xp[member, 0]


@register_jitable
def _all_at(level: Ints, plays: NDArray[np.bool_], there: int) -> bool:
    """Return whether all members who still play are at one level."""
    for member in range(len(level)):  # noqa: SIM110 — all() of a generator does not compile.
        if plays[member] and level[member, 0] != there:
            return False
    return True


@register_jitable
def _furthest(level: Ints, xp: Ints, plays: NDArray[np.bool_]) -> int:
    """Return the member furthest on in level, then XP, of those who still play; of equals the first."""
    best = -1
    for member in range(len(level)):
        if not plays[member]:
            continue
        higher = best < 0 or level[member, 0] > level[best, 0]
        if higher or (level[member, 0] == level[best, 0] and xp[member, 0] > xp[best, 0]):
            best = member
    return best


@register_jitable
def _open(
    there_is: Ints, running: Array, first_column: Ints, reads: Ints, limits: Ints, weights: Array, level: Ints,
    used: Ints,
) -> int:  # fmt: skip
    """Lay out the sources that are open for the leader, with their weights; return how many there are."""
    count = 0
    for source in range(len(reads)):
        weight = weights[level[0], column_of(first_column, reads, source, level)]
        if weight > 0.0 and has_uses(used, limits, source):
            there_is[count], running[count] = source, weight
            count += 1
    return count


@register_jitable
def _pays(pay: Array, there_is: Ints, count: int, first_column: Ints, reads: Ints, pays: Array, level: Ints) -> None:
    """Lay out what the open sources pay by the hour, for a leader who chooses by it."""
    for i in range(count):
        pay[i] = pays[level[0], column_of(first_column, reads, there_is[i], level)]


@register_jitable
def _state_at(borders: Array, states: Ints, first: int, last: int, clock: float) -> int:
    """Return which timed rules are on for a member; a border belongs to what begins there."""
    return states[first + np.searchsorted(borders[first:last], clock, side="right") - 1]


@register_jitable
def _held(
    rule: Overflow, level: int, xp: int, plain: int, boosted: int, leader_level: int, leader_xp: int
) -> int:  # fmt: skip
    """Return the largest part of a boosted award, at least the plain one, that lifts nobody past the leader."""
    if not _passes(rule, level, xp, boosted, leader_level, leader_xp):
        return boosted
    if _passes(rule, level, xp, plain, leader_level, leader_xp):
        return plain
    step = rule.scale if boosted % rule.scale == 0 and plain % rule.scale == 0 else 1
    low, high = plain // step, boosted // step
    while high - low > 1:
        middle = (low + high) // 2
        if _passes(rule, level, xp, middle * step, leader_level, leader_xp):
            high = middle
        else:
            low = middle
    return low * step


@register_jitable
def _passes(rule: Overflow, level: int, xp: int, units: int, leader_level: int, leader_xp: int) -> bool:
    reached, held, _ = book_award(rule, level, xp, units)
    return reached > leader_level or (reached == leader_level and held > leader_xp)
