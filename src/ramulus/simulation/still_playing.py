"""Who has not quit yet, level by level, and which levels drive players away."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ramulus.formula.functions import Array
from ramulus.simulation.in_level import MOST_CUT_OFF
from ramulus.simulation.played import Group, PlayedProfile
from ramulus.simulation.quits import IMPATIENT, STAYED, Quits
from ramulus.simulation.samples import share_interval

STANDS_OUT = 2.0  # Times what the levels on both sides lose,
AT_LEAST = 0.03  # and so much more of the players who come there.


def before_level(quits: Quits, levels: int) -> NDArray[np.int64]:
    """Return how many players would have quit before reaching each level, shape (levels,)."""
    at = np.bincount(quits.level[quits.reason != STAYED], minlength=levels)
    return np.concatenate([[0], np.cumsum(at)[:-1]]).astype(np.int64)


def still_by_level(profile: Group, levels: int, confidence: float) -> tuple[Array, Array, Array]:
    """Return the share that had not quit before each level, and its interval.

    Not a number where nobody quits, and where more than a tenth of the players neither quit nor got there: what they
    would have done is not known.
    """
    if profile.quits is None:
        nothing = np.full(levels, np.nan)
        return nothing, nothing, nothing
    still = profile.players - before_level(profile.quits, levels)
    stayed = np.bincount(profile.quits.level[profile.quits.reason == STAYED], minlength=levels)
    open_end = np.concatenate([[0], np.cumsum(stayed)[:-1]])
    known = open_end <= MOST_CUT_OFF * profile.players
    ends = share_interval(still, profile.players, confidence)
    share, low, high = (np.where(known, part, np.nan) for part in (still / profile.players, *ends))
    return share, low, high


class QuitPeak(NamedTuple):
    """A level that drives away far more of the players who come to it than the levels on both sides of it.

    Attributes:
        player: the profile.
        level: the level.
        share: the share of those who came there still playing that ran out of patience there.
        around: the same of the levels on both sides, their mean.
    """

    player: str
    level: int
    share: float
    around: float


def quit_peaks(profile: PlayedProfile, start_level: int) -> list[QuitPeak]:
    """Return the levels at which far more run out of patience than at their neighbours, the worst first.

    Who leaves by the calendar is left out: at which level a day ends is no fault of the level.
    """
    quits, levels = profile.quits, profile.ended.shape[1]
    if quits is None or levels < 4:
        return []
    left = np.bincount(quits.level[quits.reason == IMPATIENT], minlength=levels)
    came = np.array([int((quits.level >= level).sum()) for level in range(levels)])
    share = np.divide(left, came, out=np.zeros(levels), where=came > 0)
    found = []
    for at in range(1, levels - 2):
        # The mean of the neighbours on both sides; the cap loses nobody and is none.
        around = float(share[at - 1] + share[at + 1]) / 2
        low = float(share_interval(left[at], int(came[at]))[0])
        if share[at] >= around + AT_LEAST and low > STANDS_OUT * around:
            found.append(QuitPeak(profile.profile, start_level + at, float(share[at]), around))
    return sorted(found, key=lambda peak: peak.around - peak.share)
