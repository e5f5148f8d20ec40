"""Leaps: where a level takes thousands of encounters, those that cannot change anything are played at once.

How often each source is met and won, what is awarded and how long it takes are drawn by their own laws, so that what
comes out is distributed as if each encounter were played. A leap is no longer than what stays below every threshold and
before every border of time but for one chance in 10^12; so the encounters in which something happens are played one by
one. A leap that went too far would make that happen with the encounter after it.
"""

from __future__ import annotations

from typing import Any

import numpy as np

from ramulus.formula.functions import Array
from ramulus.simulation.draws import GOLDEN, LEAP, mix
from ramulus.simulation.jitted import part
from ramulus.simulation.leap_draws import binomial, gamma, next_draw
from ramulus.simulation.leap_length import room_to_leap
from ramulus.simulation.opened import Meets
from ramulus.simulation.room import Room
from ramulus.simulation.settings import Settings
from ramulus.simulation.steps import amount_of, award_of, practise
from ramulus.simulation.tally import Tally
from ramulus.simulation.world import Sources, Tracks, World

WORTH_IT = 50  # Encounters a source from which on a leap is faster than playing them.
_DRAWN_FASTER = 40  # Draws of XP that take as long as one binomial count.


@part
def leap_ahead(
    key: np.uint64, own: float, clock: float, encounter: int, count: int, meets: Meets, sources: Sources, mine: World,
    tracks: Tracks, settings: Settings, room: Room, tally: Tally,
) -> tuple[float, int, int]:  # fmt: skip
    """Leap as far as nothing changes, where that is faster than playing; what is open is laid out.

    Returns:
        Played seconds, encounters, and at which of them to look again.
    """
    ahead = room_to_leap(clock, encounter, own, count, sources, mine, tracks, settings, room)
    if ahead < WORTH_IT * count:
        return clock, encounter, encounter + WORTH_IT * count
    clock, units = _leap(key, own, clock, ahead, count, meets, sources, tracks, settings, room)
    room.leapt[0] += ahead
    tally.leapt[room.levels[0]] += ahead
    room.xps[0] += units
    return clock, encounter + ahead, encounter + ahead


@part
def _leap(
    key: np.uint64, own: float, clock: float, ahead: int, count: int, meets: Meets, sources: Sources, tracks: Tracks,
    settings: Settings, room: Room,
) -> tuple[float, int]:  # fmt: skip
    """Play some encounters at once; return played seconds and the units awarded."""
    opened, running, stream = room.opened, room.running, room.stream
    seed, rest, units, seconds = _seed_of(key, room), ahead, 0, 0.0
    for i in range(count):
        source = opened[i]
        stream[0] = mix(seed + np.uint64(source.number + 1) * GOLDEN)
        before = running[i - 1] if i > 0 else 0.0
        met = rest
        if i + 1 < count:
            met = binomial(stream, rest, (running[i] - before) / (running[count - 1] - before))
        rest -= met
        won = binomial(stream, met, source.success)
        income = _awarded(stream, source, sources, settings, tracks.scale[0], won, True)
        income += _awarded(stream, source, sources, settings, tracks.scale[0], met - won, False)
        source.met, source.won, source.income = source.met + met, source.won + won, source.income + income
        units += income
        seconds += _taken(stream, source, meets, settings.shape, met, won)
        if source.limited:
            for span in range(3):
                room.used[span, source.number] += won
        for one in range(source.first_practice, source.last_practice):
            practice = won * room.practised[1, one] + (met - won) * room.practised[0, one]
            track = sources.practised[one]
            if room.levels[track] < tracks.cap[track]:
                room.xps[track] += practice  # What would pay for the level is booked with the next award.
            else:
                practise(tracks, track, room.levels, room.xps, practice)
    return clock + seconds * own, units


@part
def _seed_of(key: np.uint64, room: Room) -> np.uint64:
    """Return what a leap's draws begin with: by the highest level reached, and which leap since then it is.

    So two designs that leap as often share their draws level by level, wherever their encounters have come to.
    """
    peak, leapt = room.peaks[0], room.leapt
    if leapt[1] != peak:
        leapt[1], leapt[2] = peak, 0
    leapt[2] += 1
    seed: np.uint64 = mix(mix(key ^ LEAP) + np.uint64((peak << 32) + leapt[2]) * GOLDEN)
    return seed


@part
def _awarded(
    stream: Array, source: Any, sources: Sources, settings: Settings, scale: int, tries: int, won: bool
) -> int:  # fmt: skip
    """Return the units that some successes, or failures, at a source award together."""
    if source.width == 1:
        return int(tries * (source.units_won if won else source.units_lost))
    if not won and settings.xp_share == 0.0:
        return 0
    xp, number, low, width, product = sources.xp, source.number, source.low, source.width, source.product
    first = xp.first[number]
    kinds = width if width > 0 else xp.first[number + 1] - first
    units = 0
    if tries < _DRAWN_FASTER * kinds:
        for _ in range(tries):
            amount = amount_of(xp, number, low, width, next_draw(stream))
            units += award_of(amount, product, won, settings, scale)
        return units
    for kind in range(kinds):
        amount, chance = low + kind, 1.0 / (kinds - kind)
        if width == 0:
            before = xp.up_to[first + kind - 1] if kind > 0 else 0.0
            amount, chance = xp.amounts[first + kind], (xp.up_to[first + kind] - before) / (1.0 - before)
        drawn = binomial(stream, tries, chance) if kind + 1 < kinds else tries
        units += drawn * award_of(amount, product, won, settings, scale)
        tries -= drawn
    return units


@part
def _taken(stream: Array, source: Any, meets: Meets, shape: float, met: int, won: int) -> float:
    """Return the seconds that some encounters at a source take together, before the own factor."""
    if shape == 0.0:
        return float(won * source.seconds_won + (met - won) * source.seconds_lost)
    varying = source.seconds / shape * gamma(stream, met * shape) if met > 0 else 0.0
    return float(varying + (met - won) * meets.extra + met * meets.between)
