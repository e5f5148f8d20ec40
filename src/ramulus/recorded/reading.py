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

    @staticmethod
    def joined(parts: list[Reading]) -> Reading:
        """Return what was read in several parts of a log, of other players each."""
        whole = Reading(files=parts[0].files)
        for part in parts:
            whole.rows += part.rows
            whole.players += part.players
            whole.left_out += part.left_out
            whole.noticed += part.noticed
            whole.examples = whole.examples or part.examples
            whole.first, whole.last = min(whole.first, part.first), max(whole.last, part.last)
        return whole
