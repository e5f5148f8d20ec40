"""What an encounter of a party brings each member: worked out as its source is drawn, then booked in turn."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ramulus.rules.overflow import Overflow, book_loss
from ramulus.rules.rounding import round_amount
from ramulus.rules.xp_units import units_of
from ramulus.simulation.away import paid_on_top
from ramulus.simulation.days import window_at
from ramulus.simulation.done import combination
from ramulus.simulation.gates import Gates, book_at_gates
from ramulus.simulation.jitted import part
from ramulus.simulation.opened import column_of
from ramulus.simulation.party_events import book_for
from ramulus.simulation.party_log import PartyLog, People
from ramulus.simulation.party_room import Met, PartyRoom, PartyRules
from ramulus.simulation.party_world import PartyWorld
from ramulus.simulation.settings import Settings
from ramulus.simulation.steps import amount_of, award_of, rule_of
from ramulus.simulation.world import Sources, Tracks


@part
def lay_out_shares(
    met: Met, source: Any, how: PartyRules, people: People, sources: Sources, world: PartyWorld, tracks: Tracks,
    settings: Settings, room: PartyRoom,
) -> None:  # fmt: skip
    """Work out what each member who plays is awarded, by the state as the source was drawn."""
    for member in range(len(room.levels)):
        if room.plays[member]:
            slot = people.slots[met.party, member]
            room.windows[member] = window_at(
                world.borders, room.windows[member], world.first_border[slot + 1], met.clock
            )
            _lay_out_share(met, source, member, how, people.kinds[met.party, member], sources, world, tracks, settings,
                           room)  # fmt: skip


@part
def _lay_out_share(
    met: Met, source: Any, member: int, how: PartyRules, kind: int, sources: Sources, world: PartyWorld,
    tracks: Tracks, settings: Settings, room: PartyRoom,
) -> None:  # fmt: skip
    levels, scale, number = room.levels[member], tracks.scale[0], source.number
    level, column = levels[0], column_of(sources.first_column, sources.reads, number, levels)
    on = world.state[room.windows[member]] + world.first_state[kind]
    state = on + combination(world.done, room.used, room.earned[member], number, 0)
    size = min(met.playing, world.alone.shape[1]) - 1
    sizes = world.factor.shape[1] // world.leaders
    company = (min(met.playing, sizes) - 1) * world.leaders + min(met.leader_level, world.leaders - 1)
    at = number if world.factor.shape[3] == len(sources.reads) else column
    beside = min(met.leader_level, len(world.low) - 1)
    amount = amount_of(sources.xp, number, world.low[beside, level, number], source.width, met.draw)
    amount /= met.playing if how.splits else 1
    like = company if world.alone.shape[1] == world.factor.shape[1] else size
    room.boosted[member] = award_of(amount, world.factor[state, company, level, at], met.won, settings, scale)
    room.plain[member] = award_of(amount, world.alone[state, like, level, at], met.won, settings, scale)
    room.drawn_at[member] = level
    for one in range(source.first_practice, source.last_practice):
        track = sources.practised[one]
        state = on + combination(world.done, room.used, room.earned[member], number, track)
        column = sources.practice_column[one] + levels[track]
        at = one if world.skill_factor.shape[3] == len(sources.practised) else column
        xp = world.skill_xp[min(met.leader_level, len(world.skill_xp) - 1), level, column]
        paid = xp * world.skill_factor[state, company, level, at] * (1.0 if met.won else settings.xp_share)
        paid = round_amount(paid, settings.rounding, settings.rounding_to)
        room.practised[member, one] = units_of(paid, tracks.scale[track])


@part
def book_share(
    met: Met, source: Any, member: int, how: PartyRules, people: People, sources: Sources, world: PartyWorld,
    tracks: Tracks, room: PartyRoom, log: PartyLog,
) -> None:  # fmt: skip
    """Book what an encounter brings a member: a failure's loss, the award of the main track, those of skills."""
    party, encounter, leader, kind = met.party, met.encounter, met.leader, people.kinds[met.party, member]
    rule, levels, xps = rule_of(tracks, 0), room.levels[member], room.xps[member]
    boosted, plain = room.boosted[member], room.plain[member]
    lost = world.lost[room.drawn_at[member]]
    if not met.won and lost > 0:
        levels[0], xps[0], _ = book_loss(rule, levels[0], xps[0], lost)
    units = boosted
    if how.hold and member != leader and boosted > plain:
        units = _held(
            rule, world.gates, room.is_open[member], levels[0], xps[0], plain, boosted, room.levels[leader, 0],
            room.xps[leader, 0],
        )  # fmt: skip
    log.cut[party, encounter, member], log.boost[party, encounter, member] = boosted - units, boosted - plain
    if len(world.away.per_day) > 0:
        more = paid_on_top(world.away, room.store[member], units, rule.scale)
        room.store[member] -= more
        units += more
    log.award[party, encounter, member] = units
    book_for(member, 0, units, met.clock, kind, tracks, world, room)
    for one in range(source.first_practice, source.last_practice):
        book_for(member, sources.practised[one], room.practised[member, one], met.clock, kind, tracks, world, room)


@part
def _held(
    rule: Overflow, gates: Gates, is_open: NDArray[np.bool_], level: int, xp: int, plain: int, boosted: int,
    leader_level: int, leader_xp: int,
) -> int:  # fmt: skip
    """Return the largest part of a boosted award, at least the plain one, that lifts nobody past the leader."""
    if not _passes(rule, gates, is_open, level, xp, boosted, leader_level, leader_xp):
        return boosted
    if _passes(rule, gates, is_open, level, xp, plain, leader_level, leader_xp):
        return plain
    step = rule.scale if boosted % rule.scale == 0 and plain % rule.scale == 0 else 1
    low, high = plain // step, boosted // step
    while high - low > 1:
        middle = (low + high) // 2
        if _passes(rule, gates, is_open, level, xp, middle * step, leader_level, leader_xp):
            high = middle
        else:
            low = middle
    return low * step


@part
def _passes(
    rule: Overflow, gates: Gates, is_open: NDArray[np.bool_], level: int, xp: int, units: int, leader_level: int,
    leader_xp: int,
) -> bool:  # fmt: skip
    reached, held, _ = book_at_gates(rule, gates, is_open, 0, level, xp, units)
    return reached > leader_level or (reached == leader_level and held > leader_xp)
