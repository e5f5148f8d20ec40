"""`vectors.json`: runs of awards that would catch every known mistake, chosen by search, with the right states."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from ramulus.game.idle import idle_mistakes
from ramulus.game.levels_json import plain
from ramulus.game.mistaken import OPEN, Game, State
from ramulus.game.mistakes import MISTAKES, OLDER_COST
from ramulus.game.pack import Pack, TrackPack
from ramulus.game.vector_runs import MOST_LEVELS, SEARCHED, Run, built, searched

FAR = 60  # Levels by one award, past which no cost is looked for.
LONGEST = 500  # Levels of a track, past which nothing is searched.


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
    # What no state tells, in as many runs, no level tells.
    unseen = missing.intersection(vectors_of(track).untold) if level_only else set()
    missing -= unseen
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
    untold = dict.fromkeys(sorted(missing | unseen), f"not found in {SEARCHED:,} awards built to find it")
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
            else _where_it_shows(wrong, run, right, level_only)
        )
        if step is not None:
            found[code] = step
    return found


def _where_it_shows(wrong: Game, run: Run, right: list[State], level_only: bool) -> int | None:
    """Return the first step after which a game is elsewhere; 0: before any."""
    if wrong.is_elsewhere(right[0], level_only=level_only):
        return 0
    for number, step in enumerate(run, 1):
        wrong.take(step)
        if wrong.is_elsewhere(right[number], level_only=level_only):
            return number
    return None


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
        wrong.take(run[step - 1])
        if wrong.is_elsewhere(after, level_only=level_only):
            return step
    return None


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
