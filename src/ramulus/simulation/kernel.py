"""The kernel: plays players encounter by encounter over arrays. Numbers only; releases the interpreter's lock.

What plain designs do not need is left out for them: the one source below is compiled for each combination of features
that is asked for. Compiling takes ten seconds and more, so a feature is what would slow the others down (all of them
asked for at run time: by a fifth to a half); what is no more than a branch in the loop is asked for at run time.
"""

from __future__ import annotations

from functools import cache
from typing import Any, NamedTuple

import numpy as np
from numba.extending import register_jitable
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.rules.ability import class_of
from ramulus.rules.overflow import book_award, book_loss, threshold
from ramulus.rules.pay import paid_xp
from ramulus.rules.schedule import MICROS, schedule_of
from ramulus.rules.xp_laws import drawn_xp
from ramulus.rules.xp_units import units_of
from ramulus.simulation.compiled import SOURCES, kernel
from ramulus.simulation.days import end_of, next_day
from ramulus.simulation.draws import SOURCE, SUCCESS, TIME, XP, bits_of, uniform
from ramulus.simulation.stint import (
    add_up_weights,
    at_ability,
    go_after,
    has_uses,
    lay_out_awards,
    may_come_back,
    new_stint,
    open_sources,
    pays_at,
    pick,
    rule_of,
)
from ramulus.simulation.tally import CAP, ENDLESS, HORIZON, STUCK, Tally
from ramulus.simulation.times import time_at
from ramulus.simulation.world import Stage

Ints = NDArray[np.int64]


class Features(NamedTuple):
    """What a design needs of the kernel beyond sources of fixed XP that take exact times.

    Attributes:
        rich: sources practise skills or run out, or multipliers go on and off.
        drawn: XP is drawn, not fixed.
        varies: times vary.
    """

    rich: bool
    drawn: bool
    varies: bool


def features_of(stage: Stage) -> Features:
    """Return what a stage needs of the kernel."""
    sources, world = stage.sources, stage.world
    goes_on_and_off = len(world.borders) > len(world.first_border) - 1
    return Features(
        rich=bool((sources.practises >= 0).any() or sources.limits.any() or goes_on_and_off),
        drawn=bool((sources.xp.width != 1).any()),
        varies=stage.shape > 0,
    )


@cache
def player_kernel(features: Features) -> Any:
    """Return the kernel for some features: ``play(keys, own, weeks, classes, sources, world, …)``.

    It plays players one after the other: `keys` are their keys for random draws, `own` their own factors on time,
    `weeks` the schedules that they have and `classes` those of their ability, shape (n,) each; `times` is the table of
    varying times; `tally` is filled in.
    """
    rich, drawn, varies = features
    made_of = SOURCES

    @kernel
    def play(  # type: ignore[no-untyped-def]
        keys, own, weeks, classes, sources, world, tracks, settings, times, tally
    ):
        # One long function on purpose: taking arrays out of tuples, or handing tuples on, costs more than an encounter.
        fingerprint = made_of  # noqa: F841 — a change in any source makes another kernel, not a stale one.
        last, rule, scale, costs = settings.last_level, rule_of(tracks, 0), tracks.scale[0], tracks.costs
        level, xp, peak = np.zeros_like(tracks.cap), np.zeros_like(tracks.cap), np.zeros_like(tracks.cap)
        used, stint = np.zeros_like(sources.limits), new_stint(len(sources.reads))
        source_at, running, success = stint.source, stint.running, stint.success
        seconds, span, low, product = stint.seconds, stint.span, stint.low, stint.factor
        units, met, won_at, income = stint.units, stint.met, stint.won, stint.income
        skill_units, practises, width = stint.skill_units, sources.practises, sources.xp.width
        limits_of, limited = sources.limits, sources.limits.sum(axis=0) > 0
        first_amount, amounts, up_to = sources.xp.first, sources.xp.amounts, sources.xp.up_to
        borders, states, first_level = world.borders, world.state, _first_levels(tracks.cap)
        between, extra = settings.seconds_between, settings.extra_seconds
        horizon, most = settings.horizon, settings.most_encounters
        share, least, pursuit = settings.xp_share, settings.least_award, settings.pursuit
        rounding, to = settings.rounding, settings.rounding_to
        day, per_week = settings.play_day, settings.days_per_week
        arrival, encounters_at, stop = tally.arrival, tally.encounters, tally.stop
        skills, limits, daily = rich and (practises >= 0).any(), rich and limited.any(), rich and limits_of[1:].any()
        lost, until = world.lost, settings.until
        losses, plays_on = lost.any(), until.any()
        windows = rich and len(borders) > len(world.first_border) - 1
        counts_income = windows or drawn  # Else it is what was met, times what it pays.
        for player in range(len(keys)):
            key, factor, mine = keys[player], own[player], at_ability(world, classes[player])
            level[:], used[:], xp[:] = 0, 0, tracks.start_units
            level[0], xp[0] = settings.start_level, settings.start_units
            peak[:] = level
            arrival[player][first_level] = 0.0
            arrival[player][: level[0] + 1] = 0.0
            clock, encounter, waits, reason = 0.0, 0, 0, CAP
            earned, wasted_in_all = 0, 0
            play_day, day_end = 0, end_of(day, 0)
            window, last_window = world.first_border[weeks[player]], world.first_border[weeks[player] + 1]
            while reason == CAP and (level[0] < last or (plays_on and _falls_short(level, until))):
                now, held, since, below = level[0], xp[0], clock, level[0] < peak[0]
                there = open_sources(stint, sources, mine, settings, level, used, states[window])
                if there == 0:
                    back = daily and may_come_back(
                        sources.first_column, sources.reads, limits_of, mine.weight, level, used
                    )
                    if back:
                        # Nothing is left to do today: the rest of the play day passes idle.
                        waits += 1
                        reason = ENDLESS if waits > most else HORIZON if day_end > horizon else CAP
                        tally.waited[now] += int((min(day_end, horizon) - clock) * MICROS)
                        clock = day * (play_day + 1) / MICROS
                        play_day = next_day(day, per_week, play_day, clock, used)
                        day_end = end_of(day, play_day)
                        window = _window_at(borders, window, last_window, clock)
                        continue
                    reason = STUCK
                    break
                if pursuit != 0:
                    pays_at(stint, there, mine, now)
                    go_after(running, stint.pay, there, pursuit)
                total, stays = add_up_weights(running, there), True
                enough = threshold(rule, now) if now < rule.cap else 0  # At the cap every award is booked.
                while stays:
                    if encounter >= most or (encounter & 1023 == 0 and stop[0] != 0):
                        reason = ENDLESS
                        break
                    i = pick(running, there, uniform(key, encounter, SOURCE) * total)
                    won = 1 if uniform(key, encounter, SUCCESS) < success[i] else 0
                    if varies:
                        varied = seconds[i] * time_at(times, bits_of(key, encounter, TIME))
                        clock += (varied + (1 - won) * extra + between) * factor
                    else:
                        clock += span[won, i] * factor
                    if clock > horizon:
                        reason = HORIZON
                        break
                    if windows and window + 1 < last_window and clock >= borders[window + 1]:
                        window = _window_at(borders, window, last_window, clock)
                        lay_out_awards(stint, there, mine, now, states[window])
                    if daily and clock >= day_end:
                        play_day = next_day(day, per_week, play_day, clock, used)
                        day_end, stays = end_of(day, play_day), False
                    gained = units[won, i]
                    source = source_at[i]
                    if drawn and width[source] != 1:
                        amount = drawn_xp(
                            low[i], width[source], first_amount[source], first_amount[source + 1], amounts, up_to,
                            uniform(key, encounter, XP),
                        )  # fmt: skip
                        gained = units_of(paid_xp(amount, product[i], won == 1, share, rounding, to, least), scale)
                    encounter += 1
                    met[i] += 1
                    won_at[i] += won
                    if counts_income:
                        income[i] += gained
                    if losses and won == 0:
                        level[0], held, taken = book_loss(rule, now, held, lost[now])
                        tally.lost[now] += taken
                        tally.dropped[now] += now - level[0]
                    if held + gained >= enough or (losses and level[0] != now):
                        level[0], held, wasted = book_award(rule, level[0], held, gained)
                        tally.waste[now] += wasted
                        wasted_in_all += wasted if now < rule.cap else 0
                        stays = stays and level[0] == now
                        _note_arrivals(arrival[player], encounters_at[player], clock, encounter, level[0], peak, 0)
                    else:
                        held += gained
                    if skills and practises[source] >= 0:
                        track, gained = practises[source], skill_units[won, i]
                        step = level[track]
                        if step < tracks.cap[track] and xp[track] + gained < costs[tracks.first[track] + step]:
                            xp[track] += gained
                        else:
                            held_there = xp[track]
                            level[track], xp[track], _ = book_award(rule_of(tracks, track), step, held_there, gained)
                            stays &= level[track] == step
                            at, by = arrival[player, first_level[track] :], encounters_at[player, first_level[track] :]
                            _note_arrivals(at, by, clock, encounter, level[track], peak, track)
                    if limits and won == 1 and limited[source]:
                        used[0, source] += 1
                        used[1, source] += 1
                        used[2, source] += 1
                        stays &= has_uses(used, limits_of, source)
                xp[0] = held
                if losses and below:
                    tally.regained[now] += int((min(clock, horizon) - since) * MICROS)
                if not counts_income:
                    income[:there] = won_at[:there] * units[1, :there] + (met - won_at)[:there] * units[0, :there]
                booked = _add_up(
                    source_at[:there], met, won_at, income, tally.met[now], tally.won[now], tally.income[now]
                )
                earned += booked if now < rule.cap else 0  # What the cap throws away of who plays on is no waste.
            if stop[0] != 0:
                return
            tally.ended[player] = reason
            tally.last_level[player] = level[0]
            tally.earned[player], tally.wasted[player] = earned, wasted_in_all

    return play


@register_jitable
def _add_up(source: Ints, met: Ints, won: Ints, income: Ints, all_met: Ints, all_won: Ints, all_income: Ints) -> int:
    """Add a stint's counts to those of its level; return the XP units of the stint."""
    earned = 0
    for i in range(len(source)):
        earned += income[i]
        all_met[source[i]] += met[i]
        all_won[source[i]] += won[i]
        all_income[source[i]] += income[i]
    return earned


@register_jitable
def _falls_short(level: Ints, until: Ints) -> bool:
    """Return whether some track has not reached the level that is asked of it."""
    for track in range(len(until)):  # noqa: SIM110 — any() of a generator does not compile.
        if level[track] < until[track]:
            return True
    return False


@register_jitable
def _first_levels(count: Ints) -> Ints:
    """Return where the levels of each track start among those of all tracks."""
    first = np.zeros_like(count)
    for track in range(1, len(first)):
        first[track] = first[track - 1] + count[track - 1] + 1
    return first


@register_jitable
def _window_at(borders: Array, window: int, last: int, clock: float) -> int:
    while window + 1 < last and clock >= borders[window + 1]:
        window += 1
    return window


@register_jitable
def _note_arrivals(
    arrival: Array, encounters: NDArray[np.int32], clock: float, encounter: int, level: int, peak: Ints, track: int
) -> None:
    """Write down when levels of a track were reached for the first time."""
    while peak[track] < level:
        peak[track] += 1
        arrival[peak[track]] = clock
        encounters[peak[track]] = encounter


def play_players(stage: Stage, keys: NDArray[np.uint64], own: Array, numbers: Ints, times: Array, tally: Tally) -> None:
    """Play some players of a stage, known by their numbers in the profile; `tally` is filled in."""
    play = player_kernel(features_of(stage))
    weeks = schedule_of(numbers, len(stage.world.first_border) - 1)
    classes = class_of(numbers) if len(stage.world.seconds) > 1 else np.zeros_like(numbers)
    play(keys, own, weeks, classes, stage.sources, stage.world, stage.tracks, stage.settings, times, tally)
