"""The kernel: plays players encounter by encounter over tables. Numbers and arrays only; releases the GIL."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np
from numba import njit
from numpy.typing import NDArray

from ramulus.rules.encounters import CHOICE, RANGE
from ramulus.simulation.booking import TrackRules, book_award, book_loss
from ramulus.simulation.draws import SOURCE, SUCCESS, XP, gamma_of_mean_one, uniform

CAP, HORIZON, STUCK, ENDLESS = 0, 1, 2, 3
END_REASONS = ("reached the cap", "out of time", "no open source", "too many encounters")
ROUNDING_CODES = {"none": 0, "down": 1, "nearest": 2, "up": 3}
AWARDED, LOST = 0, 1
LOG_COLUMNS = ("kind", "track", "units", "level", "xp", "wasted")

Ints = NDArray[np.int64]
Floats = NDArray[np.float64]


class World(NamedTuple):
    """The tables of one player profile. Levels count from 0; L levels, C columns, S sources, W window states.

    Attributes:
        first_column: where the columns of each source start, shape (S,).
        practises: the track a source awards skill XP to, or -1, shape (S,).
        reads: the track whose level picks a source's column, or -1, shape (S,).
        limit: successes a player can have at each source, shape (S,).
        seconds, success, weight: per encounter, shape (L, C).
        xp_kind, xp_low, xp_high: what XP is drawn from, shape (S,).
        xp_fixed: XP of a fixed amount, shape (L, S).
        first_outcome, outcome, up_to: the lists of amounts with running chances.
        factor: the product of multipliers, shape (W, L, C).
        skill_xp: XP times multipliers for the skill practised, not yet rounded, shape (W, L, C).
        borders, state: from which played second on which of the W states holds, shape (B,).
    """

    first_column: Ints
    practises: Ints
    reads: Ints
    limit: Ints
    seconds: Floats
    success: Floats
    weight: Floats
    xp_kind: Ints
    xp_low: Floats
    xp_high: Floats
    xp_fixed: Floats
    first_outcome: Ints
    outcome: Floats
    up_to: Floats
    factor: Floats
    skill_xp: Floats
    borders: Floats
    state: Ints


class Settings(NamedTuple):
    """The numbers of an encounter and of the run.

    Attributes:
        shape: shape of the gamma distributed time; 0 for no variation.
        extra_seconds, xp_share, loss: what a failure costs and pays.
        seconds_between: seconds between encounters.
        rounding: how an award becomes whole, one of ROUNDING_CODES.
        least_award: XP.
        horizon: played seconds.
        most_encounters: after which a player is given up.
    """

    shape: float
    extra_seconds: float
    xp_share: float
    loss: float
    seconds_between: float
    rounding: int
    least_award: float
    horizon: float
    most_encounters: int


class Tally(NamedTuple):
    """What the kernel fills in. n players; K levels of all tracks, one track after the other.

    Attributes:
        arrival: played seconds at which each level was first reached, else not a number, shape (n, K).
        encounters: encounters by then, shape (n, K).
        ended: why a player ended, shape (n,).
        last: level, XP units, encounters and XP units wasted at the end, shape (n, 4).
        clock: played seconds at the end, shape (n,).
        income: XP units by level and source, shape (L, S).
        met, won: encounters and successes by level and source, shape (L, S).
        waste, lost: XP units wasted and lost by level, shape (L,).
        log: what was booked, for one player at a time; shape (m, 6), m may be 0.
        logged: how many rows of the log are filled, shape (1,).
        stop: is set from outside to make the kernel return at once, shape (1,).
    """

    arrival: Floats
    encounters: NDArray[np.int32]
    ended: NDArray[np.int8]
    last: Ints
    clock: Floats
    income: Ints
    met: Ints
    won: Ints
    waste: Ints
    lost: Ints
    log: Ints
    logged: Ints
    stop: NDArray[np.int8]


@njit(cache=True, nogil=True)
def play(
    keys: NDArray[np.uint64], pace: Floats, world: World, rules: TrackRules, settings: Settings, tally: Tally
) -> None:
    """Play players one after the other.

    Args:
        keys: the players' keys for random draws, shape (n,).
        pace: the players' own factors on time, shape (n,).
        world: the tables of their profile.
        rules: the tracks; the first is the main one.
        settings: the numbers of the encounter and of the run.
        tally: is filled in.
    """
    tracks, sources = len(rules.count), len(world.limit)
    first_level = np.zeros(tracks, np.int64)
    for track in range(1, tracks):
        first_level[track] = first_level[track - 1] + rules.count[track - 1] + 1
    level, xp, peak = np.zeros(tracks, np.int64), np.zeros(tracks, np.int64), np.zeros(tracks, np.int64)
    used, running = np.zeros(sources, np.int64), np.zeros(sources)
    for player in range(len(keys)):
        if tally.stop[0] != 0:
            return
        level[:] = 0
        peak[:] = 0
        used[:] = 0
        xp[:] = rules.start_xp
        tally.arrival[player, first_level] = 0.0
        tally.encounters[player, first_level] = 0
        _play_one(
            player, keys[player], pace[player], world, rules, settings, tally,
            first_level, level, xp, peak, used, running,
        )  # fmt: skip


@njit(cache=True, nogil=True, error_model="numpy")
def _play_one(player, key, pace, world, rules, settings, tally, first_level, level, xp, peak, used, running):  # type: ignore[no-untyped-def]
    # One long function on purpose: every call inside the loop would pass the tuples of tables again. Taking an array
    # out of a tuple costs more than reading from it, so all that the loop reads comes out first.
    weight, seconds_of, success_of = world.weight, world.seconds, world.success
    first_column, reads, practises, limit = world.first_column, world.reads, world.practises, world.limit
    factor, skill_xp, borders, states = world.factor, world.skill_xp, world.borders, world.state
    kind, low, high, fixed = world.xp_kind, world.xp_low, world.xp_high, world.xp_fixed
    first_outcome, outcome, up_to = world.first_outcome, world.outcome, world.up_to
    met, won_at, income, log, stop = tally.met, tally.won, tally.income, tally.log, tally.stop
    shape, horizon, rounding, scale = settings.shape, settings.horizon, settings.rounding, rules.scale[0]
    between, extra, xp_share = settings.seconds_between, settings.extra_seconds, settings.xp_share
    cap, costs, more, loss = rules.count[0], rules.costs, rules.more[0], settings.loss
    counts, offset = rules.count, rules.offset
    least, most = settings.least_award, settings.most_encounters
    clock, wasted, encounter, window = 0.0, 0, 0, 0
    reason = HORIZON
    total = _fill_running(weight, first_column, reads, limit, level, used, running)
    while level[0] < cap and stop[0] == 0:
        if total <= 0.0 or encounter >= most:
            reason = STUCK if total <= 0.0 else ENDLESS
            break
        source = _pick(running, uniform(key, encounter, SOURCE) * total)
        now = level[0]
        column = first_column[source] + (level[reads[source]] if reads[source] >= 0 else 0)
        chance = success_of[now, column]
        won = chance >= 1.0 or uniform(key, encounter, SUCCESS) < chance
        seconds = seconds_of[now, column]
        if shape > 0.0:
            seconds *= gamma_of_mean_one(key, encounter, shape)
        if not won:
            seconds += extra
        clock += (seconds + between) * pace
        if clock > horizon:
            clock = horizon
            break
        while window + 1 < len(borders) and clock >= borders[window + 1]:
            window += 1
        state = states[window]
        if kind[source] == RANGE:
            width = high[source] - low[source] + 1.0
            drawn = low[source] + math.floor(uniform(key, encounter, XP) * width)
        elif kind[source] == CHOICE:
            drawn = _choose(first_outcome, outcome, up_to, source, uniform(key, encounter, XP))
        else:
            drawn = fixed[now, source]
        encounter += 1
        met[now, source] += 1
        if won:
            won_at[now, source] += 1
            award = max(_rounded(drawn * factor[state, now, column], rounding), least)
        else:
            if loss > 0.0:
                _take_loss(rules, settings, tally, level, xp)
            award = _rounded(drawn * factor[state, now, column] * xp_share, rounding)
        units = np.int64(np.rint(award * scale))
        income[now, source] += units
        changed = level[0] != now
        if changed or len(log) or xp[0] + units >= costs[now] + more:
            level[0], xp[0], gone = book_award(rules, 0, level[0], xp[0], units)
            changed |= level[0] != now
            tally.waste[now] += gone
            wasted += gone
            _write(tally, AWARDED, 0, units, level[0], xp[0], gone)
        else:
            xp[0] += units
        if practises[source] >= 0:
            amount = skill_xp[state, now, column]
            amount = _rounded(amount if won else amount * xp_share, rounding)
            skill = practises[source]
            gained = np.int64(np.rint(amount * rules.scale[skill]))
            short = level[skill] < counts[skill] and xp[skill] + gained < costs[offset[skill] + level[skill]]
            if short and len(log) == 0:
                xp[skill] += gained
            else:
                changed |= _practise(rules, tally, skill, gained, level, xp)
        if won and limit[source] > 0:
            used[source] += 1
            changed |= used[source] >= limit[source]
        if changed:
            _note_arrivals(player, clock, encounter, tally, first_level, level, peak)
            total = _fill_running(weight, first_column, reads, limit, level, used, running)
    tally.ended[player] = CAP if level[0] == cap else reason
    tally.clock[player] = clock
    tally.last[player, 0] = level[0]
    tally.last[player, 1] = xp[0]
    tally.last[player, 2] = encounter
    tally.last[player, 3] = wasted


@njit(cache=True, nogil=True)
def _fill_running(  # type: ignore[no-untyped-def]
    weight, first_column, reads, limit, level, used, running
):
    """Fill in the running weights of the sources that are open with uses left; return their sum."""
    total = 0.0
    for source in range(len(running)):
        if limit[source] == 0 or used[source] < limit[source]:
            column = first_column[source] + (level[reads[source]] if reads[source] >= 0 else 0)
            total += weight[level[0], column]
        running[source] = total
    return total


@njit(cache=True, nogil=True)
def _pick(running: Floats, target: float) -> int:
    """Return the first source whose running weight is above the target."""
    low, high = 0, len(running) - 1
    while low < high:
        middle = (low + high) >> 1
        if running[middle] > target:
            high = middle
        else:
            low = middle + 1
    # The product of a draw and the sum may round up to the sum itself: step back to a source with weight.
    while low > 0 and running[low] == running[low - 1] and running[low] <= target:
        low -= 1
    return low


@njit(cache=True, nogil=True)
def _choose(first_outcome: Ints, outcome: Floats, up_to: Floats, source: int, draw: float) -> float:
    item = first_outcome[source]
    while item + 1 < first_outcome[source + 1] and draw >= up_to[item]:
        item += 1
    return outcome[item]


@njit(cache=True, nogil=True)
def _rounded(value: float, rounding: int) -> float:
    if rounding == 1:
        return math.floor(value)
    if rounding == 2:
        whole = math.floor(value)  # Awards are never below 0.
        return whole + 1.0 if value - whole >= 0.5 else whole
    if rounding == 3:
        return math.ceil(value)
    return value


@njit(cache=True, nogil=True)
def _take_loss(rules: TrackRules, settings: Settings, tally: Tally, level: Ints, xp: Ints) -> None:
    scale = rules.scale[0]
    loss = settings.loss * (float(rules.costs[rules.offset[0] + level[0]]) / float(scale))
    if rules.whole[0]:
        loss = math.floor(loss)
    units = np.int64(np.rint(loss * scale))
    now = level[0]
    level[0], xp[0], taken = book_loss(rules, 0, level[0], xp[0], units)
    tally.lost[now] += taken
    _write(tally, LOST, 0, units, level[0], xp[0], 0)


@njit(cache=True, nogil=True)
def _practise(rules: TrackRules, tally: Tally, track: int, units: int, level: Ints, xp: Ints) -> bool:
    before = level[track]
    level[track], xp[track], gone = book_award(rules, track, level[track], xp[track], units)
    _write(tally, AWARDED, track, units, level[track], xp[track], gone)
    return level[track] != before


@njit(cache=True, nogil=True)
def _write(tally: Tally, kind: int, track: int, units: int, level: int, xp: int, gone: int) -> None:
    row = tally.logged[0]
    if row < len(tally.log):
        tally.log[row, 0] = kind
        tally.log[row, 1] = track
        tally.log[row, 2] = units
        tally.log[row, 3] = level
        tally.log[row, 4] = xp
        tally.log[row, 5] = gone
        tally.logged[0] = row + 1


@njit(cache=True, nogil=True)
def _note_arrivals(player, clock, encounter, tally, first_level, level, peak):  # type: ignore[no-untyped-def]
    """Write down when levels were reached for the first time."""
    for track in range(len(level)):
        while peak[track] < level[track]:
            peak[track] += 1
            tally.arrival[player, first_level[track] + peak[track]] = clock
            tally.encounters[player, first_level[track] + peak[track]] = encounter
