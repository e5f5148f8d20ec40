"""`vectors.json`: runs of awards that would catch every known mistake, chosen by search, with the right states."""

from __future__ import annotations

import random
from collections.abc import Iterable, Iterator
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import Any

import numpy as np

from ramulus.game.idle import idle_mistakes
from ramulus.game.levels_json import plain
from ramulus.game.mistaken import AWARD, BILLION, LOSE, OPEN, RELOAD, Game, State, Step, opened
from ramulus.game.mistakes import MISTAKES, OLDER_COST
from ramulus.game.pack import Pack, TrackPack

Run = tuple[Step, ...]
MOST_LEVELS = 300  # Whose costs are tried one by one; a walk is no longer.
FAR = 60  # Levels by one award, past which no cost is looked for.
LONGEST = 500  # Levels of a track, past which nothing is searched.
SEARCHED = 100_000  # Awards, for what no run built for it has told.
_LENGTH = 40


@dataclass(frozen=True)
class Chosen:
    """A run, and which mistakes each of its steps is the first to tell; step 0 is the fresh character."""

    steps: Run
    catches: dict[int, tuple[str, ...]]


@dataclass(frozen=True)
class Vectors:
    """The runs of one track, and the mistakes that none of them tells, with the reason."""

    track: TrackPack
    chosen: tuple[Chosen, ...]
    untold: dict[str, str]

    @property
    def steps(self) -> int:
        """How many steps there are."""
        return sum(len(one.steps) for one in self.chosen)


@lru_cache(maxsize=64)
def vectors_of(track: TrackPack, *, level_only: bool = False) -> Vectors:
    """Choose runs of one track: the shortest that a greedy search finds.

    Args:
        track: the track.
        level_only: whether a game tells its level alone.
    """
    idle = idle_mistakes(track, level_only=level_only)
    if len(track.costs) > LONGEST:
        why = f"not looked for: more than {LONGEST} levels"
        return Vectors(track, (), dict.fromkeys(mistakes_of(track), why) | idle)
    missing = {code for code in mistakes_of(track) if code not in idle}
    tables = [(run, _differences(track, run, missing, level_only)) for run in dict.fromkeys(built(track))]
    chosen: list[Chosen] = []
    while missing and (best := _best(tables, missing)):
        chosen.append(best)
        missing -= {code for codes in best.catches.values() for code in codes}
    for run in searched(track) if missing else ():
        found = _chosen(run, _differences(track, run, missing, level_only), missing)
        if found.catches:
            chosen.append(found)
            missing -= {code for codes in found.catches.values() for code in codes}
        if not missing:
            break
    untold = dict.fromkeys(sorted(missing), f"not found in {SEARCHED:,} awards built to find it")
    return Vectors(track, tuple(chosen), {**idle, **untold})


def mistakes_of(track: TrackPack) -> list[str]:
    """Return every mistake that a game could make on a track: those with a name, and each cost one off."""
    levels = range(track.start_level, min(track.max_level, track.start_level + MOST_LEVELS))
    return [*MISTAKES, *(f"{OLDER_COST}-{level}-{way}" for level in levels for way in ("more", "less"))]


# --- choosing ---------------------------------------------------------------------------------------------------


def _best(tables: list[tuple[Run, dict[str, int]]], missing: set[str]) -> Chosen | None:
    """Return the run, as short as it may be, that catches most of what is missing for its length."""
    found = [one for run, table in tables if (one := _chosen(run, table, missing)).catches]
    return max(found, key=lambda one: sum(map(len, one.catches.values())) / (len(one.steps) + 5), default=None)


def _chosen(run: Run, table: dict[str, int], missing: set[str]) -> Chosen:
    """Return what a run catches of what is missing, cut off after the last step that does."""
    catches: dict[int, list[str]] = {}
    for code, step in table.items():
        if code in missing:
            catches.setdefault(step, []).append(code)
    last = max(catches, default=0)
    return Chosen(run[:last], {step: tuple(catches[step]) for step in sorted(catches)})


def _differences(track: TrackPack, run: Run, codes: Iterable[str], level_only: bool) -> dict[str, int]:
    """Return the first step of a run at which a game with each of some mistakes is elsewhere, where there is one."""
    right = Game(track).does(run)
    found: dict[str, int] = {}
    for code in sorted(codes):
        wrong = Game(track, [code])
        step = (
            _where_a_cost_shows(wrong, track, run, right, level_only)
            if code.startswith(OLDER_COST)
            else next((n for n, one in enumerate(wrong.does(run)) if _differ(right[n], one, level_only)), None)
        )
        if step is not None:
            found[code] = step
    return found


def _differ(one: State, two: State, level_only: bool) -> bool:
    return one.level != two.level or (not level_only and one[:4] != two[:4])


def _where_a_cost_shows(wrong: Game, track: TrackPack, run: Run, right: list[State], level_only: bool) -> int | None:
    """Return the first step at which another cost of one level shows: before it is asked for, nothing is another."""
    level = next(n for n, (a, b) in enumerate(zip(wrong.costs, track.costs, strict=True)) if a != b) + track.start_level
    for step, (kind, units) in enumerate(run, 1):
        before, after = right[step - 1], right[step]
        shut = dict(wrong.shut)
        if kind == OPEN:
            wrong.shut.pop(units - track.start_level, None)
        low, high = sorted((before.level, after.level))
        if not low <= level <= high or high - low > FAR:
            continue
        wrong.stand(before, shut)
        if _differ(after, wrong.does(run[step - 1 : step])[-1], level_only):
            return step
    return None


# --- runs -------------------------------------------------------------------------------------------------------


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
    for _ in range(SEARCHED // _LENGTH):
        steps = []
        for _ in range(_LENGTH):
            near = dice.choice(track.costs) + dice.choice([-1, 0, 1, track.scale, dice.randint(0, 50)])
            some = dice.choice(
                [near, near, dice.randint(0, 2 * max(track.costs)), dice.randint(1, 9), 2 ** dice.randint(20, 34)]
            )
            steps.append((dice.choice([AWARD, AWARD, AWARD, LOSE]), max(some, 0)))
        for gate in track.gates:
            steps.insert(dice.randint(0, _LENGTH), (OPEN, gate.at_level))
        yield tuple(steps)


# --- as plain data ----------------------------------------------------------------------------------------------


def vectors_json(pack: Pack, design: str, version: str) -> dict[str, Any]:
    """Return the vectors of every track, those for games that tell only their level apart."""
    return {
        "title": pack.title,
        "ramulus": version,
        "design": design,
        "tracks": {
            track.name: {
                "scale": track.scale,
                "runs": _said(vectors_of(track)),
                "level_only": _said(vectors_of(track, level_only=True)),
            }
            for track in pack.tracks
        },
    }


def _said(vectors: Vectors) -> dict[str, Any]:
    runs = []
    for one in vectors.chosen:
        states = Game(vectors.track).does(one.steps)
        runs.append({
            "do": [{kind: units} for kind, units in one.steps],
            "states": [_state(state) for state in states],
            "catches": {str(step): list(codes) for step, codes in one.catches.items()},
        })  # fmt: skip
    return {"steps": vectors.steps, "runs": runs, "not_told": vectors.untold}


def _state(state: State) -> dict[str, Any]:
    return {"level": state.level, "xp": int(state.xp), "points": plain(state.points), "level_ups": state.level_ups}
