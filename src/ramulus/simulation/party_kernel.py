"""The kernel of parties: members who share every encounter, by the draws, rules and tables of single players."""

from __future__ import annotations

from functools import cache
from typing import Any, NamedTuple

import numpy as np
from numba.extending import register_jitable
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.rules.overflow import Overflow, book_award, book_loss, loss_of_failure
from ramulus.rules.pay import paid_xp
from ramulus.rules.xp_laws import drawn_xp
from ramulus.rules.xp_units import units_of
from ramulus.simulation.compiled import SOURCES, kernel
from ramulus.simulation.draws import SOURCE, SUCCESS, TIME, XP, bits_of, uniform
from ramulus.simulation.stint import pick, rule_of
from ramulus.simulation.times import time_at
from ramulus.simulation.world import Ints


class PartyLog(NamedTuple):
    """What the kernel fills in, encounter by encounter; n parties, E encounters and the start, M members.

    Attributes:
        level: the members' levels, from 0, shape (n, E + 1, M).
        xp: XP units inside them.
        award: XP units awarded, after a cut.
        cut: XP units taken off to hold a member below the leader.
        boost: XP units that rules which read the leader's level added, before a cut.
        clock: played seconds, shape (n, E + 1).
        source, leader: what was met and who led, shape (n, E + 1); -1 at the start.
        played: encounters played, shape (n,).
    """

    level: NDArray[np.int32]
    xp: Ints
    award: Ints
    cut: Ints
    boost: Ints
    clock: Array
    source: NDArray[np.int32]
    leader: NDArray[np.int32]
    played: Ints


@cache
def party_kernel() -> Any:
    """Return the kernel: ``play(keys, own, named, hold, parts, even, sources, world, tracks, settings, times, log)``.

    `keys` and `own` are the members' keys and own factors, shape (n, M) each; `named` is the leader's place or -1;
    `even` stops a party whose members have come to one level; `log` is filled in.
    """
    made_of = SOURCES

    @kernel
    def play(  # type: ignore[no-untyped-def]
        keys, own, slots, named, hold, parts, even, sources, world, tracks, settings, times, log
    ):
        fingerprint = made_of  # noqa: F841 — a change in any source makes another kernel, not a stale one.
        # Arrays come out of their tuples once: to hand whole tuples to functions takes the compiler many seconds.
        rule, practises, limit, xp_of = rule_of(tracks, 0), sources.practises, sources.limit, sources.xp
        first_column, reads, factor, alone = sources.first_column, sources.reads, world.factor, world.alone
        borders, states, first_border, skill_units = world.borders, world.state, world.first_border, world.skill_units
        share, least, loss = settings.xp_share, settings.least_award, settings.loss
        rounding, to = settings.rounding, settings.rounding_to
        level = np.zeros((keys.shape[1], len(tracks.cap)), np.int64)
        xp, used = np.zeros_like(level), np.zeros_like(limit)
        there_is, running = np.zeros_like(limit), np.zeros(len(limit))
        for party in range(len(keys)):
            _join(level, xp, used, world.start_level, tracks.start_units)
            clock, encounter, last = 0.0, 0, log.level.shape[1] - 1
            _write(log.level[party, 0], log.xp[party, 0], level, xp)
            while encounter < last and not _all_at(level, rule.cap):
                leader = named if named >= 0 else _furthest(level, xp)
                there = _open(there_is, running, first_column, reads, limit, world.weight[leader], level[leader], used)
                if there == 0:
                    break
                key = keys[party, leader]
                source = there_is[pick(running, there, uniform(key, encounter, SOURCE) * running[there - 1])]
                lead, column = level[leader, 0], _column(first_column, reads, source, level[leader])
                won = uniform(key, encounter, SUCCESS) < world.success[leader, lead, column]
                seconds = world.seconds[leader, lead, column]
                if len(times) > 0:
                    seconds *= time_at(times, bits_of(key, encounter, TIME))
                seconds += (0.0 if won else settings.extra_seconds) + world.seconds_between[leader]
                clock += seconds * own[party, leader]
                if clock > settings.horizon:
                    break
                draw = uniform(key, encounter, XP)
                encounter += 1
                beside = min(lead, factor.shape[1] - 1)
                log.source[party, encounter], log.leader[party, encounter] = source, leader
                # The leader is booked first: who is held is held below where it now stands.
                for turn in range(len(level)):
                    member = leader if turn == 0 else turn - 1 if turn <= leader else turn
                    slot = slots[party, member]
                    state = _state_at(borders, states, first_border[slot], first_border[slot + 1], clock)
                    now, column = level[member, 0], _column(first_column, reads, source, level[member])
                    drawn = drawn_xp(
                        xp_of.low[now, source], xp_of.width[source], xp_of.first[source], xp_of.first[source + 1],
                        xp_of.amounts, xp_of.up_to, draw,
                    ) / parts  # fmt: skip
                    amount = paid_xp(drawn, factor[state, beside, now, column], won, share, rounding, to, least)
                    boosted = units_of(amount, rule.scale)
                    amount = paid_xp(drawn, alone[state, now, column], won, share, rounding, to, least)
                    plain = units_of(amount, rule.scale)
                    if not won and loss > 0.0:
                        lost = loss_of_failure(rule, now, loss)
                        level[member, 0], xp[member, 0], _ = book_loss(rule, now, xp[member, 0], lost)
                    units = boosted
                    if hold and turn > 0 and boosted > plain:
                        top = level[leader, 0], xp[leader, 0]
                        units = _held(rule, level[member, 0], xp[member, 0], plain, boosted, top[0], top[1])
                    level[member, 0], xp[member, 0], _ = book_award(rule, level[member, 0], xp[member, 0], units)
                    log.award[party, encounter, member], log.cut[party, encounter, member] = units, boosted - units
                    log.boost[party, encounter, member] = boosted - plain
                    skill = practises[source]
                    if skill >= 0:
                        gained = skill_units[state, beside, 1 if won else 0, now, column]
                        booked = book_award(rule_of(tracks, skill), level[member, skill], xp[member, skill], gained)
                        level[member, skill], xp[member, skill] = booked[0], booked[1]
                if won and limit[source] > 0:
                    used[source] += 1
                log.clock[party, encounter] = clock
                _write(log.level[party, encounter], log.xp[party, encounter], level, xp)
                if even and _all_at(level, level[0, 0]):
                    break
            log.played[party] = encounter

    return play


@register_jitable
def _join(level: Ints, xp: Ints, used: Ints, start_level: Ints, start_units: Ints) -> None:
    used[:] = 0
    for member in range(len(level)):
        for track in range(level.shape[1]):
            level[member, track] = start_level[member] if track == 0 else 0
            # XP at the start belongs to the start level.
            xp[member, track] = start_units[track] if level[member, track] == 0 else 0


@register_jitable
def _write(level_there: NDArray[np.int32], xp_there: Ints, level: Ints, xp: Ints) -> None:
    for member in range(len(level)):
        level_there[member] = level[member, 0]
        xp_there[member] = xp[member, 0]


@register_jitable
def _all_at(level: Ints, there: int) -> bool:
    """Return whether all members are at one level."""
    for member in range(len(level)):  # noqa: SIM110 — all() of a generator does not compile.
        if level[member, 0] != there:
            return False
    return True


@register_jitable
def _furthest(level: Ints, xp: Ints) -> int:
    """Return the member furthest on in level, then XP; of equals the first."""
    best = 0
    for member in range(1, len(level)):
        higher = level[member, 0] > level[best, 0]
        if higher or (level[member, 0] == level[best, 0] and xp[member, 0] > xp[best, 0]):
            best = member
    return best


@register_jitable
def _column(first_column: Ints, reads: Ints, source: int, level: Ints) -> int:
    return first_column[source] + (level[reads[source]] if reads[source] >= 0 else 0)


@register_jitable
def _open(
    there_is: Ints,
    running: Array,
    first_column: Ints,
    reads: Ints,
    limit: Ints,
    weights: Array,
    level: Ints,
    used: Ints,
) -> int:
    """Lay out the sources that are open for the leader; return how many there are."""
    count, total = 0, 0.0
    for source in range(len(used)):
        weight = weights[level[0], _column(first_column, reads, source, level)]
        if weight > 0.0 and (limit[source] == 0 or used[source] < limit[source]):
            total += weight
            there_is[count], running[count] = source, total
            count += 1
    return count


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
