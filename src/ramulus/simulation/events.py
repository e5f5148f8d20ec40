"""What happens around the awards of an encounter: days that pass, gates that open, rests, bands that change."""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.rules.schedule import MICROS
from ramulus.simulation.arrivals import note_arrivals
from ramulus.simulation.away import fill
from ramulus.simulation.days import turn
from ramulus.simulation.draining import must_rest, refill, rest
from ramulus.simulation.gates import book_at_gates, has_what_opens, note_standing, stands_at
from ramulus.simulation.jitted import part
from ramulus.simulation.room import Room
from ramulus.simulation.settings import Settings
from ramulus.simulation.steps import rule_of
from ramulus.simulation.tally import CAP, HORIZON, Tally
from ramulus.simulation.world import Tracks, World


@part
def days_pass(today: Any, clock: float, mine: World, room: Room, cap: int, scale: int) -> bool:
    """Pass all borders up to some played seconds; return whether the play day is another one.

    What was done on days and weeks that are over is done with, and the store of time away fills at each border between
    play days, at the level then held.
    """
    day = today.day
    over = turn(today, clock, mine.borders, room.used)
    if over:
        room.earned[0, :] = 0
        if today.day // today.per_week != day // today.per_week:
            room.earned[1, :] = 0
        if len(mine.away.per_day) > 0 and room.levels[0] < cap:
            room.store[0] = fill(mine.away, room.store[0], today, day, room.levels[0], scale)
    return bool(over)


@part
def note_gate(tracks: Tracks, mine: World, room: Room, tally: Tally, held: Array, track: int, clock: float) -> None:
    """Note whether the player stands before a gate of a track now, and for how long it stood there."""
    rule, level = rule_of(tracks, track), room.levels[track]
    gate = stands_at(rule, mine.gates, room.is_open, track, level, room.xps[track])
    _note(mine, room, tally, held, track, mine.gates.level[gate] if gate >= 0 else -1, clock)


@part
def _note(
    mine: World, room: Room, tally: Tally, held: Array, track: int, gate_level: int, clock: float
) -> None:  # fmt: skip
    at = room.held_at[track]
    first = room.first_level[track]
    stood = note_standing(held[first:], room.since, room.held_at, track, gate_level, room.peaks[track] == at, clock)
    if track == 0 and stood > 0.0:
        tally.at_gate[at] += int(stood * MICROS)


@part
def open_gates(
    tracks: Tracks, mine: World, room: Room, tally: Tally, arrival: Array, counted: NDArray[np.int32], held: Array,
    clock: float, encounter: int,
) -> bool:  # fmt: skip
    """Open the gates that nothing holds any more; who stands there goes on. Return whether a level is another one."""
    gates, today, moved, again = mine.gates, room.days[0], False, len(mine.gates.level) > 0
    while again:
        again = False
        for gate in range(len(gates.level)):
            is_due = not room.is_open[gate] and gates.day[today.schedule, gate] <= today.day
            if is_due and has_what_opens(gates, gate, room.used, room.peaks):
                room.is_open[gate] = True
                track = gates.track[gate]
                level = room.levels[track]
                if level == gates.level[gate]:
                    _note(mine, room, tally, held, track, -1, clock)
                    moved |= book(tracks, mine, room, tally, arrival, counted, held, track, 0, clock, encounter)
                    again |= room.levels[track] != level
    return moved


@part
def book(
    tracks: Tracks, mine: World, room: Room, tally: Tally, arrival: Array, counted: NDArray[np.int32], held: Array,
    track: int, units: int, clock: float, encounter: int,
) -> bool:  # fmt: skip
    """Book an award on a track with gates and pools; return whether its level is another one."""
    before, first = room.levels[track], room.first_level[track]
    room.levels[track], room.xps[track], thrown = book_at_gates(
        rule_of(tracks, track), mine.gates, room.is_open, track, before, room.xps[track], units
    )
    if track == 0:
        room.thrown[0] += thrown
        if room.levels[0] > before:
            refill(mine.pools, room.missing)
    note_gate(tracks, mine, room, tally, held, track, clock)
    note_arrivals(arrival[first:], counted[first:], clock, encounter, room.levels[track], room.peaks, track)
    return bool(room.levels[track] != before)


@part
def before_encounter(
    own: float, clock: float, encounter: int, settings: Settings, tracks: Tracks, mine: World, room: Room, tally: Tally,
    arrival: Array, counted: NDArray[np.int32], held: Array,
) -> tuple[int, float, bool]:  # fmt: skip
    """Let a player rest that must, and open gates; return why play ends, played seconds, and whether a level moved."""
    reason, moved = CAP, False
    if must_rest(mine.pools, room.missing, room.levels[0]):
        reason, clock, _ = take_rest(own, clock, settings, tracks, mine, room, tally)
    if reason == CAP:
        moved = open_gates(tracks, mine, room, tally, arrival, counted, held, clock, encounter)
    return reason, clock, moved


@part
def take_rest(
    own: float, clock: float, settings: Settings, tracks: Tracks, mine: World, room: Room, tally: Tally
) -> tuple[int, float, bool]:
    """Rest, and be full; return why play ends, played seconds, and whether a border was passed."""
    level, today, begun = room.levels[0], room.days[0], clock
    seconds = rest(mine.pools, room.missing, level, room.stack)
    if not seconds >= 0.0:
        tally.fault[0], tally.fault[1] = level + 1, sum_of(room.missing)
        seconds = 0.0
    clock += seconds * own
    room.missing[:] = 0
    tally.rested[level] += int((min(clock, settings.horizon) - begun) * MICROS)
    if clock > settings.horizon:
        return HORIZON, clock, False
    passed = clock >= today.turn
    if passed:
        days_pass(today, clock, mine, room, tracks.cap[0], tracks.scale[0])
    return CAP, clock, passed


@part
def sum_of(missing: Any) -> int:
    """Return what all pools lack together, in millionths."""
    lacking = 0
    for pool in range(len(missing)):
        lacking += missing[pool]
    return lacking


@part
def waits_for_day(tracks: Tracks, mine: World, room: Room) -> bool:
    """Return whether a player stands full before a gate of the main track that waits for nothing but its day."""
    if len(mine.gates.level) == 0:
        return False
    gate = stands_at(rule_of(tracks, 0), mine.gates, room.is_open, 0, room.levels[0], room.xps[0])
    return gate >= 0 and has_what_opens(mine.gates, gate, room.used, room.peaks)


@part
def end_standing(room: Room, tally: Tally, clock: float) -> None:
    """Count the time before a gate of the main track at which a player is left."""
    if room.since[0] >= 0.0:
        tally.at_gate[room.held_at[0]] += int(max(clock - room.since[0], 0.0) * MICROS)
