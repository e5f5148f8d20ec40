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
from ramulus.simulation.party_world import PartyWorld
from ramulus.simulation.stint import pick, rule_of
from ramulus.simulation.times import time_at
from ramulus.simulation.world import Ints, Settings, Sources, Tracks


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
        keys, own, named, hold, parts, even, sources, world, tracks, settings, times, log
    ):
        fingerprint = made_of  # noqa: F841 — a change in any source makes another kernel, not a stale one.
        parties, members = keys.shape
        rule = rule_of(tracks, 0)
        level, xp = np.zeros((members, len(tracks.cap)), np.int64), np.zeros((members, len(tracks.cap)), np.int64)
        used, running = np.zeros(len(sources.limit), np.int64), np.zeros(len(sources.limit))
        there_is = np.zeros(len(sources.limit), np.int64)
        for party in range(parties):
            _join(level, xp, used, world, tracks)
            clock, encounter, last = 0.0, 0, log.level.shape[1] - 1
            _write(log, party, 0, clock, level, xp)
            while encounter < last and level[:, 0].min() < rule.cap:
                leader = named if named >= 0 else _furthest(level, xp)
                there = _open(there_is, running, sources, world, leader, level[leader], used)
                if there == 0:
                    break
                key = keys[party, leader]
                source = there_is[pick(running, there, uniform(key, encounter, SOURCE) * running[there - 1])]
                cell = level[leader, 0], _column(sources, source, level[leader])
                won = uniform(key, encounter, SUCCESS) < world.success[leader, cell[0], cell[1]]
                seconds = world.seconds[leader, cell[0], cell[1]]
                if len(times):
                    seconds *= time_at(times, bits_of(key, encounter, TIME))
                seconds += (0.0 if won else settings.extra_seconds) + world.seconds_between[leader]
                clock += seconds * own[party, leader]
                if clock > settings.horizon:
                    break
                draw = uniform(key, encounter, XP)
                encounter += 1
                beside = min(level[leader, 0], world.factor.shape[1] - 1)
                log.source[party, encounter], log.leader[party, encounter] = source, leader
                for turn in range(
                    members
                ):  # The leader is booked first: who is held is held below where it now stands.
                    member = leader if turn == 0 else turn - 1 if turn <= leader else turn
                    lead = level[leader, 0], xp[leader, 0]
                    state = _state_at(world, member, clock)
                    now, column = level[member, 0], _column(sources, source, level[member])
                    drawn = _drawn(sources, source, now, draw) / parts
                    boosted = _units(drawn, world.factor[state, beside, now, column], won, settings, rule.scale)
                    plain = _units(drawn, world.alone[state, now, column], won, settings, rule.scale)
                    if not won and settings.loss > 0.0:
                        lost = loss_of_failure(rule, now, settings.loss)
                        level[member, 0], xp[member, 0], _ = book_loss(rule, now, xp[member, 0], lost)
                    units = boosted
                    if hold and turn > 0 and boosted > plain:
                        units = _held(rule, level[member, 0], xp[member, 0], plain, boosted, lead[0], lead[1])
                    level[member, 0], xp[member, 0], _ = book_award(rule, level[member, 0], xp[member, 0], units)
                    log.award[party, encounter, member], log.cut[party, encounter, member] = units, boosted - units
                    log.boost[party, encounter, member] = boosted - plain
                    skill = sources.practises[source]
                    if skill >= 0:
                        gained = world.skill_units[state, beside, 1 if won else 0, now, column]
                        booked = book_award(rule_of(tracks, skill), level[member, skill], xp[member, skill], gained)
                        level[member, skill], xp[member, skill] = booked[0], booked[1]
                if won and sources.limit[source] > 0:
                    used[source] += 1
                _write(log, party, encounter, clock, level, xp)
                if even and level[:, 0].min() == level[:, 0].max():
                    break
            log.played[party] = encounter

    return play


@register_jitable
def _join(level: Ints, xp: Ints, used: Ints, world: PartyWorld, tracks: Tracks) -> None:
    used[:] = 0
    level[:] = 0
    xp[:] = tracks.start_units
    for member in range(len(level)):
        level[member, 0] = world.start_level[member]
        if world.start_level[member] > 0:
            xp[member, 0] = 0


@register_jitable
def _write(log: PartyLog, party: int, encounter: int, clock: float, level: Ints, xp: Ints) -> None:
    log.clock[party, encounter] = clock
    for member in range(len(level)):
        log.level[party, encounter, member] = level[member, 0]
        log.xp[party, encounter, member] = xp[member, 0]


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
def _column(sources: Sources, source: int, level: Ints) -> int:
    skill = sources.reads[source]
    return sources.first_column[source] + (level[skill] if skill >= 0 else 0)


@register_jitable
def _open(
    there_is: Ints, running: Array, sources: Sources, world: PartyWorld, leader: int, level: Ints, used: Ints
) -> int:
    """Lay out the sources that are open for the leader; return how many there are."""
    count, total = 0, 0.0
    for source in range(len(used)):
        weight = world.weight[leader, level[0], _column(sources, source, level)]
        if weight > 0.0 and (sources.limit[source] == 0 or used[source] < sources.limit[source]):
            total += weight
            there_is[count], running[count] = source, total
            count += 1
    return count


@register_jitable
def _state_at(world: PartyWorld, member: int, clock: float) -> int:
    """Return which timed rules are on for a member; a border belongs to what begins there."""
    low, high = world.first_border[member], world.first_border[member + 1]
    return world.state[low + np.searchsorted(world.borders[low:high], clock, side="right") - 1]


@register_jitable
def _drawn(sources: Sources, source: int, level: int, draw: float) -> float:
    xp = sources.xp
    return drawn_xp(
        xp.low[level, source], xp.width[source], xp.first[source], xp.first[source + 1], xp.amounts, xp.up_to, draw
    )


@register_jitable
def _units(drawn: float, factor: float, won: bool, settings: Settings, scale: int) -> int:
    amount = paid_xp(drawn, factor, won, settings.xp_share, settings.rounding, settings.least_award)
    return units_of(amount, scale)


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
