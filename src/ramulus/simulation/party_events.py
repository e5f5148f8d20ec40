"""What happens to a party around its awards: days of its members that pass, rests, gates that open."""

from __future__ import annotations

from typing import Any

from ramulus.rules.overflow import book_award
from ramulus.simulation.away import fill
from ramulus.simulation.days import go_on, turn
from ramulus.simulation.done import done_at
from ramulus.simulation.draining import drain, refill
from ramulus.simulation.gates import book_at_gates, has_what_opens, stands_at
from ramulus.simulation.jitted import part
from ramulus.simulation.opened import Meets, add_up, go_after_parts, lay_out_sources, open_sources
from ramulus.simulation.party_log import People
from ramulus.simulation.party_pools import pools_of, rest_together
from ramulus.simulation.party_room import PartyRoom
from ramulus.simulation.party_world import PartyWorld
from ramulus.simulation.steps import rule_of
from ramulus.simulation.world import Sources, Tracks


@part
def begin_anew(party: int, people: People, world: PartyWorld, room: PartyRoom) -> None:
    """Begin the first day of each member, with nothing done, nothing missing and every gate shut."""
    room.earned[:], room.store[:], room.is_open[:], room.missing[:] = 0, 0, False, 0
    for member in range(len(room.levels)):
        today = room.own_days[member]
        today.schedule = people.slots[party, member]
        today.come, today.shift, today.window, today.last_window = 0, 0.0, 0, 0
        today.length, today.per_week, today.day = world.play_day[member], max(world.days_per_week[member], 1), 0
        if today.length > 0:
            go_on(today, today.length, today.per_week, 0.0, world.borders)


@part
def days_of_members_pass(clock: float, tracks: Tracks, world: PartyWorld, room: PartyRoom) -> None:
    """Pass the borders of each member's play days: its counts begin anew, and its store fills at the level it holds."""
    for member in range(len(room.levels)):
        today = room.own_days[member]
        if today.length == 0 or clock < today.ends:
            continue
        day = today.day
        go_on(today, today.length, today.per_week, clock, world.borders)
        today.day = max(today.day, day + 1)
        room.earned[member, 0, :] = 0
        if today.day // today.per_week != day // today.per_week:
            room.earned[member, 1, :] = 0
        level = room.levels[member, 0]
        if len(world.away.per_day) > 0 and level < tracks.cap[0] and room.plays[member]:
            room.store[member] = fill(world.away, room.store[member], today, day, level, tracks.scale[0])


@part
def time_passes(clock: float, tracks: Tracks, world: PartyWorld, room: PartyRoom) -> None:
    """Pass all borders up to some played seconds, the party's by its leader's days and those of each member."""
    today = room.days[0]
    if clock >= today.turn:
        turn(today, clock, world.borders, room.used)
    days_of_members_pass(clock, tracks, world, room)


@part
def rest_if_due(party: int, clock: float, people: People, tracks: Tracks, world: PartyWorld, room: PartyRoom) -> float:
    """Let the party rest where a member must; return played seconds afterwards."""
    kinds, own = people.kinds[party], people.own[party]
    seconds = rest_together(world.pools, room.missing, room.levels, room.plays, kinds, own, room.stack)
    if seconds != seconds:
        room.fault[0], room.fault[1] = room.levels[0, 0] + 1, room.missing[0].sum()
        seconds = 0.0
    if seconds >= 0.0:
        clock += seconds
        room.missing[:] = 0
        time_passes(clock, tracks, world, room)
    return clock


@part
def drain_members(met: Any, source: Any, people: People, sources: Sources, world: PartyWorld, room: PartyRoom) -> None:
    """Take from the pools of each member what an encounter uses up, by its own numbers."""
    for member in range(len(room.levels)):
        if room.plays[member]:
            its, levels = pools_of(world.pools, people.kinds[met.party, member], met.leader_level), room.levels[member]
            column = sources.first_column[source.number]
            if sources.reads[source.number] >= 0:
                column += levels[sources.reads[source.number]]
            drain(its, room.missing[member], met.won, levels[0], column)


@part
def book_for(
    member: int, track: int, units: int, clock: float, kind: int, tracks: Tracks, world: PartyWorld, room: PartyRoom
) -> None:
    """Book an award of a member, with gates and pools."""
    levels, xps, rule, before = (
        room.levels[member],
        room.xps[member],
        rule_of(tracks, track),
        room.levels[member, track],
    )
    if len(world.gates.level) > 0:
        levels[track], xps[track], _ = book_at_gates(
            rule, world.gates, room.is_open[member], track, before, xps[track], units
        )
    else:
        levels[track], xps[track], _ = book_award(rule, before, xps[track], units)
    room.earned[member, 0, track] += units
    room.earned[member, 1, track] += units
    room.peaks_of[member, track] = max(room.peaks_of[member, track], levels[track])
    if track == 0 and levels[0] > before:
        refill(pools_of(world.pools, kind, 0), room.missing[member])
    if track == 0 and levels[0] > room.peaks[member]:
        room.peaks[member], room.peak_at[member] = levels[0], clock


@part
def open_gates_of_members(
    party: int, clock: float, people: People, tracks: Tracks, world: PartyWorld, room: PartyRoom
) -> None:
    """Open the gates of each member that nothing holds any more; who stands there goes on."""
    gates = world.gates
    for member in range(len(room.levels)):
        again = room.plays[member]
        while again:
            again = False
            for gate in range(len(gates.level)):
                day = gates.day[room.own_days[member].schedule, gate]
                is_due = not room.is_open[member, gate] and day <= room.own_days[member].day
                if is_due and has_what_opens(gates, gate, room.used, room.peaks_of[member]):
                    room.is_open[member, gate] = True
                    track = gates.track[gate]
                    before = room.levels[member, track]
                    if before == gates.level[gate]:
                        book_for(member, track, 0, clock, people.kinds[party, member], tracks, world, room)
                        again |= room.levels[member, track] != before


@part
def leader_waits_for_day(leader: int, tracks: Tracks, world: PartyWorld, room: PartyRoom) -> bool:
    """Return whether the leader stands full before a gate of the main track that waits for nothing but its day."""
    gates, levels = world.gates, room.levels[leader]
    if len(gates.level) == 0:
        return False
    gate = stands_at(rule_of(tracks, 0), gates, room.is_open[leader], 0, levels[0], room.xps[leader, 0])
    return gate >= 0 and has_what_opens(gates, gate, room.used, room.peaks_of[leader])


@part
def open_for_leader(
    leader: int, kind: int, playing: int, sources: Sources, meets: Meets, world: PartyWorld, room: PartyRoom
) -> int:
    """Lay out what is open for the leader; return how many sources there are."""
    levels = room.levels[leader]
    if world.done.worth.shape[2] == 0 or meets.pursuit == 0.0:
        return open_sources(room.opened, room.running, sources, meets, levels, room.used)
    count = lay_out_sources(room.opened, room.running, sources, meets, levels, room.used)
    sizes = len(world.done.worth) // (world.first_kind[-1])
    its = done_at(world.done, kind * sizes + min(playing, sizes) - 1)
    go_after_parts(
        room.opened, room.running, count, sources, its, room.used, room.earned[leader], levels, room.pays,
        world.skill_worth[leader], meets.pursuit,
    )  # fmt: skip
    add_up(room.running, count)
    return count
