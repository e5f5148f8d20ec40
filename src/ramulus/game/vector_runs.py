"""The runs among which vectors are chosen: built for some mistake, or drawn."""

from __future__ import annotations

import random
from collections.abc import Callable, Iterator
from dataclasses import replace
from functools import partial

import numpy as np

from ramulus.game.mistaken import AWARD, BILLION, LOSE, OPEN, RELOAD, Game, Step, opened
from ramulus.game.pack import TrackPack

Run = tuple[Step, ...]
MOST_LEVELS = 300  # Whose costs are tried one by one; a walk is no longer.
SEARCHED = 100_000  # Awards, for what no run built for it has told.
_LENGTH = 40


def built(track: TrackPack) -> Iterator[Run]:
    """Yield runs built for some mistake, with every gate open; and runs at gates that are shut."""
    yield from ((*opened(track), *run) for run in _at_thresholds(track))
    yield from _at_gates(track)


def _at_gates(track: TrackPack) -> Iterator[Run]:
    """Yield runs to a shut gate, past its bar, and on when it opens."""
    for gate in track.gates[:MOST_LEVELS]:
        others = tuple((OPEN, one.at_level) for one in track.gates if one != gate)
        place = gate.at_level - track.start_level
        cost, following = track.costs[place], track.costs[min(place + 1, len(track.costs) - 1)]
        there = (AWARD, sum(track.costs[:place]) + track.exceeded)
        for past in (1, following + 1):
            at_it = (AWARD, cost), (AWARD, past), (RELOAD, 1), (OPEN, gate.at_level), (AWARD, 1), (AWARD, following)
            yield (*others, there, *at_it)
            yield (*others, (AWARD, sum(track.costs)), *at_it[1:])


def _at_thresholds(track: TrackPack) -> Iterator[Run]:
    """Yield runs one unit short, on, past; half; two levels; to and past the cap."""
    first, second = track.costs[0], track.costs[min(1, len(track.costs) - 1)]
    more, everything = int(track.exceeded), sum(track.costs)
    walk = list(_walk(track, [0]))
    yield tuple(walk)
    yield (*walk, (AWARD, 1), (AWARD, track.costs[-1] + 5), (AWARD, 2), (LOSE, 3), (LOSE, 10 * track.costs[-1]))
    yield tuple(_walk(track, [1]))
    yield (
        *walk[: max(len(walk) - 1, 0)],
        (AWARD, first // 2),
        (AWARD, 2 * everything),
        (AWARD, 3),
        (AWARD, everything),
    )
    past = [first + more + extra for extra in (1, 2, 3, 7, second // 2, second - 1, second, second + 1, second + 7)]
    for award in past:
        yield (AWARD, award), (AWARD, 1), (AWARD, second), (AWARD, 2)
    for part in (1, 3, 7, 29, 99, 101):
        yield tuple(_overshot(track, part))
    yield (AWARD, max(first // 2, 1)), (RELOAD, 1), (AWARD, first - first // 2 + more), (AWARD, first)
    if part := _part_that_doubles_miss(track):
        yield (AWARD, first + more + part), (AWARD, 1)
    yield (
        (AWARD, first + second + more + 5),
        (LOSE, 2),
        (LOSE, first + 2 * second),
        (AWARD, first),
        (AWARD, first + second + 5),
    )
    yield (LOSE, 5), (AWARD, max(first // 2, 1)), (LOSE, first), (AWARD, first)
    yield (
        (AWARD, everything + more + 17),
        (AWARD, 5),
        (AWARD, everything),
        (LOSE, 2),
        (LOSE, 5 * everything),
        (AWARD, everything),
    )
    for big in (2**24 + 1, 2**31 - 1, 2**31 + 5, 2**32 + 7):
        yield (AWARD, big), (AWARD, 1), (AWARD, 2), (AWARD, big)
        yield (AWARD, 1), (AWARD, big)
    if track.costs[-1] > 2**24:
        yield (*walk[:-1], (AWARD, 2**24), (AWARD, 1), (AWARD, 1))


def _walk(track: TrackPack, short: list[int]) -> Iterator[Step]:
    """Yield awards that reach each threshold exactly, or first fall one short of it."""
    game = Game(replace(track, gates=()))
    for _ in range(min(4 * len(track.costs), 2 * MOST_LEVELS)):
        if game.level == game.cap:
            return
        need = int(track.costs[game.level] + track.exceeded - game.xp)
        awards = [need - short[0], *short] if short[0] and need > short[0] else [max(need, 0)]
        for award in awards:
            game.award(award)
            yield AWARD, award


def _overshot(track: TrackPack, part: int) -> Iterator[Step]:
    """Yield awards that each pass their threshold by a part that does not divide."""
    game = Game(replace(track, gates=()))
    for _ in range(min(len(track.costs) + 1, MOST_LEVELS)):
        if game.level == game.cap:
            return
        award = max(int(track.costs[game.level] + track.exceeded - game.xp), 0) + part
        game.award(award)
        yield AWARD, award


def _part_that_doubles_miss(track: TrackPack) -> int:
    """Return the least excess whose share comes out otherwise in doubles; 0 where no small one does."""
    excess = np.arange(1, 200_000)
    exact, rough = excess * track.carry // BILLION, np.floor(excess * (track.carry / BILLION)).astype(np.int64)
    if track.whole:
        exact, rough = exact - exact % track.scale, rough - rough % track.scale
    missed = np.flatnonzero(exact != rough)
    return int(excess[missed[0]]) if len(missed) else 0


def searched(track: TrackPack) -> Iterator[Run]:
    """Yield runs by chance, the same ones each time, near thresholds and far from them."""
    dice = random.Random(f"{track.costs[:3]} {len(track.costs)}")
    award, below = partial(_award, track, max(track.costs), dice.random), dice.random
    for _ in range(SEARCHED // _LENGTH):
        steps = [(LOSE if below() < 0.25 else AWARD, max(award(), 0)) for _ in range(_LENGTH)]
        for gate in track.gates:
            steps.insert(dice.randint(0, _LENGTH), (OPEN, gate.at_level))
        yield tuple(steps)


def _award(track: TrackPack, highest: int, dice: Callable[[], float]) -> int:
    """Draw an award: about a threshold (two in five), any, a small one, or a power of two."""
    kind = int(5 * dice())
    if kind < 2:
        about = (-1, 0, 1, track.scale, int(51 * dice()))
        return track.costs[int(len(track.costs) * dice())] + about[int(5 * dice())]
    if kind == 2:
        return int((2 * highest + 1) * dice())
    return 1 + int(9 * dice()) if kind == 3 else 2 ** (20 + int(15 * dice()))
