"""What failures take: a share of the current level's cost."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray

from ramulus.rules.evaluating import evaluate_at, fault
from ramulus.rules.overflow import loss_of_failure

if TYPE_CHECKING:
    from ramulus.design import Design
    from ramulus.rules.track_tables import TrackTables

Ints = NDArray[np.int64]


def losses_of(design: Design, main: TrackTables) -> Ints:
    """Return the units that a failure takes at each level of the main track, shape (L,); nothing at the cap.

    Raises:
        DesignError: the formula fails at a level, or gives no share 0 … 1.
    """
    stated, place, track = design.encounters.failure.loss, "encounter.failure.loss", main.track
    levels = np.arange(track.start_level, track.max_level + 1, dtype=np.float64)
    below_cap: NDArray[np.bool_] = levels < track.max_level
    names = {**design.constants, "level": levels}
    shares = np.broadcast_to(evaluate_at(place, stated, names, below_cap), levels.shape)
    outside = ~((shares >= 0) & (shares <= 1)) & below_cap
    if outside.any():
        found = f"a share of {shares[outside][0]:.6g} at level {levels[outside][0]:g}"
        raise fault(place, found, "0 … 1 (clip it)")
    if not np.any(shares[below_cap]):
        return np.zeros(len(levels), np.int64)
    rule = main.overflow
    each = [loss_of_failure(rule, level, share) for level, share in enumerate(shares[:-1].tolist())]
    return np.array([*each, 0], dtype=np.int64)
