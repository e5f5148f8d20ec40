"""A rule that changed in the middle of a log: until some time one, from then on another."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ramulus.recorded.steps import Steps

LEAST = 10  # Differing awards that a change must explain beyond any one rule.


Explained = tuple[NDArray[np.bool_], NDArray[np.bool_]]
"""Which of the steps that differ from the design a rule set explains, and which of the others."""


class Patched(NamedTuple):
    """A rule set that holds until a time, or from it on; the design holds on the other side.

    Attributes:
        mistakes: the rule set.
        time: seconds since 1970.
        until: whether it holds until then.
        explained: how many awards come out as logged.
    """

    mistakes: tuple[str, ...]
    time: float
    until: bool
    explained: int


def patched(
    designed: int, awards: int, tried: Mapping[tuple[str, ...], Explained], seen: Steps, right: Steps, scale: float,
    kept: float,
) -> Patched | None:  # fmt: skip
    """Return the change of rules that explains more than any one rule, or None.

    Args:
        designed: how many awards the design explains.
        awards: all of them.
        tried: for each rule set which of the differing steps, and of the others, it explains.
        seen, right: those steps.
        scale, kept: how many awards each of them stands for.
    """
    time = np.concatenate([seen.time, right.time])
    order = np.argsort(time, kind="stable")
    weight = np.concatenate([np.full(len(seen.units), scale), np.full(len(right.units), kept)])[order]
    by_design = np.concatenate([np.zeros(len(seen.units)), np.ones(len(right.units))])[order] * weight
    one_rule = max([designed, *(pair[0].sum() * scale + pair[1].sum() * kept for pair in tried.values())])
    best: Patched | None = None
    for codes, pair in tried.items():
        by_rule = np.concatenate(pair)[order] * weight
        before_design, before_rule = (np.concatenate([[0.0], np.cumsum(one)]) for one in (by_design, by_rule))
        from_then = before_design + before_rule[-1] - before_rule
        until_then = before_rule + before_design[-1] - before_design
        for until, score in ((False, from_then), (True, until_then)):
            at = int(np.argmax(score))
            if 0 < at < len(order) and (best is None or score[at] > best.explained):
                best = Patched(codes, float(time[order[at]]), until, int(score[at]))
    if best is None or best.explained < one_rule + max(LEAST, 0.1 * (awards - one_rule)):
        return None
    return best
