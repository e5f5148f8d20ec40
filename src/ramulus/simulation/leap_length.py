"""How far a leap goes: encounters that are as good as sure to change nothing but what adds up."""

from __future__ import annotations

import math
from typing import Any

from ramulus.formula.functions import Array
from ramulus.rules.overflow import threshold
from ramulus.rules.xp_units import MOST_SUM
from ramulus.simulation.jitted import part
from ramulus.simulation.opened import Opened, column_of
from ramulus.simulation.room import Room
from ramulus.simulation.settings import Settings
from ramulus.simulation.steps import award_of, rule_of
from ramulus.simulation.world import Ints, Sources, Tracks, World

MOST_LEAPT = 2_000_000_000  # Encounters after which nothing is leapt over any more: there is room to play some others.
_SURE = 28.0  # Minus the log of the chance that a leap goes too far: 7e-13.


@part
def room_to_leap(
    clock: float, encounter: int, own: float, count: int, sources: Sources, mine: World, tracks: Tracks,
    settings: Settings, room: Room,
) -> int:  # fmt: skip
    """Return how many encounters are as good as sure to change nothing but what adds up; 0 or less where none are."""
    opened, running = room.opened, room.running
    below = threshold(rule_of(tracks, 0), room.levels[0]) - 1 - room.xps[0]
    ahead = min(MOST_LEAPT - encounter, _within_level(float(below), count, sources, tracks, settings, room))
    left = (min(_border(room, sources, mine), settings.horizon) - clock) / own
    ahead = min(ahead, _within_time(left, opened, running, count, settings.shape))
    for track in range(1, len(room.levels)):
        ahead = min(ahead, _within_skill(track, count, sources, tracks, room))
    for i in range(count):
        source = opened[i]
        if source.limited:
            chance = _chance(running, count, i) * source.success
            left = float(_uses_left(room.used, sources.limits, source.number) - 1)
            ahead = min(ahead, _within(left, chance, chance, 1.0 / 3.0, 1.0))
    return ahead


@part
def _within(left: float, mean: float, square: float, scale: float, most: float) -> int:
    """Return how many draws add up to no more than what is left, whatever comes or but for a chance of exp(-_SURE).

    Bernstein's bound (Boucheron, Lugosi and Massart, "Concentration Inequalities", 2013, theorem 2.10): where the m-th
    moment of a draw is at most m!/2 square scale^(m-2), n of them exceed n mean + t with a chance of at most
    exp(-t^2 / (2 n square + 2 scale t)). What is at most `most`, if that is not infinite, is so with scale most / 3.
    """
    if mean <= 0.0:
        return MOST_LEAPT
    if left <= 0.0:
        return 0
    longest, by_scale = min(left / mean, 1e15), _SURE * scale
    further = by_scale + math.sqrt(by_scale * by_scale + 2.0 * _SURE * longest * square)
    return math.floor(min(max((left - further) / mean, left / most), float(MOST_LEAPT)))


@part
def _within_level(
    left: float, count: int, sources: Sources, tracks: Tracks, settings: Settings, room: Room
) -> int:  # fmt: skip
    """Return how many encounters leave the main track's level unpaid for."""
    opened, running, scale = room.opened, room.running, tracks.scale[0]
    mean, square, most = 0.0, 0.0, 0.0
    for i in range(count):
        source, chance = opened[i], _chance(running, count, i)
        for won in (False, True):
            usual, highest = _award(source, sources, settings, scale, won)
            part_of_all = chance * (source.success if won else 1.0 - source.success)
            mean, square = mean + part_of_all * usual, square + part_of_all * usual * highest
            most = max(most, highest)
    return _within(left, mean, square, most / 3.0, most)


@part
def _award(source: Any, sources: Sources, settings: Settings, scale: int, won: bool) -> tuple[float, float]:
    """Return the units that a success, or a failure, awards in the mean, or somewhat more than that, and at most."""
    if source.width == 1:
        fixed = float(source.units_won if won else source.units_lost)
        return fixed, fixed
    xp, first = sources.xp, sources.xp.first[source.number]
    mean, highest = source.low + (source.width - 1) / 2.0, source.low + source.width - 1.0
    if source.width == 0:
        mean, highest, before = 0.0, 0.0, 0.0
        for item in range(first, xp.first[source.number + 1]):
            mean, highest = mean + xp.amounts[item] * (xp.up_to[item] - before), max(highest, xp.amounts[item])
            before = xp.up_to[item]
    most = float(award_of(highest, source.product, won, settings, scale))
    # Rounding adds no more than what is rounded to, and nothing is awarded below the least award.
    share = 1.0 if won else settings.xp_share
    usual = mean * source.product * share + settings.rounding_to + settings.least_award
    return min(usual * scale + 1.0, most), most


@part
def _within_time(left: float, opened: Opened, running: Array, count: int, shape: float) -> int:
    """Return how many encounters end within some seconds.

    A gamma time of scale s beside a fixed time is no more spread (in convex order) than a gamma time of the same scale
    and mean m, for which the bound holds with the square m^2 + s m and the scale max(s, (m + 2 s) / 3).
    """
    mean, square, scale, most = 0.0, 0.0, 0.0, 0.0
    for i in range(count):
        source, chance = opened[i], _chance(running, count, i)
        varying = source.seconds / shape if shape > 0.0 else 0.0
        for won in (False, True):
            seconds = source.seconds_won if won else source.seconds_lost
            part_of_all = chance * (source.success if won else 1.0 - source.success)
            mean, square = mean + part_of_all * seconds, square + part_of_all * seconds * (seconds + varying)
            scale = max(scale, max(varying, (seconds + 2.0 * varying) / 3.0))
            most = max(most, seconds)
    return _within(left, mean, square, scale, math.inf if shape > 0.0 else most)


@part
def _within_skill(track: int, count: int, sources: Sources, tracks: Tracks, room: Room) -> int:
    """Return how many encounters leave a skill's level unpaid for; at its cap, how many can be counted."""
    opened, running, practised = room.opened, room.running, room.practised
    level, left = room.levels[track], MOST_SUM - room.xps[track]
    if level < tracks.cap[track]:
        left = tracks.costs[tracks.first[track] + level] - 1 - room.xps[track]
    mean, square, most = 0.0, 0.0, 0.0
    for i in range(count):
        source, chance = opened[i], _chance(running, count, i)
        for one in range(source.first_practice, source.last_practice):
            if sources.practised[one] == track:
                won, lost = float(practised[1, one]), float(practised[0, one])
                mean += chance * (source.success * won + (1.0 - source.success) * lost)
                square += chance * (source.success * won * won + (1.0 - source.success) * lost * lost)
                most = max(most, max(won, lost))
    return _within(float(left), mean, square, most / 3.0, most)


@part
def _border(room: Room, sources: Sources, mine: World) -> float:
    """Return the played seconds at which timed rules change, or the day does where uses at this level come back."""
    today, limits, level = room.days[0], sources.limits, room.levels[0]
    for number in range(len(sources.reads)):
        if limits[1, number] > 0 or limits[2, number] > 0:
            column = column_of(sources.first_column, sources.reads, number, room.levels)
            if mine.weight[level, column] > 0.0:
                return float(today.turn)
    if today.window + 1 >= today.last_window:
        return math.inf
    return float(mine.borders[today.window + 1]) - float(today.shift)


@part
def _chance(running: Array, count: int, i: int) -> float:
    return float((running[i] - (running[i - 1] if i > 0 else 0.0)) / running[count - 1])


@part
def _uses_left(used: Ints, limits: Ints, number: int) -> int:
    left = MOST_LEAPT
    for span in range(3):
        if limits[span, number] > 0:
            left = min(left, limits[span, number] - used[span, number])
    return left
