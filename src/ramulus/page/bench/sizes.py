"""How much a bench plays."""

from __future__ import annotations

from dataclasses import dataclass


@dataclass(frozen=True)
class Sizes:
    """What each full run of a bench plays.

    Attributes:
        players: of each profile.
        hours: the horizon in played hours (None: as `simulate` chooses it).
        seed: of every draw; the same for all runs, so that before and after are pairs.
    """

    players: int = 2000
    hours: float | None = None
    seed: int = 0
