"""The kernel: plays players encounter by encounter over arrays. Numbers only; releases the interpreter's lock.

What plain designs do not need is left out for them: the one source below is compiled for each combination of features
that is asked for. Compiling takes ten seconds and more, so a feature is what would slow the others down (all of them
asked for at run time: by a fifth to a half); what is no more than a branch in the loop is asked for at run time.
"""

from __future__ import annotations

from typing import Any

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.rules.ability import CLASSES, class_of
from ramulus.rules.coming import play_days_before
from ramulus.rules.schedule import MICROS, schedule_of
from ramulus.simulation.compiled import Kernel, made_once
from ramulus.simulation.days import begin, end_of, turn
from ramulus.simulation.done import NO_END, done_at
from ramulus.simulation.draining import Pools, lay_out_drains
from ramulus.simulation.encounters import encounters_for
from ramulus.simulation.events import before_encounter, days_pass, end_standing, waits_for_day
from ramulus.simulation.features import Features
from ramulus.simulation.gates import NOBODY
from ramulus.simulation.jitted import named_for, part
from ramulus.simulation.leaps import leap_ahead
from ramulus.simulation.opened import Meets, Opened, lay_out_awards, may_come_back, open_alone, open_by_parts
from ramulus.simulation.room import Room, new_room
from ramulus.simulation.settings import Settings
from ramulus.simulation.tally import CAP, ENDLESS, HORIZON, STUCK, Tally
from ramulus.simulation.world import Ints, Sources, Stage, Tracks, World


def features_of(stage: Stage, *, logged: bool = False) -> Features:
    """Return what a stage needs of the kernel; `logged`: every award is to be written down."""
    sources, world = stage.sources, stage.world
    goes_on_and_off = len(world.borders) > len(world.first_border) - 1
    by_parts = world.done.worth.shape[2] > 0
    eventful = bool(
        world.done.combinations > 1 or by_parts or len(world.gates.level) or len(world.pools.size)
        or len(world.away.per_day)
    )  # fmt: skip
    leaps = bool(stage.settings.leaps.any()) and not (eventful or logged)
    rich = bool(len(sources.practised) or sources.limits.any() or goes_on_and_off or eventful or logged or leaps)
    return Features(
        rich=rich,
        drawn=rich or bool((sources.xp.width != 1).any()),
        varies=stage.shape > 0,
        eventful=eventful,
        logged=logged,
        leaps=leaps,
    )


@made_once
def player_kernel(features: Features) -> Any:
    """Return the kernel for some features: ``play(keys, own, weeks, comes, classes, sources, world, …)``.

    It plays players one after the other: `keys` are their keys for random draws, `own` their own factors on time,
    `weeks` the schedules that they have, `comes` the play days before they come and `classes` those of their ability,
    shape (n,) each; `times` is the table of varying times; `room` is written over, and `tally` filled in.
    """
    meet, eventful, leaps = encounters_for(features), features.eventful, features.leaps
    open_now = open_by_parts if eventful else open_alone

    def play(  # type: ignore[no-untyped-def]
        keys, own, weeks, comes, classes, sources, world, tracks, settings, times, room, tally
    ):
        levels, peaks, today, cap = room.levels, room.peaks, room.days[0], tracks.cap[0]
        for player in range(len(keys)):
            mine, arrival, counted = at_ability(world, classes[player]), tally.arrival[player], tally.encounters[player]
            held, meets = tally.held[player], _meets_alone(mine, settings)
            _start(room, tracks, settings, arrival)
            room.logged[1] = player
            _first_day(today, settings, world, weeks[player], comes[player])
            clock, encounter, waits, reason = 0.0, 0, 0, CAP
            earned, wasted = 0, 0
            while reason == CAP and (levels[0] < settings.last_level or _falls_short(levels, settings.until)):
                level, begun, thrown, booked = levels[0], clock, 0, 0
                below, moved, waiting, look_at = level < peaks[0], False, False, NO_END
                if eventful:
                    reason, clock, moved = before_encounter(
                        own[player], clock, encounter, settings, tracks, mine, room, tally, arrival, counted, held
                    )
                    waiting = waits_for_day(tracks, mine, room)
                if reason == CAP and not moved:
                    count = open_now(room, sources, meets, mine)
                    if count > 0 and not waiting:
                        lay_out_awards(room.opened, count, sources, mine, room, mine.state[today.window])
                        lay_out_drains(mine.pools, room.opened, count, room.drained, room.size, level)
                        if leaps and settings.leaps[level]:
                            clock, encounter, look_at = leap_ahead(
                                keys[player], own[player], clock, encounter, count, meets, sources, mine, tracks,
                                settings, room, tally,
                            )  # fmt: skip
                        reason, clock, encounter, thrown = meet(
                            keys[player], own[player], clock, encounter, look_at, count, meets, sources, mine, tracks,
                            settings, times, room, tally, arrival, counted, held,
                        )  # fmt: skip
                        booked = _add_up(room.opened, count, tally, level)
                    else:
                        waits += 1
                        reason, clock = _idle(
                            waiting, waits, clock, eventful, sources, settings, tracks, mine, room, tally
                        )
                if below:
                    tally.regained[level] += int((min(clock, settings.horizon) - begun) * MICROS)
                thrown = _note_waste(level, thrown, room, tally)
                if level < cap:  # What the cap throws away of who plays on is no waste.
                    earned += booked
                    wasted += thrown
            if tally.stop[0] != 0 or tally.fault[0] != 0:
                return
            if eventful:
                end_standing(room, tally, min(clock, settings.horizon))
            tally.ended[player], tally.last_level[player] = reason, levels[0]
            tally.earned[player], tally.wasted[player] = earned, wasted

    return Kernel(named_for(features, play))


@part
def _note_waste(level: int, thrown: int, room: Room, tally: Tally) -> int:
    """Count what was wasted at a level, by whoever booked it; return all of it."""
    thrown += room.thrown[0]
    room.thrown[0] = 0
    tally.waste[level] += thrown
    return thrown


@part
def _idle(
    waiting: bool, waits: int, clock: float, eventful: bool, sources: Sources, settings: Settings, tracks: Tracks,
    mine: World, room: Room, tally: Tally,
) -> tuple[int, float]:  # fmt: skip
    """Let the rest of a play day pass idle, as nothing is left to do today; or be stuck where nothing comes back.

    Returns why play ends, and played seconds.
    """
    today, level = room.days[0], room.levels[0]
    if not (waiting or (settings.daily and may_come_back(sources, mine.weight, room.levels, room.used))):
        return STUCK, clock
    late = HORIZON if today.ends > settings.horizon else CAP
    tally.waited[level] += int((min(today.ends, settings.horizon) - clock) * MICROS)
    clock = end_of(today)
    if eventful:
        days_pass(today, clock, mine, room, tracks.cap[0], tracks.scale[0])
    else:
        turn(today, clock, mine.borders, room.used)
    return ENDLESS if waits > settings.most_encounters else late, clock


@part
def _meets_alone(mine: World, settings: Settings) -> Meets:
    return Meets(
        mine.seconds, mine.success, mine.weight, mine.pay, settings.pursuit, settings.seconds_between,
        settings.extra_seconds,
    )  # fmt: skip


@part
def at_ability(world: World, ability: int) -> World:
    """Return the tables of one class of ability, without their first axis."""
    return World(
        world.seconds[ability], world.success[ability], world.weight[ability], world.pay[ability],
        world.factor[ability], world.units[ability], world.skill_units[ability],
        world.lost, world.borders, world.state, world.first_border, done_at(world.done, ability), world.gates,
        _pools_at(world.pools, ability), world.away,
    )  # fmt: skip


@part
def _pools_at(pools: Pools, ability: int) -> Pools:
    at = min(ability, len(pools.leaves) - 1)
    return Pools(pools.size, pools.drain[at : at + 1], pools.refills, pools.steps, pools.leaves[at : at + 1])


@part
def _start(room: Room, tracks: Tracks, settings: Settings, arrival: Array) -> None:
    """Put a player where play starts: at its start level, with the levels up to that reached."""
    room.used[:] = 0
    room.earned[:] = 0
    room.store[0], room.thrown[0] = 0, 0
    room.is_open[:] = False
    room.since[:] = NOBODY
    room.missing[:] = 0
    room.leapt[:] = 0
    for track in range(len(room.levels)):
        room.levels[track], room.xps[track], room.peaks[track] = 0, tracks.start_units[track], 0
        arrival[room.first_level[track]] = 0.0
    room.levels[0], room.xps[0], room.peaks[0] = settings.start_level, settings.start_units, settings.start_level
    arrival[: settings.start_level + 1] = 0.0


@part
def _first_day(today: Any, settings: Settings, world: World, week: int, come: int) -> None:
    length = settings.play_day if settings.daily else 0  # Else no day is unlike another.
    first, last = world.first_border[week], world.first_border[week + 1]
    shift = come * settings.play_day / MICROS
    begin(today, length, settings.days_per_week, world.borders, first, last, week, come, shift)


@part
def _falls_short(levels: Ints, until: Ints) -> bool:
    """Return whether some track has not reached the level that is asked of it."""
    for track in range(len(until)):  # noqa: SIM110 — any() of a generator does not compile.
        if levels[track] < until[track]:
            return True
    return False


@part
def _add_up(opened: Opened, count: int, tally: Tally, level: int) -> int:
    """Add the counts of the open sources to those of a level; return the XP units of them all."""
    booked = 0
    for i in range(count):
        source = opened[i]
        booked += source.income
        tally.met[level, source.number] += source.met
        tally.won[level, source.number] += source.won
        tally.income[level, source.number] += source.income
    return booked


def play_players(
    stage: Stage, keys: NDArray[np.uint64], own: Array, numbers: Ints, times: Array, tally: Tally, rows: int = 0
) -> tuple[NDArray[Any], int]:
    """Play some players of a stage, known by their numbers in the profile; `tally` is filled in.

    Args:
        stage, keys, own, numbers, times, tally: what is played, by whom, and what is counted.
        rows: how many awards there is room to write down; 0: none is.

    Returns:
        The awards as `LOGGED` has them, and how many there were, which may be more than there was room for.
    """
    play = player_kernel(features_of(stage, logged=rows > 0))
    weeks = schedule_of(numbers, len(stage.world.first_border) - 1)
    classes = class_of(numbers) * len(stage.world.seconds) // CLASSES
    room = new_room(stage.tracks, stage.sources, stage.world, rows)
    comes = play_days_before(stage.comes, numbers, stage.schedules)
    play(keys, own, weeks, comes, classes, stage.sources, stage.world, stage.tracks, stage.settings, times, room, tally)
    return room.log, int(room.logged[0])
