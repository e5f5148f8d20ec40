"""What one pass over a log found: how much was read, what was left out and why."""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass, field

import numpy as np


@dataclass
class Reading:
    """What one pass over a log found.

    Attributes:
        rows, players: awards that were read, and whose they are.
        left_out: rows left out, by reason.
        examples: the first of them, in words.
        noticed: what else was noticed, by kind, with how many rows.
        first, last: the times of the first and the last award, seconds since 1970.
        files: how many files there are.
    """

    rows: int = 0
    players: int = 0
    left_out: Counter[str] = field(default_factory=Counter)
    examples: list[str] = field(default_factory=list)
    noticed: Counter[str] = field(default_factory=Counter)
    first: float = np.inf
    last: float = -np.inf
    files: int = 0
