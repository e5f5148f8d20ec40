"""Single awards out of a log, each with the state before it and after it, and what a rule makes of them."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.game.mistaken import Game, State
from ramulus.game.pack import TrackPack
from ramulus.recorded.following import starts_of
from ramulus.recorded.rows import UNKNOWN, Batch, Ints, firsts_of
from ramulus.rules.overflow import BANK, DISCARD, FILL, book_loss
from ramulus.rules.tabulation import tabulated
from ramulus.simulation.world import make_tracks

if TYPE_CHECKING:
    from ramulus.design import Design


class Steps(NamedTuple):
    """Awards of one track whose state before is known, n of them.

    Attributes:
        player: the key of whose it is.
        time: seconds since 1970.
        level, xp: the level, from 0, and the units inside it before.
        units: the award; below 0: a loss.
        after, left: the level and the units inside it afterwards, UNKNOWN where the log does not say.
    """

    player: NDArray[np.uint64]
    time: Array
    level: Ints
    xp: Ints
    units: Ints
    after: Ints
    left: Ints

    def of(self, which: NDArray[np.bool_] | Ints) -> Steps:
        """Return some of them."""
        return Steps(*(column[which] for column in self))  # type: ignore[arg-type]

    @staticmethod
    def joined(parts: Sequence[Steps]) -> Steps:
        """Return several parts as one."""
        return Steps(*(np.concatenate(columns) for columns in zip(*parts, strict=True)))


def steps_in(design: Design, batch: Batch, track: int) -> Steps:
    """Return the awards of a track whose states before and after are logged; a player's first from where it starts."""
    tracks = design.derived(make_tracks)
    mine = np.flatnonzero(batch.rows.track == track)
    owner, rows = batch.owner[mine], batch.rows.of(mine)
    first = firsts_of(owner)
    level, xp = _shifted(rows.level.astype(np.int64)), _shifted(rows.xp)
    place = np.maximum(batch.profiles[owner[first]], 0)
    begins = starts_of(design)[place] if track == 0 else np.tile([0, tracks.start_units[track]], (len(place), 1))
    level[first], xp[first] = begins[:, 0], begins[:, 1]
    known = (level != UNKNOWN) & (xp != UNKNOWN) & (rows.level != UNKNOWN) & (rows.xp != UNKNOWN)
    found = Steps(batch.keys[owner], rows.time, level, xp, rows.units, rows.level.astype(np.int64), rows.xp)
    # Who was here before starts elsewhere: its first award is no step, unless it fits.
    midway = first & ((found.after != level) | (found.left < found.units))
    fits = as_designed(design, found.of(known & midway), track)
    known[np.flatnonzero(known & midway)[~fits]] = False
    return found.of(known)


def _shifted(values: Ints) -> Ints:
    return np.concatenate([[UNKNOWN], values[:-1]]).astype(np.int64)


def as_designed(design: Design, steps: Steps, track: int) -> NDArray[np.bool_]:
    """Return which steps came out as the design says."""
    tables = tabulated(design).track(design.track_order[track])
    costs = np.array([*tables.overflow.costs, 0], dtype=np.int64)
    cap, more = tables.overflow.cap, tables.overflow.more
    # What stays below the threshold only adds up: nearly all, told without a step by step.
    simple = (
        (steps.units >= 0) & (steps.level < cap) & (steps.xp + steps.units < costs[np.minimum(steps.level, cap)] + more)
    )
    fine = simple & (steps.after == steps.level) & (steps.left == steps.xp + steps.units)
    at_cap = (steps.units >= 0) & (steps.level == cap)
    full = steps.xp + steps.units
    held = {DISCARD: 0 * full, FILL: np.minimum(full, costs[max(cap - 1, 0)]), BANK: full}[tables.overflow.at_cap]
    fine |= at_cap & (steps.after == cap) & (steps.left == held)
    for at in np.flatnonzero(~simple & ~at_cap):
        level, xp, units = int(steps.level[at]), int(steps.xp[at]), int(steps.units[at])
        if units < 0:
            after, left, _ = book_loss(tables.overflow, level, xp, -units)
        else:
            # A gate at or above where the player came to is taken as shut.
            is_open = {gate for gate in tables.gates if gate < steps.after[at]}
            after, left, _ = tables.book(level, xp, units, is_open)
        fine[at] = after == steps.after[at] and left == steps.left[at]
    return np.asarray(fine)


@dataclass(frozen=True)
class Judge:
    """Says what rule sets make of steps.

    Attributes:
        track: the track.
        steps: the steps.
    """

    track: TrackPack
    steps: Steps

    def explains(self, mistakes: Iterable[str]) -> NDArray[np.bool_]:
        """Return which steps come out as a game with some mistakes makes them."""
        return np.fromiter(self._one_by_one(mistakes), np.bool_, len(self.steps.units))

    def explains_all(self, mistakes: Iterable[str]) -> bool:
        """Return whether every step comes out so; the first that does not is the last to be tried."""
        return all(self._one_by_one(mistakes))

    def explains_most(self, mistakes: Iterable[str]) -> bool:
        """Return whether more than half of the steps come out so, tried until that is known either way."""
        half = len(self.steps.units) / 2
        fit = tried = 0
        for fits in self._one_by_one(mistakes):
            fit, tried = fit + fits, tried + 1
            if fit > half or tried - fit >= half:
                break
        return fit > half

    def _one_by_one(self, mistakes: Iterable[str]) -> Iterator[bool]:
        game, start = Game(self.track, mistakes), self.track.start_level
        shut = dict(game.shut)
        for level, xp, units, after, left in self._columns:
            here = {gate: fills for gate, fills in shut.items() if gate >= after} if shut else shut
            game.stand(State(level + start, xp, 0.0, 0), here)
            game.peak = level
            if units >= 0:
                game.award(units)
            else:
                game.lose(-units)
            yield game.level == after and abs(game.xp - left) < 0.5

    @cached_property
    def _columns(self) -> list[tuple[int, ...]]:
        return list(zip(*(column.tolist() for column in self.steps[2:]), strict=True))


def in_words(pack: TrackPack, step: Steps) -> str:
    """Return what a step came to in the log, and in the design."""
    level, xp, units, after, left = (int(column[0]) for column in step[2:])
    game = Game(pack)
    game.stand(State(level + pack.start_level, xp, 0.0, 0), {g: f for g, f in game.shut.items() if g >= after})
    (game.award if units >= 0 else game.lose)(abs(units))
    scale, start = pack.scale, pack.start_level
    kind = "an award" if units >= 0 else "a loss"
    return (
        f"at level {level + start} with {xp / scale:,g} XP, {kind} of {abs(units) / scale:,g}: the log says level "
        f"{after + start} with {left / scale:,g} XP, the design level {game.level + start} with {game.xp / scale:,g}"
    )
