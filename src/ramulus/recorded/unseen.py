"""Logs that tell levels and no XP inside them: XP is carried along by each rule, and levels are compared."""

from __future__ import annotations

from collections.abc import Iterable
from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ramulus.game.idle import idle_mistakes
from ramulus.game.mistaken import Game, State
from ramulus.game.mistakes import MISTAKES
from ramulus.game.pack import TrackPack
from ramulus.recorded.following import starts_of
from ramulus.recorded.rows import UNKNOWN, Batch, firsts_of
from ramulus.recorded.steps import Steps
from ramulus.recorded.tried import OfTrack, Rule

if TYPE_CHECKING:
    from ramulus.design import Design


def unseen_steps(design: Design, batch: Batch, track: int, most: int) -> Steps:
    """Return the awards of whole players on a track, at most about so many, with the levels after them.

    The level and XP before are those where the player starts, for its first award; UNKNOWN for the others.
    """
    mine = np.flatnonzero(batch.rows.track == track)
    owner = batch.owner[mine]
    if most <= 0 or not len(mine):
        mine, owner = mine[:0], owner[:0]
    elif len(mine) > most:
        stays = owner <= owner[most]
        mine, owner = mine[stays], owner[stays]
    rows = batch.rows.of(mine)
    first = firsts_of(owner)
    begins = starts_of(design)[np.maximum(batch.profiles[owner], 0)] * (track == 0)
    level, xp = (np.where(first, begins[:, at], UNKNOWN) for at in (0, 1))
    return Steps(batch.keys[owner], rows.time, level, xp, rows.units, rows.level.astype(np.int64), rows.xp)


def unseen_in(design: Design, batches: Iterable[Batch], track: int, most: int) -> Steps:
    """Return the awards of the first players on a track, about so many, with the levels after them."""
    parts, count = [], 0
    for batch in batches:
        parts.append(unseen_steps(design, batch, track, most - count))
        count += len(parts[-1].units)
    return Steps.joined(parts)


def judged_unseen(one: OfTrack, pack: TrackPack, steps: Steps) -> OfTrack:
    """Note which rules explain most levels."""
    one.awards, one.players = len(steps.units), len(np.unique(steps.player))
    if not one.awards:
        return one
    right = _explained(pack, (), steps)
    one.differing, one.differing_players = int((~right).sum()), len(np.unique(steps.player[~right]))
    one.rules = [Rule((), int(right.sum()), one.differing_players)]
    if not one.differing:
        return one
    tried = {
        (code,): _explained(pack, (code,), steps)
        for code in MISTAKES
        if code not in idle_mistakes(pack, level_only=True)
    }
    best = max((int(found.sum()) for found in tried.values()), default=0)
    if best > one.rules[0].explained:
        slack = max(1.0, 0.02 * (one.awards - best))
        near = [(codes, found) for codes, found in tried.items() if found.sum() >= best - slack]
        one.rules += [
            Rule(codes, int(found.sum()), len(np.unique(steps.player[~found])))
            for codes, found in sorted(near, key=lambda item: -int(item[1].sum()))
        ]
    at = int(np.flatnonzero(~right)[0])
    level = int(steps.after[at - 1]) if at and steps.player[at - 1] == steps.player[at] else int(steps.level[at])
    one.first = _level_in_words(pack, level, int(steps.units[at]), int(steps.after[at])) if level >= 0 else ""
    return one


def _level_in_words(pack: TrackPack, level: int, units: int, after: int) -> str:
    return (
        f"at level {level + pack.start_level}, an award of {units / pack.scale:,g}: the log says level "
        f"{after + pack.start_level}, which the design does not"
    )


def _explained(pack: TrackPack, mistakes: tuple[str, ...], steps: Steps) -> NDArray[np.bool_]:
    """Return which levels a rule set makes as they were logged; where one is not, it goes on from what was logged."""
    found = np.zeros(len(steps.units), np.bool_)
    game = Game(pack, mistakes)
    shut = dict(game.shut)
    for at, (level, xp, units, after) in enumerate(zip(*(c.tolist() for c in steps[2:6]), strict=True)):
        if level != UNKNOWN:
            game = Game(pack, mistakes)
            game.stand(State(level + pack.start_level, xp, 0.0, 0), shut)
        if after == UNKNOWN:
            (game.award if units >= 0 else game.lose)(abs(units))
            found[at] = True
            continue
        game.shut = {gate: fills for gate, fills in shut.items() if gate >= after}
        (game.award if units >= 0 else game.lose)(abs(units))
        found[at] = game.level == after
        if not found[at]:
            # Nobody knows the XP: none where it rose, one short of the next where it should have.
            rest = 0 if after > game.level else max(int(pack.costs[min(after, len(pack.costs) - 1)]) - 1, 0)
            game.stand(State(after + pack.start_level, rest, 0.0, 0), game.shut)
    return found
