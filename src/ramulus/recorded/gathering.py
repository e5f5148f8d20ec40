"""What a part of a log tells of one track's rule: awards that come out as designed, and those that do not."""

from __future__ import annotations

from typing import TYPE_CHECKING, NamedTuple

import numpy as np
from numpy.typing import NDArray

from ramulus.recorded.steps import Steps, as_designed, steps_in
from ramulus.simulation.draws import mix

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.recorded.log import Log


class Gathered(NamedTuple):
    """What was gathered.

    Attributes:
        awards: how many awards were judged.
        players: the keys of whose they are.
        from_outside: levels that rose without XP.
        wrong: all that did not come out as designed.
        right: some of the others.
    """

    awards: int
    players: NDArray[np.uint64]
    from_outside: int
    wrong: Steps
    right: Steps

    @staticmethod
    def joined(parts: list[Gathered], most: int) -> Gathered:
        """Return what several parts come to, in the order of players and time, whatever the order of the parts."""
        return Gathered(
            sum(part.awards for part in parts),
            np.unique(np.concatenate([part.players for part in parts])),
            sum(part.from_outside for part in parts),
            _in_order(Steps.joined([part.wrong for part in parts])),
            some_of(Steps.joined([part.right for part in parts]), most),
        )


def gathered(design: Design, place: int, most: int, log: Log) -> Gathered | None:
    """Return what a log tells of a track; None where there is nobody in it.

    Args:
        design: the design.
        place: the track's place.
        most: how many awards that come out as designed are kept.
        log: the log.
    """
    parts = []
    for batch in log.batches():
        steps = steps_in(design, batch, place)
        fine = as_designed(design, steps, place)
        from_outside = int(((steps.units == 0) & (steps.after > steps.level)).sum())
        right = some_of(steps.of(fine), most)
        parts.append(Gathered(len(fine), np.unique(steps.player), from_outside, steps.of(~fine), right))
    return Gathered.joined(parts, most) if parts else None


def some_of(steps: Steps, most: int) -> Steps:
    """Return some steps of many, the same ones however they are parted: those whose hash is least."""
    if len(steps.units) > most:
        with np.errstate(over="ignore"):
            told = np.asarray(mix(steps.player + (steps.time * 1000).astype(np.int64).astype(np.uint64)))
        steps = steps.of(np.argsort(told, kind="stable")[:most])
    return _in_order(steps)


def _in_order(steps: Steps) -> Steps:
    return steps.of(np.lexsort((steps.time, steps.player)))
