"""The kernel of parties: members who share every encounter, by the draws, rules and tables of single players."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ramulus.simulation.compiled import Kernel
from ramulus.simulation.days import begin, end_of, take_over
from ramulus.simulation.draws import XP, uniform
from ramulus.simulation.jitted import part
from ramulus.simulation.opened import Meets, may_come_back, use
from ramulus.simulation.party_events import (
    begin_anew,
    drain_members,
    leader_waits_for_day,
    open_for_leader,
    open_gates_of_members,
    rest_if_due,
    time_passes,
)
from ramulus.simulation.party_log import PartyLog, People
from ramulus.simulation.party_room import Met, PartyRoom, PartyRules
from ramulus.simulation.party_shares import book_share, lay_out_shares
from ramulus.simulation.party_world import PartyWorld
from ramulus.simulation.settings import Settings
from ramulus.simulation.steps import attempt, rule_of
from ramulus.simulation.world import Ints, Sources, Tracks

MOST_WAITS = 1_000_000


@Kernel
def play_members(people, how, sources, world, tracks, settings, times, room, log):  # type: ignore[no-untyped-def]
    """Play parties: `people` are members, `how` what their party does; `room` is written over, `log` filled in."""
    levels, plays, used, opened, running = room.levels, room.plays, room.used, room.opened, room.running
    rule, today, last = rule_of(tracks, 0), room.days[0], log.level.shape[1] - 1
    for party in range(len(people.keys)):
        _join(party, people, world, tracks, room, log)
        begin(today, 0, 1, world.borders, 0, 0, 0, 0, 0.0)
        clock, encounter, waits, leader = 0.0, 0, 0, -1
        while encounter < last and not _all_at(levels, plays, rule.cap) and room.fault[0] == 0:
            if how.may_quit:
                _leave(party, encounter, clock, rule.cap, people, world, room, log)
            # A rest that is due; gates are looked at.
            clock = rest_if_due(party, clock, people, tracks, world, room)
            open_gates_of_members(party, clock, people, tracks, world, room)
            if _all_at(levels, plays, rule.cap):
                break
            playing, led, leader = _count(plays), leader, _leader(how, levels, room.xps, plays)
            if playing < min(2, len(levels)) or not plays[leader] or clock > settings.horizon:
                break
            if leader != led and world.play_day[leader] > 0:
                # Days are the leader's: who takes over goes on with what was used today.
                take_over(today, world.play_day[leader], world.days_per_week[leader], clock, world.borders, room.used)
            kind = people.kinds[party, leader]
            meets = _meets_leading(leader, kind, playing, world, settings)
            count = open_for_leader(leader, kind, playing, sources, meets, world, room)
            waiting = leader_waits_for_day(leader, tracks, world, room)
            if count == 0 or waiting:
                waits += 1
                back = waiting or may_come_back(sources, meets.weight, levels[leader], used)
                if not back or waits > MOST_WAITS or today.ends > settings.horizon:
                    break
                clock = end_of(today)
                time_passes(clock, tracks, world, room)
                continue
            # A source is drawn, and the attempt succeeds or fails. Time passes; what ends after the horizon does
            # not happen. Counts of days and weeks that are over begin anew.
            key = people.keys[party, leader]
            i, won, seconds = attempt(opened, running, count, meets, key, encounter, len(times) > 0, times)
            source = opened[i]
            clock += seconds * people.own[party, leader]
            if clock > settings.horizon:
                break
            time_passes(clock, tracks, world, room)
            met = Met(party, encounter + 1, leader, levels[leader, 0], playing, clock, won, uniform(key, encounter, XP))
            encounter += 1
            _share(met, source, how, people, sources, world, tracks, settings, room, log)
            if how.until_even and _all_at(levels, plays, levels[leader, 0]):
                break
        log.played[party] = encounter


@part
def _share(
    met: Met, source: Any, how: PartyRules, people: People, sources: Sources, world: PartyWorld, tracks: Tracks,
    settings: Settings, room: PartyRoom, log: PartyLog,
) -> None:  # fmt: skip
    """Let the members share an encounter: the awards of each are by the state as its source was drawn."""
    party, encounter = met.party, met.encounter
    # Pools are drained; a success is counted, and gates are looked at. Then each member's loss and award, the leader's
    # first: who is held is held below where the leader now stands. Then gates again.
    drain_members(met, source, people, sources, world, room)
    lay_out_shares(met, source, how, people, sources, world, tracks, settings, room)
    if met.won and source.limited:
        use(room.used, source.number)
    open_gates_of_members(party, met.clock, people, tracks, world, room)
    log.source[party, encounter], log.leader[party, encounter] = source.number, met.leader
    for place in range(len(room.levels)):
        member = _in_turn(place, met.leader)
        if room.plays[member]:
            book_share(met, source, member, how, people, sources, world, tracks, room, log)
    open_gates_of_members(party, met.clock, people, tracks, world, room)
    log.clock[party, encounter] = met.clock
    _write(log.level[party, encounter], log.xp[party, encounter], room)


@part
def _join(party: int, people: People, world: PartyWorld, tracks: Tracks, room: PartyRoom, log: PartyLog) -> None:
    """Put the members where play starts."""
    room.used[:] = 0
    for member in range(len(room.levels)):
        for track in range(len(tracks.cap)):
            room.levels[member, track], room.xps[member, track] = 0, tracks.start_units[track]
            room.peaks_of[member, track] = 0
        room.levels[member, 0], room.xps[member, 0] = world.start_level[member], world.start_units[member]
        room.peaks[member], room.peak_at[member], room.plays[member] = world.start_level[member], 0.0, True
        room.peaks_of[member, 0] = world.start_level[member]
        room.windows[member] = world.first_border[people.slots[party, member]]
    begin_anew(party, people, world, room)
    _write(log.level[party, 0], log.xp[party, 0], room)


@part
def _meets_leading(leader: int, kind: int, playing: int, world: PartyWorld, settings: Settings) -> Meets:
    """Return what a leader of some kind meets in the company of so many who play."""
    size = min(playing, world.pay.shape[1]) - 1
    return Meets(
        world.seconds[kind], world.success[kind], world.weight[kind], world.pay[kind, size],
        world.pursuit[leader], world.seconds_between[leader], settings.extra_seconds,
    )  # fmt: skip


@part
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
