"""The kernel of parties: members who share every encounter, by the draws, rules and tables of single players."""

from __future__ import annotations

from functools import cache
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ramulus.rules.overflow import Overflow, book_award, book_loss
from ramulus.rules.rounding import round_amount
from ramulus.rules.xp_units import units_of
from ramulus.simulation.compiled import SOURCES, kernel
from ramulus.simulation.days import begin, go_on, pass_the_day, turn, window_at
from ramulus.simulation.draws import XP, uniform
from ramulus.simulation.jitted import inlined, part
from ramulus.simulation.opened import Meets, column_of, may_come_back, open_sources, use
from ramulus.simulation.party_log import PartyLog, People
from ramulus.simulation.party_room import Met, PartyRoom, PartyRules
from ramulus.simulation.party_world import PartyWorld
from ramulus.simulation.steps import amount_of, attempt, award_of, practise, rule_of
from ramulus.simulation.world import Ints, Settings, Sources, Tracks

MOST_WAITS = 1_000_000


@cache
def party_kernel() -> Any:
    """Return the kernel: ``play(people, how, sources, world, tracks, settings, times, room, log)``.

    `people` are the members and `how` what their party does; `room` is written over, and `log` filled in.
    """
    made_of = SOURCES

    @kernel
    def play(people, how, sources, world, tracks, settings, times, room, log):  # type: ignore[no-untyped-def]
        fingerprint = made_of  # noqa: F841 — a change in any source makes another kernel, not a stale one.
        levels, plays, used, opened, running = room.levels, room.plays, room.used, room.opened, room.running
        rule, today, last = rule_of(tracks, 0), room.days[0], log.level.shape[1] - 1
        for party in range(len(people.keys)):
            _join(party, people, world, tracks, room, log)
            begin(today, 0, 0, world.borders, 0, 0)
            clock, encounter, waits, leader = 0.0, 0, 0, -1
            while encounter < last and not _all_at(levels, plays, rule.cap):
                if how.may_quit:
                    _leave(party, encounter, clock, rule.cap, people, world, room, log)
                playing, led, leader = _count(plays), leader, _leader(how, levels, room.xps, plays)
                if playing < min(2, len(levels)) or not plays[leader]:
                    break
                if leader != led and world.play_day[leader] > 0:
                    # Days are the leader's: who takes over goes on with what was used today.
                    go_on(today, world.play_day[leader], world.days_per_week[leader], clock, world.borders)
                meets = _meets_leading(leader, people.kinds[party, leader], playing, world, settings)
                count = open_sources(opened, running, sources, meets, levels[leader], used)
                if count == 0:
                    waits += 1
                    back = may_come_back(sources, meets.weight, levels[leader], used)
                    if not back or waits > MOST_WAITS or today.ends > settings.horizon:
                        break
                    clock = pass_the_day(today, world.borders, used)
                    continue
                # A source is drawn, and the attempt succeeds or fails. Time passes; what ends after the horizon does
                # not happen. Counts of days and weeks that are over begin anew.
                key = people.keys[party, leader]
                i, won, seconds = attempt(opened, running, count, meets, key, encounter, len(times) > 0, times)
                source = opened[i]
                clock += seconds * people.own[party, leader]
                if clock > settings.horizon:
                    break
                if clock >= today.turn:
                    turn(today, clock, world.borders, used)
                # A success is counted; then each member's loss and award, the leader's first: who is held is held
                # below where the leader now stands.
                met = Met(
                    party, encounter + 1, leader, levels[leader, 0], playing, clock, won, uniform(key, encounter, XP)
                )
                encounter += 1
                if won and source.limited:
                    use(used, source.number)
                log.source[party, encounter], log.leader[party, encounter] = source.number, leader
                for place in range(len(levels)):
                    member = _in_turn(place, leader)
                    if plays[member]:
                        _award(met, source, member, how, people, sources, world, tracks, settings, room, log)
                log.clock[party, encounter] = clock
                _write(log.level[party, encounter], log.xp[party, encounter], room)
                if how.until_even and _all_at(levels, plays, levels[leader, 0]):
                    break
            log.played[party] = encounter

    return play


@inlined
def _join(party: int, people: People, world: PartyWorld, tracks: Tracks, room: PartyRoom, log: PartyLog) -> None:
    """Put the members where play starts."""
    room.used[:] = 0
    for member in range(len(room.levels)):
        for track in range(len(tracks.cap)):
            room.levels[member, track], room.xps[member, track] = 0, tracks.start_units[track]
        room.levels[member, 0], room.xps[member, 0] = world.start_level[member], world.start_units[member]
        room.peaks[member], room.peak_at[member], room.plays[member] = world.start_level[member], 0.0, True
        room.windows[member] = world.first_border[people.slots[party, member]]
    _write(log.level[party, 0], log.xp[party, 0], room)


@inlined
def _meets_leading(leader: int, kind: int, playing: int, world: PartyWorld, settings: Settings) -> Meets:
    """Return what a leader of some kind meets in the company of so many who play."""
    size = min(playing, world.pay.shape[1]) - 1
    return Meets(
        world.seconds[kind], world.success[kind], world.weight[kind], world.pay[kind, size],
        world.pursuit[leader], world.seconds_between[leader], settings.extra_seconds,
    )  # fmt: skip


@inlined
def _leave(
    party: int, encounter: int, clock: float, cap: int, people: People, world: PartyWorld, room: PartyRoom,
    log: PartyLog,
) -> None:  # fmt: skip
    """Let members leave whose time or patience is over; whoever has reached the cap does not quit."""
    for member in range(len(room.levels)):
        peak = room.peaks[member]
        fed_up = room.peak_at[member] + people.patience[party, member] * world.patience[member, peak]
        quits = min(fed_up, people.quit_at[party, member])
        if room.plays[member] and quits <= clock and peak < cap:
            room.plays[member] = False
            log.quit[party, member], log.quit_clock[party, member] = encounter, quits
            log.impatient[party, member] = fed_up < people.quit_at[party, member]


@inlined
def _award(
    met: Met, source: Any, member: int, how: PartyRules, people: People, sources: Sources, world: PartyWorld,
    tracks: Tracks, settings: Settings, room: PartyRoom, log: PartyLog,
) -> None:  # fmt: skip
    """Book what an encounter brings a member: a failure's loss, the award of the main track, that of the skill."""
    party, encounter, leader, won = met.party, met.encounter, met.leader, met.won
    rule, levels, xps, kind = rule_of(tracks, 0), room.levels[member], room.xps[member], people.kinds[party, member]
    level, column = levels[0], column_of(sources.first_column, sources.reads, source.number, levels)
    last_window = world.first_border[people.slots[party, member] + 1]
    room.windows[member] = window_at(world.borders, room.windows[member], last_window, met.clock)
    state = world.state[room.windows[member]] + world.first_state[kind]
    size = min(met.playing, world.alone.shape[1]) - 1
    company = size * world.leaders + min(met.leader_level, world.leaders - 1)
    at = source.number if world.factor.shape[3] == len(sources.reads) else column
    amount = amount_of(sources.xp, source.number, sources.xp.low[level, source.number], source.width, met.draw)
    amount /= met.playing if how.splits else 1
    boosted = award_of(amount, world.factor[state, company, level, at], won, settings, rule.scale)
    plain = award_of(amount, world.alone[state, size, level, at], won, settings, rule.scale)
    if not won and world.lost[level] > 0:
        levels[0], xps[0], _ = book_loss(rule, level, xps[0], world.lost[level])
    units = boosted
    if how.hold and member != leader and boosted > plain:
        units = _held(rule, levels[0], xps[0], plain, boosted, room.levels[leader, 0], room.xps[leader, 0])
    levels[0], xps[0], _ = book_award(rule, levels[0], xps[0], units)
    if levels[0] > room.peaks[member]:
        room.peaks[member], room.peak_at[member] = levels[0], met.clock
    log.award[party, encounter, member], log.cut[party, encounter, member] = units, boosted - units
    log.boost[party, encounter, member] = boosted - plain
    if source.skill >= 0:
        practised = world.skill_xp[kind, level, column] * world.skill_factor[state, company, level, at]
        practised = round_amount(
            practised * (1.0 if won else settings.xp_share), settings.rounding, settings.rounding_to
        )
        practise(tracks, source.skill, levels, xps, units_of(practised, tracks.scale[source.skill]))


@part
def _in_turn(place: int, leader: int) -> int:
    """Return who is booked when: the leader first, then the others in file order."""
    if place == 0:
        return leader
    return place - 1 if place <= leader else place


@part
def _write(level_there: NDArray[np.int32], xp_there: Ints, room: PartyRoom) -> None:
    for member in range(len(room.levels)):
        level_there[member], xp_there[member] = room.levels[member, 0], room.xps[member, 0]


@part
def _count(plays: NDArray[np.bool_]) -> int:
    count = 0
    for one in plays:
        count += one
    return count


@part
def _all_at(levels: Ints, plays: NDArray[np.bool_], level: int) -> bool:
    """Return whether all members who still play are at one level."""
    for member in range(len(levels)):  # noqa: SIM110 — all() of a generator does not compile.
        if plays[member] and levels[member, 0] != level:
            return False
    return True


@part
def _leader(how: PartyRules, levels: Ints, xps: Ints, plays: NDArray[np.bool_]) -> int:
    """Return who leads: the named one, else who is furthest on in level, then XP, of those who still play.

    Of equals it is the first; where nobody plays any more, the first of all.
    """
    if how.leader >= 0:
        return how.leader
    best = 0
    for member in range(1, len(levels)):
        higher = levels[member, 0] > levels[best, 0]
        further = higher or (levels[member, 0] == levels[best, 0] and xps[member, 0] > xps[best, 0])
        if plays[member] and (further or not plays[best]):
            best = member
    return best


@part
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


@part
def _passes(rule: Overflow, level: int, xp: int, units: int, leader_level: int, leader_xp: int) -> bool:
    reached, held, _ = book_award(rule, level, xp, units)
    return reached > leader_level or (reached == leader_level and held > leader_xp)
